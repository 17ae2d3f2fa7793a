using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Ageing;

/// <summary>What is counted in a bucket by stretch and tier; money comes later.</summary>
public enum Measure
{
    /// <summary>Billed bytes × days at rest, an object's index in the landing tier included.</summary>
    StoredByteDays,

    /// <summary>Billed bytes × days short of the minimum stay, in the tier left.</summary>
    EarlyLeaveByteDays,

    /// <summary>Objects written: in the landing tier, bundles in the tier moved to.</summary>
    Writes,

    /// <summary>Objects moved, in the tier moved to.</summary>
    Moves,

    /// <summary>Objects read, where they rest.</summary>
    Reads,

    /// <summary>Bytes read, where they rest.</summary>
    ReadBytes,

    /// <summary>Objects read to be bundled, in the tier left: no recall is charged for them.</summary>
    BundleReads,

    /// <summary>Object-days watched for reading, where they rest.</summary>
    WatchedObjectDays,

    /// <summary>Bytes (as they are, not as billed) at rest on a stretch's last day.</summary>
    BytesAtEnd,
}

/// <summary>
/// What one bucket uses in every stretch of a calendar: the sum, over everything in it, of what <c>model.md</c> section 3 counts day by day.
/// Computed from the lives of objects in O(stretches × stays) for each lot and stream, without a loop over days.
/// </summary>
public sealed class BucketUsage
{
    private readonly UsageRows rows;
    private readonly BillingCalendar calendar;

    private BucketUsage(Bucket bucket, BillingCalendar calendar, UsageRows rows)
    {
        Bucket = bucket;
        this.calendar = calendar;
        this.rows = rows;
        SentBytes = new double[bucket.CopyTo.Count][];
    }

    public Bucket Bucket { get; }

    /// <summary>Bytes sent by stretch, for each of the bucket's copy rules.</summary>
    public double[][] SentBytes { get; }

    /// <summary>Bytes that came from local arrays, by stretch, and from which region.</summary>
    public IReadOnlyList<(string Region, double[] Bytes)> Received { get; private set; } = [];

    /// <summary>One number for each stretch of the calendar, for the tier of this coldness.</summary>
    public ReadOnlySpan<double> Of(int tier, Measure measure) => rows.Of(tier, measure);

    /// <summary>Whether anything is counted in the tier of this coldness, in whatever stretch.</summary>
    public bool Uses(int tier) => rows.Has(tier);

    /// <summary>The number of one stretch.</summary>
    public double At(int tier, Measure measure, int stretch) => rows.At(tier, measure, stretch);

    /// <summary>Bytes, as they are, in the tier of this coldness on a month's last day.</summary>
    public double BytesAtEnd(int tier, int month) => At(tier, Measure.BytesAtEnd, calendar.First(month + 1) - 1);

    internal static BucketUsage Compute(
        Bucket bucket,
        IncomingCopies copies,
        PriceBook prices,
        BillingCalendar calendar,
        GrowthTable.Shelf growth,
        KnownLives? known = null
    )
    {
        var usage = new BucketUsage(bucket, calendar, new UsageRows(prices.Tiers.Count, calendar));
        var landing = prices.Coldness(bucket.Tier);
        foreach (var population in Population.Of(bucket, copies.Into(bucket.Name), prices, calendar.Today, calendar.Days, growth, known))
        {
            if (population.Writing is { } writing)
                usage.AddWrites(population, writing);
            foreach (var life in population.Lives)
            {
                for (var i = 0; i < life.Stays.Length; i++)
                {
                    var tier = prices.Tiers[life.Stays[i].Tier];
                    usage.AddRest(life, i, population.Kind, tier, landing);
                    usage.AddEventsAndEnd(life, i, tier);
                }
            }
            if (population.Read is { } read)
                usage.AddRead(read, prices, landing);
        }
        var timed = 0;
        foreach (var packs in PacksInBucket.Of(bucket, copies, prices, calendar.Today))
        {
            // Those that are told by times alone are the same ones, in the same order, however much is stored.
            var lives = known is not null && packs.ByTimesAlone ? known.Of(timed++, Tell) : Tell();
            lives.AddTo(usage.rows, packs.Branches);

            PackUsage Tell() => new(calendar, prices, landing, packs);
        }
        foreach (var recalled in bucket.Recalled)
            usage.AddRecalled(recalled, prices);
        foreach (var parts in bucket.Unfinished)
            usage.AddUnfinished(parts, prices.Tiers[landing], landing);
        for (var i = 0; i < bucket.CopyTo.Count; i++)
            usage.SentBytes[i] = Sent(bucket, i, copies, calendar, growth);
        usage.Received = [.. copies.ArraysInto(bucket.Name).Select(a => (a.Region, Bytes(a.Copy.Flow!.SameDay, calendar)))];
        return usage;
    }

