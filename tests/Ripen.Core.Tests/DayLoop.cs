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
        public required List<Hold> Holding;
        public required TierPrice Price;

        /// <summary>How many objects were put into it.</summary>
        public double Originals;
        public DateOnly? SupersededOn;
        public DateOnly? ReplacedOn;
        public int? RewriteEvery;
        public DateOnly? KeptUntil;
        public DateOnly LastRead;

        /// <summary>What a plan's run stored, and how many objects of it came here; null for anything else.</summary>
        public PlainPlans.Run? Run;
        public double Came;

        /// <summary>Whether it comes down with what points need.</summary>
        public bool Follows;

        public Pile Copy() => (Pile)MemberwiseClone();
    }

    /// <summary>Objects on their way to another bucket; the list is in the order in which they came.</summary>
    private sealed class Waiting
    {
        public required Bucket From;
        public required int Rule;
        public required string Prefix;
        public IReadOnlyDictionary<string, string>? Tags;
        public required DateOnly Created;
        public required long Bytes;
        public required double Objects;
        public double OriginalsEach = 1;
        public int? RewriteEvery;
        public bool Replaced;
        public PlainPlans.Run? Run;
        public double Size => Objects * Bytes;
        public (string, int, bool) Lane => (From.Name, Rule, Bytes > 67_108_864);
    }

    private readonly Estate estate;
    private PriceBook prices;
    private readonly List<Pile> piles = [];
    private readonly List<Waiting> queue = [];
    private readonly Dictionary<(Month, string Bucket, string Tier, Charge), (double Quantity, double Amount)> booked = [];
    private readonly Dictionary<(Month, string Bucket, string Tier, PriceBook Prices), double> unitMonths = [];

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
        List<ForecastRow> used =
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
        return [.. PlainAgreements.Rows(estate, used, months).Concat(used).OrderBy(r => r.Month.ToString(), StringComparer.Ordinal)];
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
                Add(bucket, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count, lot.Tier, lot.InTierSince, lot.Tags);
                var pile = piles[^1];
                pile.Originals = lot.Originals ?? lot.Count;
                (pile.SupersededOn, pile.ReplacedOn, pile.RewriteEvery) = (lot.SupersededOn, lot.ReplacedOn, lot.RewriteEvery);
                (pile.KeptUntil, pile.LastRead) = (lot.KeptUntil, lot.LastRead ?? lot.Created);
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
                if (ColdestStep(piles[^1], d) is { } step && prices.Coldness(step.Tier) > prices.Coldness(piles[^1].Tier))
                    (piles[^1].Tier, piles[^1].Since, piles[^1].Price) = (step.Tier, d, Price(bucket, step.Tier));
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
                foreach (var lot in bucket.Stock.Where(l => !l.Earlier && Matches(copy, l.Prefix, l.Tags)))
                {
                    Send(bucket, i, lot.Prefix, lot.Created, lot.BytesPerObject, lot.Count);
                    var sent = queue[^1];
                    (sent.Tags, sent.RewriteEvery, sent.Replaced) = (lot.Tags, lot.RewriteEvery, lot.ReplacedOn is not null);
                    sent.OriginalsEach = lot.Count == 0 ? 1 : (lot.Originals ?? lot.Count) / lot.Count;
                }
            }
        }
    }

    private static bool Matches(CopyRule copy, string prefix, IReadOnlyDictionary<string, string>? tags) =>
        Matches(copy.Prefix, copy.Tags, prefix, tags);

    private static bool Matches(
        string wantedPrefix,
        IReadOnlyDictionary<string, string>? wantedTags,
        string prefix,
        IReadOnlyDictionary<string, string>? tags
    ) =>
        prefix.StartsWith(wantedPrefix, StringComparison.Ordinal)
        && (wantedTags ?? new Dictionary<string, string>()).All(t => tags is not null && tags.Contains(t));

    private void Day(DateOnly day)
    {
        foreach (var change in estate.PriceBook.Changes.Where(c => c.From == day))
            Change(change);
        foreach (var bucket in estate.Buckets)
        {
            foreach (var stream in bucket.Streams)
            {
                var n = stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, (day.DayNumber - estate.Today.DayNumber) / 365.0);
                Write(bucket, stream.Prefix, day, stream.BytesPerObject, n, day, bucket.Tier, stream.Tags);
                if (stream.ReplacedAfterDays is { } every)
                    (piles[^1].ReplacedOn, piles[^1].RewriteEvery) = (day.AddDays(every), every);
                for (var i = 0; i < bucket.CopyTo.Count; i++)
                {
                    if (!Matches(bucket.CopyTo[i], stream.Prefix, stream.Tags))
                        continue;
                    Send(bucket, i, stream.Prefix, day, stream.BytesPerObject, n);
                    var sent = queue[^1];
                    (sent.Tags, sent.RewriteEvery, sent.Replaced) = (stream.Tags, stream.ReplacedAfterDays, stream.ReplacedAfterDays > 0);
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
        foreach (var pile in piles.Where(p => p.ReplacedOn <= day && p.SupersededOn is null && p.Bucket.Versioning))
            pile.SupersededOn = day;
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
            if (!Goes(pile, day))
                return false;
            LeaveEarly(pile, day);
            return true;
        });
        var read = new List<Pile>();
        foreach (var pile in piles)
        {
            if (ColdestStep(pile, day) is { } step && prices.Coldness(step.Tier) > prices.Coldness(pile.Tier))
                Move(pile, step, day);
            Rest(pile, day);
            if (pile.Run is null && pile.SupersededOn is null)
                Read(pile, day, read);
        }
        piles.AddRange(read);
        piles.RemoveAll(p => p is { Objects: 0, Originals: 0 });
        Merge(day);
    }

    /// <summary>Piles that differ in nothing any more are one: otherwise reading would double them every day.</summary>
    private void Merge(DateOnly day)
    {
        static bool Divides(Pile p) => p.Run is null && p.Matching.Any(r => r.WatchesReading);
        var merged = piles.Where(Divides).ToList();
        piles.RemoveAll(Divides);
        foreach (
            var alike in merged.GroupBy(p =>
                (
                    (p.Bucket, p.Prefix, p.Created, p.Bytes, p.Tier, p.SupersededOn, p.ReplacedOn),
                    (p.RewriteEvery, p.KeptUntil, LastRead(p), Math.Round(p.Originals / p.Objects, 9), p.Matching, p.Holding),
                    // What a minimum stay ago is as good as long ago.
                    day.DayNumber - p.Since.DayNumber
                    > prices.Tiers[prices.Coldness(p.Tier)].MinimumStayDays
                        ? DateOnly.MinValue
                        : p.Since
                )
            )
        )
        {
            var first = alike.First();
            (first.Objects, first.Originals) = (alike.Sum(p => p.Objects), alike.Sum(p => p.Originals));
            piles.Add(first);
        }
    }

    /// <summary>When they were last read, where a colder step looks at that.</summary>
    private DateOnly LastRead(Pile pile) =>
        pile.Matching.SelectMany(r => r.Steps).Any(s => s.Clock == StepClock.Read && prices.Coldness(s.Tier) > prices.Coldness(pile.Tier))
            ? pile.LastRead
            : pile.Created;

    private void Move(Pile pile, Step step, DateOnly day)
    {
        LeaveEarly(pile, day);
        var left = (pile.Tier, pile.Price);
        (pile.Tier, pile.Since, pile.Price) = (step.Tier, day, Price(pile.Bucket, step.Tier));
        if (pile.Run is null && step.BundleTo > pile.Bytes)
        {
            Book(day, pile.Bucket, left.Tier, Charge.Reads, pile.Objects, left.Price.Reads.For(pile.Objects));
            (pile.Objects, pile.Bytes) = (pile.Objects * pile.Bytes / step.BundleTo.Value, step.BundleTo.Value);
            Book(day, pile.Bucket, step.Tier, Charge.Writes, pile.Objects, pile.Price.Writes.For(pile.Objects));
            return;
        }
        Book(day, pile.Bucket, step.Tier, Charge.Moves, pile.Objects, pile.Price.MovesIn.For(pile.Objects));
    }

    private void Add(
        Bucket bucket,
        string prefix,
        DateOnly created,
        long bytes,
        double objects,
        string tier,
        DateOnly since,
        IReadOnlyDictionary<string, string>? tags = null
    ) =>
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
                Matching = Alike(bucket, prefix, tags).Matching,
                Holding = Alike(bucket, prefix, tags).Holding,
                Price = Price(bucket, tier),
                Originals = objects,
                LastRead = created,
            }
        );

    private readonly Dictionary<(Bucket, string, string?), (List<LifecycleRule> Matching, List<Hold> Holding)> alike = [];

    private (List<LifecycleRule> Matching, List<Hold> Holding) Alike(
        Bucket bucket,
        string prefix,
        IReadOnlyDictionary<string, string>? tags
    )
    {
        var key = (bucket, prefix, tags is null ? null : string.Join(',', tags.OrderBy(t => t.Key).Select(t => $"{t.Key}={t.Value}")));
        if (!alike.TryGetValue(key, out var found))
        {
            alike[key] = found = (
                [.. bucket.Rules.Where(r => Matches(r.Prefix, r.Tags, prefix, tags))],
                [.. bucket.Holds.Where(h => Matches(h.Prefix, h.Tags, prefix, tags))]
            );
        }
        return found;
    }

    private void Write(
        Bucket bucket,
        string prefix,
        DateOnly created,
        long bytes,
        double objects,
        DateOnly day,
        string tier,
        IReadOnlyDictionary<string, string>? tags = null
    )
    {
        Add(bucket, prefix, created, bytes, objects, tier, day, tags);
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
        Write(to, part.Prefix, part.Created, part.Bytes, objects, day, rule.Tier ?? to.Tier, part.Tags);
        piles[^1].Originals = objects * part.OriginalsEach;
        piles[^1].RewriteEvery = part.RewriteEvery;
        if (part.Replaced)
            piles[^1].ReplacedOn = day.AddDays(part.RewriteEvery!.Value);
        (piles[^1].Run, piles[^1].Came, piles[^1].Follows) = (part.Run, objects, rule.FollowDeletions);
        var units = objects * part.Bytes / prices.Unit.Bytes();
        Book(day, part.From, part.From.Tier, Charge.Transfer, units, prices.TransferPrice(part.From.Region, to.Region).For(units));
    }

    /// <summary>Whether it goes for good; what expires in a bucket with versions becomes an earlier version here.</summary>
    private static bool Goes(Pile pile, DateOnly day)
    {
        if (pile.SupersededOn is { } on)
        {
            var age = day.DayNumber - on.DayNumber;
            return on < day
                && !Kept(pile, day)
                && pile.Matching.Any(r => r.Applies == VersionKind.Earlier && r.ExpireAt <= age && !IsSpared(r.KeepNewest, pile, age));
        }
        var over = pile.Matching.Any(r => r.Applies == VersionKind.Current && r.ExpireAt <= day.DayNumber - pile.Created.DayNumber);
        if (!pile.Bucket.Versioning)
            return (over || pile.ReplacedOn <= day) && !Kept(pile, day);
        if (over)
            pile.SupersededOn = day;
        return false;
    }

    private static bool IsSpared(int newest, Pile pile, int age) => pile.RewriteEvery is { } every ? age / every < newest : newest >= 1;

    private static bool Kept(Pile pile, DateOnly day) =>
        PlainPlans.Keeps(pile.Bucket.Keep, pile.Created, day)
        || day < pile.KeptUntil
        || pile.Holding.Any(h => h.Placed <= day && !(h.Released <= day));

    private Step? ColdestStep(Pile pile, DateOnly day)
    {
        Step? coldest = null;
        foreach (var rule in pile.Matching)
        {
            if (rule.Applies == VersionKind.Earlier != pile.SupersededOn is not null)
                continue;
            if (pile.Bytes < rule.SmallestBytes || pile.Bytes > rule.LargestBytes)
                continue;
            foreach (var step in rule.Steps)
            {
                var from = pile.SupersededOn ?? (step.Clock == StepClock.Read ? pile.LastRead : pile.Created);
                if (day.DayNumber - from.DayNumber < step.Age)
                    continue;
                if (coldest is null || prices.Coldness(step.Tier) > prices.Coldness(coldest.Tier))
                    coldest = step;
            }
        }
        return coldest;
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
        if (pile.SupersededOn is not null || !Watching(pile).Any())
            return;
        var days = prices.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(day.Year, day.Month);
        Book(day, pile.Bucket, pile.Tier, Charge.Watching, pile.Objects / days, pile.Price.Watching.For(pile.Objects / days));
    }

    private static IEnumerable<LifecycleRule> Watching(Pile pile) =>
        pile.Matching.Where(r =>
            r.Steps.Any(s => s.Clock == StepClock.Read) && pile.Bytes >= r.SmallestBytes && !(pile.Bytes > r.LargestBytes)
        );

    private void Read(Pile pile, DateOnly day, List<Pile> read)
    {
        var age = day.DayNumber - pile.Created.DayNumber;
        var share = pile.Bucket.Reads.LastOrDefault(r => r.FromAge <= age)?.ShareOfObjectsPerDay ?? 0;
        var requests = share * pile.Originals;
        var units = share * pile.Objects * pile.Bytes / prices.Unit.Bytes();
        var price = pile.Price;
        Book(day, pile.Bucket, pile.Tier, Charge.Reads, requests, price.Reads.For(requests));
        Book(day, pile.Bucket, pile.Tier, Charge.Recall, units, price.RecallRequests.For(requests) + price.Recall.For(units));
        var watching = Watching(pile).ToList();
        if (share == 0 || watching.Count == 0)
            return;
        var chance = 1 - Math.Exp(-share);
        var part = pile.Copy();
        (part.Objects, part.Originals, part.LastRead) = (pile.Objects * chance, pile.Originals * chance, day);
        pile.Objects -= part.Objects;
        pile.Originals -= part.Originals;
        var landing = pile.Bucket.Tier;
        if (watching.Any(r => r.BackOnRead) && prices.Coldness(part.Tier) > prices.Coldness(landing))
        {
            LeaveEarly(part, day);
            (part.Tier, part.Since, part.Price) = (landing, day, Price(pile.Bucket, landing));
            Book(day, pile.Bucket, landing, Charge.Moves, part.Objects, part.Price.MovesIn.For(part.Objects));
        }
        read.Add(part);
    }

    private void Change(PriceChange change)
    {
        prices = prices with
        {
            Regions =
            [
                .. prices.Regions.Select(r =>
                    r with
                    {
                        Prices =
                        [
                            .. r.Prices.Select(p =>
                                change.Regions.Where(c => c.Id == r.Id).SelectMany(c => c.Prices).SingleOrDefault(c => c.Tier == p.Tier)
                                ?? p
                            ),
                        ],
                    }
                ),
            ],
            Transfers =
            [
                .. prices.Transfers.Select(t =>
                    t with
                    {
                        Price = change.Transfers.SingleOrDefault(c => c.From == t.From && c.To == t.To)?.Price ?? t.Price,
                    }
                ),
            ],
        };
        foreach (var pile in piles)
            pile.Price = Price(pile.Bucket, pile.Tier);
    }

    /// <summary>What a month's whole quantity costs by the prices of each of its days, and of that the part that the day has.</summary>
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
                var price = key.Prices.FindRegion(bucket.Region)!.PriceOf(key.Tier)!;
                var at = (key.Item1, key.Bucket, key.Tier, Charge.Storage);
                var (quantity, amount) = booked.GetValueOrDefault(at);
                booked[at] = (quantity + units, amount + (price.StorageCost(total) * units / total * Factor(bucket)));
            }
        }
    }

    private void Store(DateOnly day, Bucket bucket, string tier, double bytes)
    {
        var key = (Month.Of(day), bucket.Name, tier, prices);
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
