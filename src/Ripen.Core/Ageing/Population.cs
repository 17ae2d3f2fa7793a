using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Ageing;

/// <summary>Objects of one kind that share their lives.</summary>
/// <param name="Cohorts">By day of creation.</param>
/// <param name="Kind">Of each, as they came.</param>
/// <param name="Lifecycle">What rules do to them.</param>
/// <param name="Writing">How they come to be written during the projection; null for stock, which is there already.</param>
/// <param name="Lives">What becomes of them; empty where that depends on who reads them.</param>
/// <param name="Read">What becomes of them where that depends on who reads them; otherwise null.</param>
internal sealed record Population(
    Cohorts Cohorts,
    ObjectKind Kind,
    Lifecycle Lifecycle,
    Writing? Writing,
    IReadOnlyList<Life> Lives,
    ReadPopulation? Read
)
{
    /// <summary>
    /// Everything that lies or will arrive in <paramref name="bucket"/> within <paramref name="days"/> days: its stock and streams, and the
    /// copies of others' that are in their rule's scope. Copies of copies are not among them: copies do not travel further.
    /// </summary>
    public static IEnumerable<Population> Of(
        Bucket bucket,
        IReadOnlyList<IncomingCopy> incoming,
        PriceBook prices,
        DateOnly today,
        int days,
        GrowthTable.Shelf growth,
        KnownLives? known = null
    )
    {
        (ObjectKind Kind, DateOnly? Own, Lifecycle Lifecycle)? before = null;
        var watched = new Dictionary<Watched, List<(Standing Standing, double Count, double OriginalsEach)>>();
        foreach (var lot in bucket.Stock)
        {
            var created = lot.Created.DayNumber - today.DayNumber;
            var standing = Of(lot, prices, today);
            if (lot.Count > 0 && ReadPopulation.Matters(LifecycleOf(lot.Kind, lot.KeptUntil), bucket.Reads, standing))
                Add(
                    watched,
                    new(Rounded(lot.Kind), TagText.Write(lot.Tags), created, standing.ReplacedAt, lot.KeptUntil),
                    (standing, lot.Count, lot.Kind.OriginalsPerObject)
                );
            else
                yield return Alike(Cohorts.Lot(created, lot.Count), lot.Kind, standing, writing: null, lot.KeptUntil);
        }
        foreach (var (alike, parts) in watched)
        {
            var count = parts.Sum(p => p.Count);
            var originals = parts.Sum(p => p.Count * p.OriginalsEach) / count;
            var kind = alike.Kind with { Tags = TagText.Read(alike.Tags), OriginalsPerObject = originals };
            yield return ReadBy(
                LifecycleOf(kind, alike.KeptUntil),
                Cohorts.Lot(alike.Created, count),
                kind,
                writing: null,
                [.. parts.Select(p => (p.Standing, p.Count / count))]
            );
        }
        foreach (var stream in bucket.Streams)
            yield return Stream(stream, 0, days, prices.Coldness(bucket.Tier));
        foreach (var (from, rule, flow) in incoming)
        {
            var landing = prices.Coldness(rule.Tier ?? bucket.Tier);
            if (flow is not null)
            {
                foreach (var run in flow.SameDay)
                    yield return Stream(run.Stream, run.First, run.End, landing);
                // What plans store lives by itself.
                foreach (var copies in flow.Dated.Where(c => c.Packs is null))
                    yield return Arriving(copies, landing);
                continue;
            }
            foreach (var stream in from.Streams.Where(s => rule.Scope.Takes(s.Prefix, s.Tags)))
                yield return Stream(stream, 0, days, landing);
            // Without a limit, what waited and what is caught up arrives today.
            foreach (var copies in rule.ToCopyToday(from, today))
                yield return Arriving(copies, landing);
        }

        Population Arriving(DatedCopies copies, int landing)
        {
            var age = copies.Arrived - copies.Created;
            var standing = new Standing(age, landing, age, null, age + (copies.Kind.ReplacedAfter ?? Lifecycle.Never));
            return Alike(Cohorts.Lot(copies.Created, copies.Objects), copies.Kind, standing, new Writing(landing, copies.Arrived));
        }

        Population Stream(ObjectStream stream, int first, int end, int landing)
        {
            var cohorts = Cohorts.Stream(stream.ObjectsPerDay, growth.For(stream.YearlyGrowth), days).Between(first, end);
            var standing = new Standing(0, landing, 0, null, stream.ReplacedAfterDays ?? Lifecycle.Never);
            return Alike(cohorts, stream.Kind, standing, new Writing(landing, null));
        }

        Population Alike(Cohorts cohorts, ObjectKind kind, Standing standing, Writing? writing, DateOnly? own = null)
        {
            var lifecycle = LifecycleOf(kind, own);
            return ReadPopulation.Matters(lifecycle, bucket.Reads, standing)
                ? ReadBy(lifecycle, cohorts, kind, writing, [(standing, 1)])
                : new(cohorts, kind, lifecycle, writing, [.. Life.Of(lifecycle, cohorts, standing)], null);
        }

        Population ReadBy(
            Lifecycle lifecycle,
            Cohorts cohorts,
            ObjectKind kind,
            Writing? writing,
            IReadOnlyList<(Standing Standing, double Share)> parts
        ) =>
            new(
                cohorts,
                kind,
                lifecycle,
                writing,
                [],
                ReadPopulation.Of(bucket, lifecycle, cohorts, parts, prices, days, writing is null ? null : known)
            );

        // Most lots are like the one before.
        Lifecycle LifecycleOf(ObjectKind kind, DateOnly? own)
        {
            if (before is { } known && known.Kind == kind && known.Own == own)
                return known.Lifecycle;
            var lifecycle = Lifecycle.Of(bucket, kind, prices, today, own);
            before = (kind, own, lifecycle);
            return lifecycle;
        }
    }

    /// <summary>Lots that differ in nothing but their tier and when they were last read: one mixture of histories, walked through once.</summary>
    private readonly record struct Watched(ObjectKind Kind, string? Tags, int Created, int ReplacedAt, DateOnly? KeptUntil);

    /// <summary>Bundles of one making differ in the last digit of how many are in each.</summary>
    private static ObjectKind Rounded(ObjectKind kind) =>
        kind with
        {
            Tags = null,
            OriginalsPerObject = kind.OriginalsPerObject == 1 ? 1 : (double)(float)kind.OriginalsPerObject,
        };

    private static void Add(
        Dictionary<Watched, List<(Standing, double, double)>> to,
        Watched alike,
        (Standing Standing, double Count, double OriginalsEach) part
    )
    {
        if (!to.TryGetValue(alike, out var parts))
            to[alike] = parts = [];
        parts.Add(part);
    }

    private static Standing Of(Lot lot, PriceBook prices, DateOnly today)
    {
        return new(
            today.DayNumber - lot.Created.DayNumber,
            prices.Coldness(lot.Tier),
            Age(lot.InTierSince),
            lot.Earlier ? Age(lot.SupersededOn!.Value) : null,
            lot.ReplacedOn is { } on ? Age(on) : Lifecycle.Never,
            Age(lot.LastRead ?? lot.Created)
        );

        int Age(DateOnly day) => day.DayNumber - lot.Created.DayNumber;
    }
}

