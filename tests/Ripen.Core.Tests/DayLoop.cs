using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>
/// The meaning of a projection, one day after another, as plainly as it can be written. It shares the records, the bands
/// and the names of units with the engine, and nothing of how it computes.
/// </summary>
internal sealed class DayLoop
{
    private sealed class Pile
    {
        public required Bucket Bucket;
        public required string Prefix;
        public required DateOnly Created;
        public required long Bytes;
        public required double Objects;
        public required string Tier;
        public required DateOnly Since;
        public required List<LifecycleRule> Matching;
        public required TierPrice Price;
    }

    private readonly Estate estate;
    private readonly PriceBook prices;
    private readonly List<Pile> piles = [];
    private readonly Dictionary<(Month, string Bucket, string Tier, Charge), (double Quantity, double Amount)> booked = [];
    private readonly Dictionary<(Month, string Bucket, string Tier), double> unitMonths = [];

    private DayLoop(Estate estate) => (this.estate, prices) = (estate, estate.PriceBook);

    public static List<ForecastRow> Rows(Estate estate, int months)
    {
        var loop = new DayLoop(estate);
        var end = new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(months);
        loop.Begin();
        for (var day = estate.Today; day < end; day = day.AddDays(1)) loop.Day(day);
        loop.BookStorage();
        return [.. loop.booked
            .Where(b => b.Value != default)
            .OrderBy(b => b.Key.Item1.ToString(), StringComparer.Ordinal).ThenBy(b => b.Key.Bucket, StringComparer.Ordinal)
            .ThenBy(b => b.Key.Tier, StringComparer.Ordinal).ThenBy(b => b.Key.Item4.Name(), StringComparer.Ordinal)
            .Select(b => new ForecastRow(b.Key.Item1, b.Key.Bucket, estate.Find(b.Key.Bucket)!.Region, b.Key.Tier, b.Key.Item4,
                b.Value.Quantity, Units.Of(b.Key.Item4, loop.prices.Unit), b.Value.Amount))];
    }

    /// <summary>What lies where on the morning of <paramref name="day"/>: bytes by bucket, tier and age on that day.</summary>
    public static ILookup<(string Bucket, string Tier), (int Age, double Bytes)> Contents(Estate estate, DateOnly day)
    {
        var loop = new DayLoop(estate);
        loop.Begin();
        for (var d = estate.Today; d < day; d = d.AddDays(1)) loop.Day(d);
        return loop.piles.ToLookup(p => (p.Bucket.Name, p.Tier), p => (day.DayNumber - p.Created.DayNumber, p.Objects * p.Bytes));
    }

    private void Begin()
    {
        foreach (var bucket in estate.Buckets)
        {
            foreach (var lot in bucket.Stock)
            {
                Add(bucket, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count, lot.Tier, lot.InTierSince);
            }
        }
        foreach (var bucket in estate.Buckets)
        {
            foreach (var copy in bucket.CopyTo.Where(c => c.CatchUp))
            {
                foreach (var lot in bucket.Stock.Where(l => l.Prefix.StartsWith(copy.Prefix, StringComparison.Ordinal)))
                {
                    Copy(bucket, copy, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count, estate.Today);
                }
            }
        }
    }