    /// <summary>Adds so many times what another usage of the bucket counts.</summary>
    internal void Add(BucketUsage other, double times)
    {
        rows.Add(other.rows, times);
        for (var i = 0; i < SentBytes.Length; i++)
            Sums.Add(other.SentBytes[i], times, SentBytes[i]);
        for (var i = 0; i < Received.Count; i++)
            Sums.Add(other.Received[i].Bytes, times, Received[i].Bytes);
    }

    /// <summary>The same when nobody reads, of a bucket whose rules do not look at reading.</summary>
    internal BucketUsage Unread()
    {
        var usage = new BucketUsage(Bucket, calendar, rows.Without(Measure.Reads, Measure.ReadBytes)) { Received = Received };
        SentBytes.CopyTo(usage.SentBytes);
        return usage;
    }

    private Span<double> Row(int tier, Measure measure) => rows.Filled(tier, measure);

    private void AddWrites(Population population, Writing writing)
    {
        var writes = Row(writing.Tier, Measure.Writes);
        if (writing.On is { } day)
        {
            if (day < calendar.Days)
                writes[calendar.StretchOf(day)] += population.Cohorts.Count(population.Cohorts.First, population.Cohorts.End);
            return;
        }
        for (var m = 0; m < calendar.Stretches; m++)
            writes[m] += population.Cohorts.Count(calendar.Start(m), calendar.Start(m + 1));
    }

    /// <summary>Copies rest beside what they are of, which is counted where it lies.</summary>
    private void AddRecalled(RecalledLot copies, PriceBook prices)
    {
        var tier = prices.Coldness(copies.Tier);
        var (from, to) = (Math.Max(0, Day(copies.From)), Math.Min(calendar.Days, Day(copies.Until)));
        AddFixed(Row(tier, Measure.StoredByteDays), copies.Objects * prices.Tiers[tier].BilledBytes(copies.BytesPerObject), from, to);
    }

    /// <summary>Parts of uploads lie where objects land, until the bucket's rule removes them or for as long as anybody looks ahead.</summary>
    private void AddUnfinished(UnfinishedLot parts, Tier tier, int landing)
    {
        var to = parts.Until(Bucket) is { } until ? Math.Min(calendar.Days, Day(until)) : calendar.Days;
        AddFixed(Row(landing, Measure.StoredByteDays), parts.Parts * (tier.BilledBytes(parts.BytesPerPart) + tier.IndexBytes), 0, to);
    }

    private int Day(DateOnly day) => day.DayNumber - calendar.Today.DayNumber;

    private void AddFixed(Span<double> stored, double bytes, int from, int to)
    {
        for (var m = calendar.StretchOf(from); m < calendar.Stretches && calendar.Start(m) < to; m++)
            stored[m] += bytes * Math.Max(0, Math.Min(to, calendar.Start(m + 1)) - Math.Max(from, calendar.Start(m)));
    }