/// <summary>Objects are written in the tier of this coldness, all on one day or, when that is null, each on its day of creation.</summary>
internal readonly record struct Writing(int Tier, int? On);

/// <summary>Objects whose lives depend on who reads them, by how they end: at an age, or together on a day.</summary>
internal sealed record ReadPopulation(ReadLife Life, IReadOnlyList<(Cohorts Cohorts, int EndsAt, int GoneOn)> Parts)
{
    public static bool Matters(Lifecycle lifecycle, IReadOnlyList<ReadBand> reads, Standing standing) =>
        lifecycle.WatchesReading && standing.Superseded is null && reads.Any(r => r.ShareOfObjectsPerDay > 0);

    /// <summary>Of parts that have one age and are overwritten at one.</summary>
    /// <param name="bucket">Where they lie.</param>
    /// <param name="lifecycle">Of the objects.</param>
    /// <param name="cohorts">By day of creation.</param>
    /// <param name="parts">How they stand, and what share of them does.</param>
    /// <param name="prices">For the tiers.</param>
    /// <param name="days">How far to look.</param>
    /// <param name="known">Of what arrives alike in another computation.</param>
    public static ReadPopulation Of(
        Bucket bucket,
        Lifecycle lifecycle,
        Cohorts cohorts,
        IReadOnlyList<(Standing Standing, double Share)> parts,
        PriceBook prices,
        int days,
        KnownLives? known
    )
    {
        var first = parts[0].Standing;
        var ends = Ageing.Life.Parted(lifecycle, cohorts, first).ToList();
        var oldest = ends.Select(p => Math.Min(days - p.Cohorts.First, p.EndsAt + 1)).DefaultIfEmpty(0).Max();
        var ages = Math.Max(oldest - first.Age, 1);
        return new(known?.Of(lifecycle.Kind, first, ages, Tell) ?? Tell(), ends);

        ReadLife Tell() => new(lifecycle, bucket.Reads, prices, prices.Coldness(bucket.Tier), parts, ages);
    }