    private void Day(DateOnly day)
    {
        foreach (var bucket in estate.Buckets)
        {
            foreach (var stream in bucket.Streams)
            {
                var n = stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, (day.DayNumber - estate.Today.DayNumber) / 365.0);
                Write(bucket, stream.Prefix, day, stream.BytesPerObject, n, day);
                foreach (var copy in bucket.CopyTo.Where(c => stream.Prefix.StartsWith(c.Prefix, StringComparison.Ordinal)))
                {
                    Copy(bucket, copy, stream.Prefix, day, stream.BytesPerObject, n, day);
                }
            }
        }
        piles.RemoveAll(pile =>
        {
            if (!Expires(pile, day)) return false;
            LeaveEarly(pile, day);
            return true;
        });
        foreach (var pile in piles)
        {
            if (ColdestStep(pile, day) is { } tier && prices.Coldness(tier) > prices.Coldness(pile.Tier))
            {
                LeaveEarly(pile, day);
                (pile.Tier, pile.Since, pile.Price) = (tier, day, Price(pile.Bucket, tier));
                Book(day, pile.Bucket, tier, Charge.Moves, pile.Objects, pile.Price.MovesIn.For(pile.Objects));
            }
            Rest(pile, day);
            Read(pile, day);
        }
    }

    private void Add(Bucket bucket, string prefix, DateOnly created, long bytes, double objects, string tier, DateOnly since) => piles.Add(new Pile
    {
        Bucket = bucket,
        Prefix = prefix,
        Created = created,
        Bytes = bytes,
        Objects = objects,
        Tier = tier,
        Since = since,
        Matching = [.. bucket.Rules.Where(r => prefix.StartsWith(r.Prefix, StringComparison.Ordinal))],
        Price = Price(bucket, tier),
    });

    private void Write(Bucket bucket, string prefix, DateOnly created, long bytes, double objects, DateOnly day)
    {
        Add(bucket, prefix, created, bytes, objects, bucket.Tier, day);
        Book(day, bucket, bucket.Tier, Charge.Writes, objects, Price(bucket, bucket.Tier).Writes.For(objects));
    }

    private void Copy(Bucket from, CopyRule rule, string prefix, DateOnly created, long bytes, double objects, DateOnly day)
    {
        var to = estate.Find(rule.Bucket)!;
        Write(to, prefix, created, bytes, objects, day);
        var units = objects * bytes / prices.Unit.Bytes();
        Book(day, from, from.Tier, Charge.Transfer, units, prices.TransferPrice(from.Region, to.Region).For(units));
    }

    private static bool Expires(Pile pile, DateOnly day)
    {
        var age = day.DayNumber - pile.Created.DayNumber;
        var keep = pile.Bucket.Keep;
        var kept = (keep?.Days is { } days && age < days) || (keep?.Until is { } until && day < until);
        return !kept && pile.Matching.Any(r => r.ExpireAt <= age);
    }

    private string? ColdestStep(Pile pile, DateOnly day)
    {
        var age = day.DayNumber - pile.Created.DayNumber;
        return pile.Matching.Where(r => pile.Bytes >= r.SmallestBytes).SelectMany(r => r.Steps).Where(s => s.Age <= age)
            .Select(s => s.Tier).MaxBy(prices.Coldness);
    }

    private void LeaveEarly(Pile pile, DateOnly day)
    {
        var tier = prices.Tiers[prices.Coldness(pile.Tier)];
        var missing = tier.MinimumStayDays - (day.DayNumber - pile.Since.DayNumber);
        if (missing <= 0) return;
        var unitMonthsMissing = pile.Objects * (Math.Max(pile.Bytes, tier.MinimumObjectBytes) + tier.OverheadBytes) * missing / UnitMonth(day);
        Book(day, pile.Bucket, pile.Tier, Charge.EarlyLeave, unitMonthsMissing,
            unitMonthsMissing * pile.Price.Storage[0].Price.PerUnit * Factor(pile.Bucket));
    }

    private void Rest(Pile pile, DateOnly day)
    {
        var tier = prices.Tiers[prices.Coldness(pile.Tier)];
        Store(day, pile.Bucket, pile.Tier, pile.Objects * (Math.Max(pile.Bytes, tier.MinimumObjectBytes) + tier.OverheadBytes));
        Store(day, pile.Bucket, pile.Bucket.Tier, pile.Objects * tier.IndexBytes);
    }

    private void Read(Pile pile, DateOnly day)
    {
        var age = day.DayNumber - pile.Created.DayNumber;
        var share = pile.Bucket.Reads.LastOrDefault(r => r.FromAge <= age)?.ShareOfObjectsPerDay ?? 0;
        var objects = share * pile.Objects;
        var units = objects * pile.Bytes / prices.Unit.Bytes();
        var price = pile.Price;
        Book(day, pile.Bucket, pile.Tier, Charge.Reads, objects, price.Reads.For(objects));
        Book(day, pile.Bucket, pile.Tier, Charge.Recall, units, price.RecallRequests.For(objects) + price.Recall.For(units));
    }

    private void BookStorage()
    {
        foreach (var pool in unitMonths.GroupBy(u => (Month: u.Key.Item1, estate.Find(u.Key.Bucket)!.Region, u.Key.Tier)))
        {
            var total = pool.Sum(u => u.Value);
            if (total == 0) continue;
            foreach (var (key, units) in pool)
            {
                var bucket = estate.Find(key.Bucket)!;
                booked[(key.Item1, key.Bucket, key.Tier, Charge.Storage)] =
                    (units, Price(bucket, key.Tier).StorageCost(total) * units / total * Factor(bucket));
            }
        }
    }

    private void Store(DateOnly day, Bucket bucket, string tier, double bytes)
    {
        var key = (Month.Of(day), bucket.Name, tier);
        unitMonths[key] = unitMonths.GetValueOrDefault(key) + (bytes / UnitMonth(day));
    }

    private void Book(DateOnly day, Bucket bucket, string tier, Charge charge, double quantity, double amount)
    {
        var key = (Month.Of(day), bucket.Name, tier, charge);
        var (q, a) = booked.GetValueOrDefault(key);
        booked[key] = (q + quantity, a + amount);
    }

    private double UnitMonth(DateOnly day) =>
        prices.Unit.Bytes() * (prices.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(day.Year, day.Month));

    private TierPrice Price(Bucket bucket, string tier) => prices.FindRegion(bucket.Region)!.PriceOf(tier)!;

    private double Factor(Bucket bucket) => prices.FindScheme(bucket.Scheme)!.StorageFactor;
}
