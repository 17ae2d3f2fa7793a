using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>
/// Books a day's storage. Graduated bands hold for a whole month's unit-months in a region and tier, so each day settles the month anew: a
/// bucket has been charged, up to and with this day, its part of what the month so far costs, and the day's line is the difference to what
/// was booked before. The lines of a month therefore add up to the month's bill, whatever day it is looked at. Where prices change within the
/// month, the days before have the bands that held then, over the quantity of the whole month.
/// </summary>
internal sealed class StorageMeter(SqliteConnection db, Terms terms, DateOnly day)
{
    private sealed class Line
    {
        public double Quantity;
        public double Amount;

        /// <summary>Weighted unit-months before today, by the price book of their day.</summary>
        public required double[] Weighted;
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
        var books = Books();
        var lines = MonthSoFar(books);
        foreach (var (bucket, use) in uses)
        {
            for (var tier = 0; tier < terms.Prices.Tiers.Count; tier++)
            {
                var units = use.Of(tier).StoredBytes / terms.UnitMonth(day);
                if (units == 0)
                    continue;
                var key = (bucket.Bucket.Region, terms.Prices.Tiers[tier].Id, bucket.Bucket.Name);
                var line = lines.TryGetValue(key, out var found) ? found : lines[key] = new Line { Weighted = new double[books.Count] };
                (line.Today, line.WeightedToday) = (units, units * bucket.Factor);
            }
        }
        foreach (var pool in lines.GroupBy(l => (l.Key.Region, l.Key.Tier)))
        {
            var total = pool.Sum(l => l.Value.Quantity + l.Value.Today);
            // What a region does not offer any more nobody has there, and what was booked of it stands.
            if (total == 0 || terms.Prices.FindRegion(pool.Key.Region)?.PriceOf(pool.Key.Tier) is null)
                continue;
            var prices = books.ConvertAll(b => b.Prices.FindRegion(pool.Key.Region)!.PriceOf(pool.Key.Tier)!.StorageCost(total) / total);
            var price = prices[^1];
            foreach (var ((region, tier, bucket), line) in pool)
            {
                var amount = (price * line.WeightedToday) + prices.Zip(line.Weighted, (p, w) => p * w).Sum() - line.Amount;
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

    /// <summary>The price books that held in the month so far, each from its first day on.</summary>
    private List<(int From, PriceBook Prices)> Books()
    {
        var first = new DateOnly(day.Year, day.Month, 1);
        return
        [
            .. terms
                .Prices.Earlier.Select(e => e.Until)
                .Where(d => d > first && d <= day)
                .Prepend(first)
                .Distinct()
                .Select(d => (d.DayNumber, terms.Prices.AmountsOn(d))),
        ];
    }

    private Dictionary<(string Region, string Tier, string Bucket), Line> MonthSoFar(List<(int From, PriceBook Prices)> books)
    {
        var lines = new Dictionary<(string, string, string), Line>();
        for (var i = 0; i < books.Count; i++)
        {
            var (from, to) = (books[i].From, i + 1 < books.Count ? books[i + 1].From : day.DayNumber);
            foreach (
                var (key, quantity, weighted, amount) in db.List(
                    """
                    SELECT region, tier, bucket, sum(quantity), sum(weighted), sum(amount) FROM ledger
                    WHERE day >= ?1 AND day < ?2 AND charge = ?3 GROUP BY region, tier, bucket
                    """,
                    r => ((r.GetString(0), r.GetString(1), r.GetString(2)), r.GetDouble(3), r.GetDouble(4), r.GetDouble(5)),
                    from,
                    to,
                    Charge.Storage.Name()
                )
            )
            {
                var line = lines.TryGetValue(key, out var found) ? found : lines[key] = new Line { Weighted = new double[books.Count] };
                line.Quantity += quantity;
                line.Amount += amount;
                line.Weighted[i] += weighted;
            }
        }
        return lines;
    }
}