    /// <summary>How many objects there are of each age on the days [p, q), resting (or moving), and how many are removed then.</summary>
    /// <param name="p">The first day.</param>
    /// <param name="q">The day after the last.</param>
    /// <param name="there">Takes the first; cleared before.</param>
    /// <param name="gone">Takes the second; cleared before.</param>
    public void Weigh(int p, int q, AgeWeights there, AgeWeights gone)
    {
        there.Clear();
        gone.Clear();
        foreach (var (cohorts, endsAt, goneOn) in Parts)
        {
            var oldest = Math.Min(q - 1 - cohorts.First, Life.FirstAge + Life.Ages - 1);
            for (var age = Math.Max(p - cohorts.End + 1, Life.FirstAge); age <= oldest && age <= endsAt; age++)
            {
                if (age < endsAt)
                    there.Add(age - Life.FirstAge, cohorts.Count(p - age, Math.Min(q, goneOn) - age));
                else
                    gone.Add(age - Life.FirstAge, cohorts.Count(p - age, q - age));
            }
            if (p > goneOn || goneOn >= q)
                continue;
            oldest = Math.Min(goneOn - cohorts.First, Life.FirstAge + Life.Ages - 1);
            for (var age = Math.Max(goneOn - cohorts.End + 1, Life.FirstAge); age <= oldest; age++)
                gone.Add(age - Life.FirstAge, cohorts.Count(goneOn - age, goneOn - age + 1));
        }
    }
}

/// <summary>A number for each age of a life, most of them 0 outside one range.</summary>
internal sealed class AgeWeights(int ages)
{
    private readonly double[] weights = new double[ages];
    private int first = ages;
    private int end;

    public double this[int age] => weights[age];

    public bool IsEmpty => end <= first;

    /// <summary>The ages that may have one, and the first behind them.</summary>
    public (int First, int End) Range => (Math.Min(first, end), end);

    public void Add(int age, double weight)
    {
        if (weight == 0)
            return;
        weights[age] += weight;
        (first, end) = (Math.Min(first, age), Math.Max(end, age + 1));
    }

    public void Clear()
    {
        if (end > first)
            Array.Clear(weights, first, end - first);
        (first, end) = (weights.Length, 0);
    }

    /// <summary>The sum of amounts by age, weighted; none of an empty list.</summary>
    public double Dot(ReadOnlySpan<double> amounts)
    {
        var to = Math.Min(end, amounts.Length);
        return to <= first ? 0 : Sums.Dot(amounts[first..to], weights.AsSpan(first..to));
    }
}
