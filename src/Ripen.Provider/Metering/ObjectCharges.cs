using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>What one object was charged so far: its events as they were booked, and its days at rest at what a unit-month came to in the
/// ledger.</summary>
internal static class ObjectCharges
{
    public static double? SoFar(SqliteConnection db, Terms terms, BucketTerms bucket, long id)
    {
        var found = db.List(
            "SELECT charged, bytes, tier, since FROM entry WHERE id = ?1 AND bucket = ?2",
            r => (Charged: r.GetDouble(0), Bytes: r.GetInt64(1), Tier: terms.Place(r.GetInt64(2)), Since: r.GetInt32(3)),
            id,
            bucket.Id
        );
        if (found.Count == 0)
            return null;
        var entry = found[0];
        var stays = db.List(
            "SELECT tier, since, until FROM stay WHERE entry = ?1",
            r => (Tier: terms.Place(r.GetInt64(0)), From: r.GetInt32(1), To: r.GetInt32(2)),
            id
        );
        stays.Add((entry.Tier, entry.Since, ProviderState.Today(db).DayNumber));
        var total = entry.Charged;
        foreach (var (tier, from, to) in stays)
        {
            var tierTerms = terms.Prices.Tiers[tier];
            total +=
                Rest(db, terms, bucket, tier, tierTerms.BilledBytes(entry.Bytes), from, to)
                + Rest(db, terms, bucket, bucket.Landing, tierTerms.IndexBytes, from, to);
        }
        return total;
    }

    private static double Rest(SqliteConnection db, Terms terms, BucketTerms bucket, int tier, double billedBytes, int from, int to)
    {
        var total = 0.0;
        for (var day = from; day < to && billedBytes > 0; )
        {
            var date = DateOnly.FromDayNumber(day);
            var month = new DateOnly(date.Year, date.Month, 1);
            var end = Math.Min(to, month.AddMonths(1).DayNumber);
            total += billedBytes * (end - day) / terms.UnitMonth(date) * UnitPrice(db, bucket, terms.Prices.Tiers[tier].Id, month);
            day = end;
        }
        return total;
    }

    /// <summary>Money per unit-month in that month's lines, the scheme's factor included.</summary>
    private static double UnitPrice(SqliteConnection db, BucketTerms bucket, string tier, DateOnly month) =>
        db.Value<double?>(
            "SELECT sum(amount) / sum(quantity) FROM ledger WHERE bucket = ?1 AND day >= ?2 AND day < ?3 AND tier = ?4 AND charge = ?5",
            bucket.Bucket.Name,
            month.DayNumber,
            month.AddMonths(1).DayNumber,
            tier,
            Charge.Storage.Name()
        ) ?? 0;
}
