using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>
/// What a line with a limit carries for the copy rules that share it, day by day. On every day the line divides its capacity fairly among
/// the lanes (<see cref="FairShare"/>); what a lane gets carries the first objects that came to it. Arrivals of a day are there when it
/// begins, so a line that keeps up brings copies on the same day, as one without a limit does. Costs O(days × lanes).
/// </summary>
internal sealed class LineFlow
{
    private const double SecondsPerDay = 86_400;

    private readonly IReadOnlyList<RuleOnLine> rules;

    private LineFlow(IReadOnlyList<RuleOnLine> rules, IReadOnlyList<CopyFlow> flows) => (this.rules, Flows) = (rules, flows);

    /// <summary>A rule in a bucket, whose copies go over the line, what local arrays bring into that bucket, and what plans store there.</summary>
    public readonly record struct RuleOnLine(
        Bucket From,
        CopyRule Rule,
        IReadOnlyList<ArrayArrivals> Arrays,
        IReadOnlyList<Branch> Planned
    );

    /// <summary>In the order of the rules.</summary>
    public IReadOnlyList<CopyFlow> Flows { get; }

    /// <summary>Whether this flow is that of the very same rules in the very same buckets.</summary>
    public bool IsOf(IReadOnlyList<RuleOnLine> others) =>
        rules.Count == others.Count
        && rules
            .Zip(others)
            .All(p =>
                ReferenceEquals(p.First.From, p.Second.From)
                && ReferenceEquals(p.First.Rule, p.Second.Rule)
                && ReferenceEquals(p.First.Arrays, p.Second.Arrays)
                && ReferenceEquals(p.First.Planned, p.Second.Planned)
            );

    /// <param name="rules">All rules whose copies go over the line.</param>
    /// <param name="bytesPerSecond">The line's bandwidth.</param>
    /// <param name="today">Day 0.</param>
    /// <param name="days">How far to look.</param>
    public static LineFlow Of(IReadOnlyList<RuleOnLine> rules, double bytesPerSecond, DateOnly today, int days)
    {
        var builders = rules.Select(r => new FlowBuilder()).ToList();
        var lanes = rules
            .SelectMany((r, i) => Enum.GetValues<Lane>().Select(lane => new WaitingLane(r, lane, today, builders[i])))
            .Where(l => l.IsUsed)
            .ToList();
        var (wants, gets) = (new double[lanes.Count], new double[lanes.Count]);
        for (var day = 0; day < days; day++)
        {
            for (var i = 0; i < lanes.Count; i++)
                wants[i] = lanes[i].Begin(day);
            FairShare.Divide(bytesPerSecond * SecondsPerDay, wants, gets);
            for (var i = 0; i < lanes.Count; i++)
                lanes[i].Carry(day, gets[i]);
        }
        return new LineFlow(rules, [.. builders.Select(b => b.Close())]);
    }

    private sealed class FlowBuilder
    {
        private readonly List<SameDayCopies> sameDay = [];
        private readonly Dictionary<ObjectStream, int> lastRun = new(ReferenceEqualityComparer.Instance);

        public List<DatedCopies> Dated { get; } = [];

        public void OnSameDay(ObjectStream stream, int day)
        {
            if (lastRun.TryGetValue(stream, out var at) && sameDay[at].End == day)
            {
                sameDay[at] = sameDay[at] with { End = day + 1 };
                return;
            }
            lastRun[stream] = sameDay.Count;
            sameDay.Add(new SameDayCopies(stream, day, day + 1));
        }

        public CopyFlow Close() => new(sameDay, Dated);
    }

    private sealed class WaitingLane
    {
        private readonly record struct Parcel(ObjectKind Kind, int Created, double Objects, PlannedPacks? Packs)
        {
            public double Bytes => Objects * Kind.BytesPerObject;
        }