    private void AddRest(Life life, int i, ObjectKind kind, Tier tier, int landing)
    {
        var stay = life.Stays[i];
        if (stay.To == stay.From)
            return;
        var stored = Row(stay.Tier, Measure.StoredByteDays);
        var index = tier.IndexBytes > 0 ? Row(landing, Measure.StoredByteDays) : [];
        var watched = stay.IsWatched ? Row(stay.Tier, Measure.WatchedObjectDays) : [];
        var billedBytes = stay.Form.Count * tier.BilledBytes(stay.Form.BytesPerObject);
        var indexBytes = stay.Form.Count * tier.IndexBytes;
        foreach (var (from, to, share) in ReadAges(stay.IsEarlier ? [] : Bucket.Reads, stay))
        {
            var (first, last) = Stretches(life.Cohorts.First + from, Math.Min(life.Cohorts.End + to, life.GoneOn));
            var reads = share > 0 ? Row(stay.Tier, Measure.Reads) : [];
            var readBytes = share > 0 ? Row(stay.Tier, Measure.ReadBytes) : [];
            for (var m = first; m <= last; m++)
            {
                var objectDays = life.ObjectDays(i, from, to, calendar.Start(m), calendar.Start(m + 1));
                stored[m] += objectDays * billedBytes;
                if (tier.IndexBytes > 0)
                    index[m] += objectDays * indexBytes;
                if (share > 0)
                {
                    reads[m] += objectDays * share * kind.OriginalsPerObject;
                    readBytes[m] += objectDays * share * kind.BytesPerObject;
                }
                if (stay.IsWatched)
                    watched[m] += objectDays * stay.Form.Count;
            }
        }
    }

    private void AddEventsAndEnd(Life life, int i, Tier tier)
    {
        var stay = life.Stays[i];
        var (first, last) = Stretches(life.Cohorts.First + stay.From, Math.Min(life.Cohorts.End + stay.To, life.GoneOn + 1));
        var atEnd = Row(stay.Tier, Measure.BytesAtEnd);
        var next = i + 1 < life.Stays.Length ? life.Stays[i + 1] : stay;
        var bundles = next.Form != stay.Form;
        var moves = life.MovesOn(i) ? Row(next.Tier, bundles ? Measure.Writes : Measure.Moves) : [];
        var bundled = bundles ? Row(stay.Tier, Measure.BundleReads) : [];
        var early = tier.MinimumStayDays > 0 ? Row(stay.Tier, Measure.EarlyLeaveByteDays) : [];
        var billedBytes = stay.Form.Count * tier.BilledBytes(stay.Form.BytesPerObject);
        for (var m = first; m <= last; m++)
        {
            var (p, q) = (calendar.Start(m), calendar.Start(m + 1));
            atEnd[m] += life.Resting(i, q - 1) * stay.Form.Count * stay.Form.BytesPerObject;
            if (life.MovesOn(i))
            {
                var moved = life.MovesOn(i, p, q);
                moves[m] += moved * next.Form.Count;
                if (bundles)
                    bundled[m] += moved * stay.Form.Count;
            }
            if (tier.MinimumStayDays > 0)
                early[m] += life.ShortOfMinimum(i, tier, p, q) * billedBytes;
        }
    }

    /// <summary>What each age brings, times the objects that are of that age on the days of each stretch.</summary>
    private void AddRead(ReadPopulation population, PriceBook prices, int landing)
    {
        var ages = population.Life.Ages;
        var (there, gone, last, none) = (new AgeWeights(ages), new AgeWeights(ages), new AgeWeights(ages), new AgeWeights(ages));
        for (var m = 0; m < calendar.Stretches; m++)
        {
            var q = calendar.Start(m + 1);
            population.Weigh(calendar.Start(m), q, there, gone);
            population.Weigh(q - 1, q, last, none);
            if (there.IsEmpty && gone.IsEmpty)
                continue;
            for (var tier = 0; tier < prices.Tiers.Count; tier++)
            {
                double Sum(AgeEvent what, AgeWeights weights) => weights.Dot(population.Life.Of(tier, what));
                rows.Add(tier, Measure.StoredByteDays, m, Sum(AgeEvent.BilledBytes, there));
                rows.Add(landing, Measure.StoredByteDays, m, Sum(AgeEvent.Objects, there) * prices.Tiers[tier].IndexBytes);
                rows.Add(tier, Measure.WatchedObjectDays, m, Sum(AgeEvent.Watched, there));
                rows.Add(tier, Measure.Reads, m, Sum(AgeEvent.Reads, there));
                rows.Add(tier, Measure.ReadBytes, m, Sum(AgeEvent.ReadBytes, there));
                rows.Add(tier, Measure.Moves, m, Sum(AgeEvent.Moves, there));
                rows.Add(tier, Measure.Writes, m, Sum(AgeEvent.BundleWrites, there));
                rows.Add(tier, Measure.BundleReads, m, Sum(AgeEvent.BundleReads, there));
                rows.Add(tier, Measure.EarlyLeaveByteDays, m, Sum(AgeEvent.Early, there) + Sum(AgeEvent.EarlyIfGone, gone));
                rows.Add(tier, Measure.BytesAtEnd, m, Sum(AgeEvent.Bytes, last));
            }
        }
    }

