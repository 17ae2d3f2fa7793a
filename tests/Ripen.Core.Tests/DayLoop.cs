using Ripen.Core.Billing;
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

        /// <summary>What a plan's run stored, and how many objects of it came here; null for anything else.</summary>
        public PlainPlans.Run? Run;
        public double Came;

        /// <summary>Whether it comes down with what points need.</summary>
        public bool Follows;
    }

    /// <summary>Objects on their way to another bucket; the list is in the order in which they came.</summary>
    private sealed class Waiting
    {
        public required Bucket From;
        public required int Rule;
        public required string Prefix;
        public required DateOnly Created;
        public required long Bytes;
        public required double Objects;
        public PlainPlans.Run? Run;
        public double Size => Objects * Bytes;
        public (string, int, bool) Lane => (From.Name, Rule, Bytes > 67_108_864);
    }

    private readonly Estate estate;
    private readonly PriceBook prices;
    private readonly List<Pile> piles = [];
    private readonly List<Waiting> queue = [];
    private readonly Dictionary<(Month, string Bucket, string Tier, Charge), (double Quantity, double Amount)> booked = [];
    private readonly Dictionary<(Month, string Bucket, string Tier), double> unitMonths = [];

    private readonly PlainPlans plans;

    private DayLoop(Estate estate) => (this.estate, prices, plans) = (estate, estate.PriceBook, new PlainPlans(estate));

    public static List<ForecastRow> Rows(Estate estate, int months)
    {
        var loop = new DayLoop(estate);
        var end = new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(months);
        loop.Begin();
        for (var day = estate.Today; day < end; day = day.AddDays(1))
            loop.Day(day);
        loop.BookStorage();
        return
        [
            .. loop
                .booked.Where(b => b.Value != default)
                .OrderBy(b => b.Key.Item1.ToString(), StringComparer.Ordinal)
                .ThenBy(b => b.Key.Bucket, StringComparer.Ordinal)
                .ThenBy(b => b.Key.Tier, StringComparer.Ordinal)
                .ThenBy(b => b.Key.Item4.Name(), StringComparer.Ordinal)
                .Select(b => new ForecastRow(
                    b.Key.Item1,
                    b.Key.Bucket,
                    estate.Find(b.Key.Bucket)!.Region,
                    b.Key.Tier,
                    b.Key.Item4,
                    b.Value.Quantity,
                    Units.Of(b.Key.Item4, loop.prices.Unit),
                    b.Value.Amount
                )),
        ];
    }

    /// <summary>What lies where on the morning of <paramref name="day"/>: bytes by bucket, tier and age on that day.</summary>
    public static ILookup<(string Bucket, string Tier), (int Age, double Bytes)> Contents(Estate estate, DateOnly day)
    {
        var loop = new DayLoop(estate);
        loop.Begin();
        for (var d = estate.Today; d < day; d = d.AddDays(1))
            loop.Day(d);
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
        foreach (var run in plans.Begin())
        {
            if (estate.Find(run.Branch.Target.Bucket ?? "") is not { } bucket || run.Left == 0)
                continue;
            var target = run.Branch.Target;
            var came = (run.Cold + run.Hot) / target.PackBytes;
            Add(bucket, target.Prefix, run.Day, target.PackBytes, came * run.Left, bucket.Tier, run.Day);
            (piles[^1].Run, piles[^1].Came, piles[^1].Follows) = (run, came, true);
            // As the steps would have taken them, one after another, until yesterday.
            for (var d = run.Day; d < estate.Today; d = d.AddDays(1))
            {
                if (ColdestStep(piles[^1], d) is { } tier && prices.Coldness(tier) > prices.Coldness(piles[^1].Tier))
                    (piles[^1].Tier, piles[^1].Since, piles[^1].Price) = (tier, d, Price(bucket, tier));
            }
        }
        foreach (var bucket in estate.Buckets)
        {
            for (var i = 0; i < bucket.CopyTo.Count; i++)
            {
                var copy = bucket.CopyTo[i];
                foreach (var lot in copy.Waiting)
                    Send(bucket, i, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count);
                if (!copy.CatchUp)
                    continue;
                foreach (var lot in bucket.Stock.Where(l => Matches(copy, l.Prefix, l.Tags)))
                    Send(bucket, i, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count);
            }
        }
    }

    private static bool Matches(CopyRule copy, string prefix, IReadOnlyDictionary<string, string>? tags) =>
        prefix.StartsWith(copy.Prefix, StringComparison.Ordinal)
        && (copy.Tags ?? new Dictionary<string, string>()).All(t => tags is not null && tags.Contains(t));

    private void Day(DateOnly day)
    {
        foreach (var bucket in estate.Buckets)
        {
            foreach (var stream in bucket.Streams)
            {
                var n = stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, (day.DayNumber - estate.Today.DayNumber) / 365.0);
                Write(bucket, stream.Prefix, day, stream.BytesPerObject, n, day, bucket.Tier);
                for (var i = 0; i < bucket.CopyTo.Count; i++)
                {
                    if (Matches(bucket.CopyTo[i], stream.Prefix, stream.Tags))
                        Send(bucket, i, stream.Prefix, day, stream.BytesPerObject, n);
                }
            }
        }
        foreach (var run in plans.RunOn(day))
        {
            if (estate.Find(run.Branch.Target.Bucket ?? "") is not { } bucket)
                continue;
            var target = run.Branch.Target;
            var objects = (run.Cold + run.Hot) / target.PackBytes;
            if (objects == 0)
                continue;
            Write(bucket, target.Prefix, day, target.PackBytes, objects, day, bucket.Tier);
            (piles[^1].Run, piles[^1].Came, piles[^1].Follows) = (run, objects, true);
            for (var i = 0; i < bucket.CopyTo.Count; i++)
            {
                if (Matches(bucket.CopyTo[i], target.Prefix, null))
                {
                    Send(bucket, i, target.Prefix, day, target.PackBytes, objects);
                    queue[^1].Run = run;
                }
            }
        }
        foreach (var line in queue.GroupBy(w => (w.From.Region, estate.Find(w.From.CopyTo[w.Rule].Bucket)!.Region)).ToList())
            Carry(line.Key.Item1, line.Key.Item2, [.. line], day);
        queue.RemoveAll(w => w.Objects == 0);
        plans.Settle(day);
        foreach (var pile in piles.Where(p => p is { Run: not null, Follows: true }))
        {
            var left = pile.Came * pile.Run!.Left;
            if (pile.Created == day || Kept(pile, day) || left >= pile.Objects)
                continue;
            var stays = left;
            pile.Objects -= stays;
            LeaveEarly(pile, day);
            pile.Objects = stays;
        }
        piles.RemoveAll(p => p is { Run: not null, Objects: 0 });
        piles.RemoveAll(pile =>
        {
            if (!Expires(pile, day))
                return false;
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
            if (pile.Run is null)
                Read(pile, day);
        }
    }

    private void Add(Bucket bucket, string prefix, DateOnly created, long bytes, double objects, string tier, DateOnly since) =>
        piles.Add(
            new Pile
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
            }
        );

    private void Write(Bucket bucket, string prefix, DateOnly created, long bytes, double objects, DateOnly day, string tier)
    {
        Add(bucket, prefix, created, bytes, objects, tier, day);
        Book(day, bucket, tier, Charge.Writes, objects, Price(bucket, tier).Writes.For(objects));
    }

    private void Send(Bucket from, int rule, string prefix, DateOnly created, long bytes, double objects) =>
        queue.Add(
            new Waiting
            {
                From = from,
                Rule = rule,
                Prefix = prefix,
                Created = created,
                Bytes = bytes,
                Objects = objects,
            }
        );

    /// <summary>
    /// A line fills its lanes evenly, like water: every lane that still wants something gets the same, until nothing is left or nobody
    /// wants more.
    /// </summary>
    private void Carry(string from, string to, List<Waiting> waiting, DateOnly day)
    {
        var left =
            prices.Transfers.FirstOrDefault(t => t.From == from && t.To == to)?.MegabitsPerSecond * 1e6 / 8 * 86_400
            ?? double.PositiveInfinity;
        var lanes = waiting.GroupBy(w => w.Lane).Select(l => (Parts: l.ToList(), Want: l.Sum(w => w.Size), Got: new double[1])).ToList();
        while (left > 0.01 && lanes.Any(l => l.Want - l.Got[0] >= 1))
        {
            var open = lanes.Where(l => l.Want - l.Got[0] >= 1).ToList();
            var each = Math.Min(left / open.Count, open.Min(l => l.Want - l.Got[0]));
            foreach (var lane in open)
                lane.Got[0] += each;
            left -= each * open.Count;
        }
        foreach (var (parts, want, got) in lanes)
        {
            // All, when less than a byte would be left.
            var bytes = want - got[0] < 1 ? double.PositiveInfinity : got[0];
            foreach (var part in parts)
            {
                var objects = part.Size <= bytes ? part.Objects : bytes / part.Bytes;
                bytes -= objects * part.Bytes;
                Arrive(part, objects, day);
                part.Objects -= objects;
                if (part.Objects > 0)
                    break;
            }
        }
    }

    private void Arrive(Waiting part, double objects, DateOnly day)
    {
        var rule = part.From.CopyTo[part.Rule];
        var to = estate.Find(rule.Bucket)!;
        Write(to, part.Prefix, part.Created, part.Bytes, objects, day, rule.Tier ?? to.Tier);
        (piles[^1].Run, piles[^1].Came, piles[^1].Follows) = (part.Run, objects, rule.FollowDeletions);
        var units = objects * part.Bytes / prices.Unit.Bytes();
        Book(day, part.From, part.From.Tier, Charge.Transfer, units, prices.TransferPrice(part.From.Region, to.Region).For(units));
    }

    private static bool Expires(Pile pile, DateOnly day) =>
        !Kept(pile, day) && pile.Matching.Any(r => r.ExpireAt <= day.DayNumber - pile.Created.DayNumber);

    private static bool Kept(Pile pile, DateOnly day) => PlainPlans.Keeps(pile.Bucket.Keep, pile.Created, day);

    private string? ColdestStep(Pile pile, DateOnly day)
    {
        var age = day.DayNumber - pile.Created.DayNumber;
        return pile
            .Matching.Where(r => pile.Bytes >= r.SmallestBytes)
            .SelectMany(r => r.Steps)
            .Where(s => s.Age <= age)
            .Select(s => s.Tier)
            .MaxBy(prices.Coldness);
    }

    private void LeaveEarly(Pile pile, DateOnly day)
    {
        var tier = prices.Tiers[prices.Coldness(pile.Tier)];
        var missing = tier.MinimumStayDays - (day.DayNumber - pile.Since.DayNumber);
        if (missing <= 0)
            return;
        var unitMonthsMissing =
            pile.Objects * (Math.Max(pile.Bytes, tier.MinimumObjectBytes) + tier.OverheadBytes) * missing / UnitMonth(day);
        Book(
            day,
            pile.Bucket,
            pile.Tier,
            Charge.EarlyLeave,
            unitMonthsMissing,
            unitMonthsMissing * pile.Price.Storage[0].Price.PerUnit * Factor(pile.Bucket)
        );
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
            if (total == 0)
                continue;
            foreach (var (key, units) in pool)
            {
                var bucket = estate.Find(key.Bucket)!;
                booked[(key.Item1, key.Bucket, key.Tier, Charge.Storage)] = (
                    units,
                    Price(bucket, key.Tier).StorageCost(total) * units / total * Factor(bucket)
                );
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