        private readonly List<Parcel> parcels = [];
        private readonly List<ObjectStream> streams;
        private readonly ILookup<int, ObjectStream> leaving;
        private readonly ILookup<int, PlannedPacks> planned;
        private readonly FlowBuilder flow;
        private int first;
        private double waitingBytes;
        private double wanted;

        public WaitingLane(RuleOnLine on, Lane lane, DateOnly today, FlowBuilder flow)
        {
            this.flow = flow;
            var rule = on.Rule;
            foreach (var copies in rule.ToCopyToday(on.From, today).Where(c => Lanes.Of(c.Kind.BytesPerObject) == lane))
                Wait(new Parcel(copies.Kind, copies.Created, copies.Objects, null));
            streams = [.. on.From.Streams.Where(s => Lanes.Of(s.BytesPerObject) == lane && rule.Scope.Takes(s.Prefix, s.Tags))];
            leaving = on
                .Arrays.SelectMany(a => a.Copy.Flow!.SameDay)
                .Where(c => Lanes.Of(c.Stream.BytesPerObject) == lane && rule.Scope.Takes(c.Stream.Prefix, c.Stream.Tags))
                .ToLookup(c => c.First, c => c.Stream);
            planned = on
                .Planned.SelectMany(b => b.AllPacks)
                .Where(p => p.Created >= 0 && Lanes.Of(p.BytesPerObject) == lane && rule.Scope.Takes(p.Prefix, null))
                .ToLookup(p => p.Created);
        }

        public bool IsUsed => streams.Count > 0 || parcels.Count > 0 || leaving.Count > 0 || planned.Count > 0;

        /// <summary>The bytes that the lane has to send on this day, the day's arrivals among them.</summary>
        public double Begin(int day)
        {
            wanted = waitingBytes;
            foreach (var stream in Arriving(day))
                wanted += ArrivingOn(stream, day) * stream.BytesPerObject;
            foreach (var packs in planned[day])
                wanted += packs.Objects * packs.BytesPerObject;
            return wanted;
        }

        public void Carry(int day, double bytes)
        {
            // A line does not keep back a part of a byte.
            if (wanted - bytes < 1)
            {
                for (; first < parcels.Count; first++)
                    Arrive(parcels[first], parcels[first].Objects, day);
                parcels.Clear();
                (first, waitingBytes) = (0, 0);
                foreach (var stream in Arriving(day))
                    flow.OnSameDay(stream, day);
                foreach (var packs in planned[day])
                    Arrive(ParcelOf(packs), packs.Objects, day);
                return;
            }
            foreach (var stream in Arriving(day))
                Wait(new Parcel(stream.Kind, day, ArrivingOn(stream, day), null));
            foreach (var packs in planned[day])
                Wait(ParcelOf(packs));
            waitingBytes -= bytes;
            for (; first < parcels.Count; first++)
            {
                var parcel = parcels[first];
                var whole = parcel.Bytes;
                if (whole > bytes)
                {
                    var part = bytes / parcel.Kind.BytesPerObject;
                    if (part > 0)
                        Arrive(parcel, part, day);
                    parcels[first] = parcel with { Objects = parcel.Objects - part };
                    return;
                }
                Arrive(parcel, parcel.Objects, day);
                bytes -= whole;
            }
        }

        private IEnumerable<ObjectStream> Arriving(int day) => streams.Concat(leaving[day]);

        private static Parcel ParcelOf(PlannedPacks packs) => new(packs.Kind, packs.Created, packs.Objects, packs);

        private void Wait(Parcel parcel)
        {
            if (parcel.Objects == 0)
                return;
            parcels.Add(parcel);
            waitingBytes += parcel.Bytes;
        }

        private void Arrive(Parcel parcel, double objects, int day) =>
            flow.Dated.Add(new DatedCopies(parcel.Kind, parcel.Created, day, objects, parcel.Packs));

        private static double ArrivingOn(ObjectStream stream, int day) =>
            stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, day / 365.0);
    }
}