    /// <summary>The stretches that hold the days from <paramref name="from"/> to <paramref name="to"/>; none when all lie beyond the
    /// calendar.</summary>
    private (int First, int Last) Stretches(int from, int to) =>
        from >= calendar.Days ? (0, -1) : (calendar.StretchOf(from), calendar.StretchOf(to));

    /// <summary>The ages of a stay, cut where the reading habit changes.</summary>
    private static IEnumerable<(int From, int To, double Share)> ReadAges(IReadOnlyList<ReadBand> reads, Stay stay)
    {
        var from = stay.From;
        var share = 0.0;
        foreach (var band in reads)
        {
            if (band.FromAge >= stay.To)
                break;
            if (band.FromAge > from)
            {
                yield return (from, band.FromAge, share);
                from = band.FromAge;
            }
            share = band.ShareOfObjectsPerDay;
        }
        yield return (from, stay.To, share);
    }

    private static double[] Bytes(IEnumerable<SameDayCopies> arrivals, BillingCalendar calendar)
    {
        var bytes = new double[calendar.Stretches];
        foreach (var (stream, day, _) in arrivals)
            bytes[calendar.StretchOf(day)] += stream.ObjectsPerDay * stream.BytesPerObject;
        return bytes;
    }

    private static double[] Sent(Bucket bucket, int number, IncomingCopies copiesOf, BillingCalendar calendar, GrowthTable.Shelf growth)
    {
        var (rule, flow) = (bucket.CopyTo[number], copiesOf.FlowOf(bucket, number));
        var sent = new double[calendar.Stretches];
        if (flow is not null)
        {
            foreach (var (stream, first, end) in flow.SameDay)
                Stream(stream, first, end);
            foreach (var copies in flow.Dated)
                sent[calendar.StretchOf(copies.Arrived)] += copies.Objects * copies.Kind.BytesPerObject;
            return sent;
        }
        foreach (var stream in bucket.Streams.Where(s => rule.Scope.Takes(s.Prefix, s.Tags)))
            Stream(stream, 0, calendar.Days);
        foreach (var (stream, first, end) in copiesOf.FromArrays(bucket.Name).Where(c => rule.Scope.Takes(c.Stream.Prefix, c.Stream.Tags)))
            Stream(stream, first, end);
        foreach (
            var packs in copiesOf
                .Planned.Into(bucket.Name)
                .SelectMany(b => b.AllPacks)
                .Where(p => p.Created >= 0 && rule.Scope.Takes(p.Prefix, null))
        )
            sent[calendar.StretchOf(packs.Created)] += packs.Objects * packs.BytesPerObject;
        foreach (var copies in rule.ToCopyToday(bucket, calendar.Today))
            sent[0] += copies.Objects * copies.Kind.BytesPerObject;
        return sent;

        void Stream(ObjectStream stream, int first, int end)
        {
            var arrivals = Cohorts.Stream(stream.ObjectsPerDay, growth.For(stream.YearlyGrowth), calendar.Days).Between(first, end);
            for (var m = calendar.StretchOf(first); m < calendar.Stretches && calendar.Start(m) < end; m++)
            {
                sent[m] += arrivals.Count(calendar.Start(m), calendar.Start(m + 1)) * stream.BytesPerObject;
            }
        }
    }
}
