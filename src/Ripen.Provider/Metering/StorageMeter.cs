using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>
/// Books a day's storage. Graduated bands hold for a whole month's unit-months in a region and tier, so each day settles the month anew: a
/// bucket has been charged, up to and with this day, its part of what the month so far costs, and the day's line is the difference to what
/// was booked before. The lines of a month therefore add up to the month's bill, whatever day it is looked at.
/// </summary>
internal sealed class StorageMeter(SqliteConnection db, Terms terms, DateOnly day)
{
    private sealed class Line
    {
        public double Quantity;
        public double Weighted;
        public double Amount;
        public double Today;
        public double WeightedToday;
    }

    /// <param name="uses">Of every bucket.</param>
    /// <param name="targets">Of the objects of backup targets: a part of the buckets'.</param>
    public void Book(
        IReadOnlyDictionary<BucketTerms, DayUse> uses,
        IReadOnlyDictionary<(BucketTerms Bucket, string Target), DayUse> targets
    )
    {
        var lines = MonthSoFar();
        foreach (var (bucket, use) in uses)
        {
            for (var tier = 0; tier < terms.Prices.Tiers.Count; tier++)
            {
                var units = use.Of(tier).StoredBytes / terms.UnitMonth(day);
                if (units == 0)
                    continue;
                var key = (bucket.Bucket.Region, terms.Prices.Tiers[tier].Id, bucket.Bucket.Name);
                var line = lines.TryGetValue(key, out var found) ? found : lines[key] = new Line();
                (line.Today, line.WeightedToday) = (units, units * bucket.Factor);
            }
        }
        foreach (var pool in lines.GroupBy(l => (l.Key.Region, l.Key.Tier)))
        {
            var total = pool.Sum(l => l.Value.Quantity + l.Value.Today);
            if (total == 0)
                continue;
            var price = terms.Prices.FindRegion(pool.Key.Region)!.PriceOf(pool.Key.Tier)!.StorageCost(total) / total;
            foreach (var ((region, tier, bucket), line) in pool)
            {
                var amount = (price * (line.Weighted + line.WeightedToday)) - line.Amount;
                if (line.Today != 0 || amount != 0)
                    Ledger.Book(db, day, bucket, region, tier, Charge.Storage, line.Today, amount, line.WeightedToday);
            }
            foreach (var ((bucket, target), use) in targets.Where(t => t.Key.Bucket.Bucket.Region == pool.Key.Region))
            {
                var own = use.Of(terms.Prices.Coldness(pool.Key.Tier));
                var units = own.StoredBytes / terms.UnitMonth(day);
                TargetLedger.Book(db, day, target, pool.Key.Tier, Charge.Storage, units, own.RestingBytes, price * units * bucket.Factor);
            }
        }
    }

    private Dictionary<(string Region, string Tier, string Bucket), Line> MonthSoFar() =>
        db.List(
                """
                SELECT region, tier, bucket, sum(quantity), sum(weighted), sum(amount) FROM ledger
                WHERE day >= ?1 AND day < ?2 AND charge = ?3 GROUP BY region, tier, bucket
                """,
                r =>
                    (
                        Key: (r.GetString(0), r.GetString(1), r.GetString(2)),
                        Line: new Line
                        {
                            Quantity = r.GetDouble(3),
                            Weighted = r.GetDouble(4),
                            Amount = r.GetDouble(5),
                        }
                    ),
                new DateOnly(day.Year, day.Month, 1).DayNumber,
                day.DayNumber,
                Charge.Storage.Name()
            )
            .ToDictionary(l => l.Key, l => l.Line);
}
