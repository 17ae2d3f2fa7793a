using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>A month's storage of one object in a tier, its index in the landing tier included.</summary>
/// <param name="Month">So far, where it runs.</param>
/// <param name="Tier">The id.</param>
/// <param name="UnitMonths">Billed.</param>
/// <param name="Price">What a unit-month came to in the bucket's line of that month and tier, the scheme's factor included.</param>
public sealed record ObjectMonth(Month Month, string Tier, double UnitMonths, double Price)
{
    /// <summary>Money.</summary>
    public double Amount => UnitMonths * Price;
}

/// <summary>What one object was charged so far.</summary>
/// <param name="Requests">Money for writing, reading and moving it, as it was booked when it happened.</param>
/// <param name="Storage">The newest month first.</param>
public sealed record ObjectCharged(double Requests, IReadOnlyList<ObjectMonth> Storage)
{
    /// <summary>Money.</summary>
    public double Amount => Requests + Storage.Sum(s => s.Amount);
}

internal static class ObjectCharges
{
    public static ObjectCharged? SoFar(SqliteConnection db, Terms terms, BucketTerms bucket, long id)
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
        return new(
            entry.Charged,
            [
                .. stays
                    .SelectMany(stay =>
                        Rests(terms, stay.Tier, terms.Prices.Tiers[stay.Tier].BilledBytes(entry.Bytes), stay.From, stay.To)
                            .Concat(Rests(terms, bucket.Landing, terms.Prices.Tiers[stay.Tier].IndexBytes, stay.From, stay.To))
                    )
                    .GroupBy(r => (r.Month, r.Tier), r => r.UnitMonths)
                    .OrderByDescending(g => g.Key.Month.FirstDay)
                    .ThenBy(g => g.Key.Tier)
                    .Select(g =>
                    {
                        var tier = terms.Prices.Tiers[g.Key.Tier].Id;
                        return new ObjectMonth(g.Key.Month, tier, g.Sum(), UnitPrice(db, bucket, tier, g.Key.Month));
                    }),
            ]
        );
    }

    private static IEnumerable<(Month Month, int Tier, double UnitMonths)> Rests(
        Terms terms,
        int tier,
        double billedBytes,
        int from,
        int to
    )
    {
        for (var day = from; day < to && billedBytes > 0; )
        {
            var date = DateOnly.FromDayNumber(day);
            var month = Month.Of(date);
            var end = Math.Min(to, month.Plus(1).FirstDay.DayNumber);
            yield return (month, tier, billedBytes * (end - day) / terms.UnitMonth(date));
            day = end;
        }
    }

    /// <summary>Money per unit-month in that month's lines, the scheme's factor included.</summary>
    private static double UnitPrice(SqliteConnection db, BucketTerms bucket, string tier, Month month) =>
        db.Value<double?>(
            "SELECT sum(amount) / sum(quantity) FROM ledger WHERE bucket = ?1 AND day >= ?2 AND day < ?3 AND tier = ?4 AND charge = ?5",
            bucket.Bucket.Name,
            month.FirstDay.DayNumber,
            month.Plus(1).FirstDay.DayNumber,
            tier,
            Charge.Storage.Name()
        ) ?? 0;
}
