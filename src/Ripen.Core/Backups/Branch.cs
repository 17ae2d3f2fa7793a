using System.Collections;
using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>A run of a branch, which makes the restore point of its day.</summary>
/// <param name="Day">Of the run.</param>
/// <param name="KeptUntil">The first day on which its point is not kept, unless it is the branch's newest then.</param>
/// <param name="Stored">What it stores, by class.</param>
/// <param name="Full">The place of the run on which it is built, where nothing is stored once: its own for a full one.</param>
/// <param name="LogicalBytes">What its point gives back.</param>
/// <param name="IsInStock">Whether it was really done: what it stored are objects of its bucket like all others.</param>
/// <param name="IsSealed">Whether nobody can remove its point before it is kept no more.</param>
public readonly record struct BranchRun(
    DateOnly Day,
    DateOnly KeptUntil,
    Content Stored,
    int Full,
    double LogicalBytes,
    bool IsInStock,
    bool IsSealed
);

/// <summary>
/// One workload of a plan or of a plan's copy, in one target (model 9.3): its runs, past and to come, and what its points need of them
/// (9.4). What a point needs of a run only falls as time passes.
/// </summary>
public sealed class Branch
{
    private readonly DateOnly today;
    private readonly BranchPast past;
    private readonly bool isSealed;
    private readonly Content[] stored;

    /// <summary>The same, without what lies in the stock.</summary>
    private readonly Content[] planned;

    private Branch(
        BackupPlan plan,
        Cadence every,
        PointRetention keep,
        BackupTarget target,
        WorkloadContent content,
        PointTimes times,
        BranchPast past,
        DateOnly today
    )
    {
        (Plan, Every, Target, Content, Times) = (plan, every, target, content, times);
        (isSealed, this.past, this.today) = (keep.Sealed, past, today);
        Deduplicates = content.Deduplicates(target);
        PackKind = target.PackKind(Workload.Source is not null);
        HoursApart = Workload.Source is not null && keep.IsAlike ? PlanTimes.LongestApart(plan.At) : PlanTimes.HoursADay;
        stored = new Content[times.Count];
        for (var i = 0; i < stored.Length; i++)
        {
            var says = content.StoredBy(target, i == 0 ? null : times.Day(i - 1), times.Day(i), times.Full(i) == i);
            stored[i] = past.Borne(times.Day(i))?.StoredBytes is { } bytes ? says.Of(bytes) : says;
        }
        planned = Workload.Source is null ? stored : [.. stored.Select((s, i) => IsInStock(i) ? default : s)];
        Runs = new RunList(this);
    }

    public BackupPlan Plan { get; }

    /// <summary>The plan's, or its copy's own.</summary>
    public Cadence Every { get; }

    public BackupTarget Target { get; }

    public Workload Workload => Content.Workload;

    /// <summary>The machine that carries what its runs store; null for none.</summary>
    public CarrierMachine? Carrier { get; private init; }

    /// <summary>Hours from one of its points to the next where it runs on two days in a row: less than a day where it really runs several
    /// times a day, and all of a day's points are kept alike.</summary>
    public double HoursApart { get; }

    /// <summary>How long a run takes that stores so many bytes, at the slower of target and machine; null where neither states a
    /// rate.</summary>
    public double? Seconds(double bytes) =>
        Target.BytesPerSecond is null && Carrier is null
            ? null
            : bytes / Math.Min(Target.BytesPerSecond ?? double.PositiveInfinity, Carrier?.BytesPerSecond ?? double.PositiveInfinity);

    /// <summary>Of what its runs store.</summary>
    internal ObjectKind PackKind { get; }

    public WorkloadContent Content { get; }

    /// <summary>The days of its runs, and how long their points are there.</summary>
    public PointTimes Times { get; }

    /// <summary>Ascending by day.</summary>
    public IReadOnlyList<BranchRun> Runs { get; }

    /// <summary>Whether equal content is stored once.</summary>
    public bool Deduplicates { get; }

    /// <summary>All branches of an estate's plans, with their runs before <paramref name="end"/>, and those of today that are over.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="end">The first day that is of no interest; not before the estate's today.</param>
    public static IReadOnlyList<Branch> All(Estate estate, DateOnly end)
    {
        var branches = new List<Branch>();
        var shelf = new PointTimes.Shelf(estate.Today, end);
        var targets = estate.Targets.ToDictionary(t => t.Id);
        var contents = WorkloadContent.All(estate).ToDictionary(c => c.Workload.Id);
        foreach (var plan in estate.Plans)
        {
            var own = new Dictionary<string, PointTimes>();
            var past = BranchPast.By(plan.Runs, estate.Today);
            foreach (var workload in plan.Workloads)
                own[workload] = Add(plan, plan.Every, plan.Keep, plan.Target, plan.Carrier, workload, past, null).Times;
            foreach (var copy in plan.Copies)
            {
                var copied = BranchPast.By(copy.Runs, estate.Today);
                foreach (var workload in copy.Workloads ?? plan.Workloads)
                    Add(plan, copy.Every ?? plan.Every, copy.Keep, copy.Target, copy.Carrier, workload, copied, own[workload]);
            }
        }
        return branches;

        Branch Add(
            BackupPlan plan,
            Cadence every,
            PointRetention keep,
            string target,
            string? carrier,
            string workload,
            Dictionary<string, BranchPast> pasts,
            PointTimes? of
        )
        {
            var past = pasts.GetValueOrDefault(workload, BranchPast.Nothing);
            var times = shelf.Of(plan, every, keep, past, of);
            var (into, content) = (targets[target], contents[workload]);
            var branch = new Branch(plan, every, keep, into, content, times, past, estate.Today)
            {
                Carrier =
                    estate.Carriers.Count == 0 ? null
                    : carrier is null ? CarrierMachine.Nearest(estate, content.Workload, into)
                    : estate.Carriers.First(c => c.Id == carrier),
            };
            branches.Add(branch);
            return branch;
        }
    }

    /// <summary>Whether the point of run <paramref name="i"/> is there on <paramref name="day"/>: kept, or the newest.</summary>
    public bool IsThere(int i, DateOnly day) => Times.IsThere(i, day);

    /// <summary>The first day on which the point of run <paramref name="i"/> is not there; null while no later run relieves the newest.</summary>
    public DateOnly? GoneOn(int i) => Times.GoneOn(i);

    /// <summary>The newest run on or before <paramref name="day"/>; -1 for none.</summary>
    public int NewestOn(DateOnly day) => Times.NewestOn(day);

    /// <summary>The share of what run <paramref name="i"/> stored that the point of run <paramref name="t"/>, not before it, needs of
    /// it.</summary>
    public double NeededFor(int i, int t)
    {
        if (!Deduplicates)
            return Times.Full(t) <= i ? 1 : 0;
        return stored[i].Total == 0 ? 0 : NeededOf(i, t).Total / stored[i].Total;
    }

    /// <summary>The first run of which the point of run <paramref name="t"/> needs something; its own at the latest.</summary>
    public int OldestNeededBy(int t) => Deduplicates ? Enumerable.Range(0, t).FirstOrDefault(i => NeededFor(i, t) > 0, t) : Times.Full(t);

    /// <summary>What the point of run <paramref name="t"/>, not before run <paramref name="i"/>, needs of what that stored, where equal content
    /// is stored once.</summary>
    public Content NeededOf(int i, int t) => stored[i] * Surviving(i, t);

    /// <summary>What is left of content of the day of run <paramref name="i"/> on that of run <paramref name="t"/>.</summary>
    public Surviving Surviving(int i, int t) => Content.Surviving(Times.Day(t).DayNumber - Times.Day(i).DayNumber);

    /// <summary>Objects of what run <paramref name="i"/> stores, or would leave as packs before today, of which the point of run
    /// <paramref name="t"/> needs all or a part; 0 for <see cref="PointTimes.Nobody"/>, and for what lies in the stock.</summary>
    public double Packs(int i, int t) =>
        t == PointTimes.Nobody ? 0 : (Deduplicates ? planned[i] * Surviving(i, t) : planned[i]).Total / Target.PackBytes;

    /// <summary>The bytes of all runs that <see cref="Packs"/> tells the objects of.</summary>
    internal ReadOnlySpan<Content> Planned => planned;

    /// <summary>What its runs bring as objects into the target's bucket, by day; what was really stored is there already.</summary>
    public IEnumerable<PlannedPacks> AllPacks =>
        Enumerable
            .Range(0, stored.Length)
            .Select(i => new PlannedPacks(this, i, Times.Day(i).DayNumber - today.DayNumber, Packs(i, i)))
            .Where(p => p.Objects > 0);

    /// <summary>What the points that are there on <paramref name="day"/> need: each run that any of them needs, newest first, and the share of
    /// what it stored.</summary>
    public IEnumerable<(int Run, double Share)> NeededOn(DateOnly day)
    {
        var point = PointTimes.Nobody;
        for (var i = NewestOn(day); i >= 0; i--)
        {
            // A point of a later chain does not need this one.
            if (!Deduplicates && point >= 0 && Times.Full(point) > i)
                point = PointTimes.Nobody;
            if (IsThere(i, day))
                point = i;
            if (point >= 0)
                yield return (i, NeededFor(i, point));
        }
    }

    /// <summary>Bytes that the points of a day need of all that was stored.</summary>
    public double NeededBytesOn(DateOnly day) => NeededOn(day).Sum(n => stored[n.Run].Total * n.Share);

    /// <summary>How many points are there on a day.</summary>
    public int PointsOn(DateOnly day)
    {
        var points = 0;
        for (var i = NewestOn(day); i >= 0; i--)
        {
            if (IsThere(i, day))
                points++;
        }
        return points;
    }

    private bool IsInStock(int i) => Workload.Source is not null && (Times.Day(i) < today || past.Borne(Times.Day(i)) is not null);

    private BranchRun Run(int i)
    {
        var borne = past.Borne(Times.Day(i));
        return new BranchRun(
            Times.Day(i),
            Times.KeptUntil(i),
            stored[i],
            Times.Full(i),
            borne?.LogicalBytes ?? Content.BytesOn(Times.Day(i)),
            IsInStock(i),
            borne?.IsSealed ?? isSealed
        );
    }

    /// <summary>Runs as they are asked for: most are never looked at one by one.</summary>
    private sealed class RunList(Branch branch) : IReadOnlyList<BranchRun>
    {
        public int Count => branch.stored.Length;

        public BranchRun this[int index] => branch.Run(index);

        public IEnumerator<BranchRun> GetEnumerator() => Enumerable.Range(0, Count).Select(branch.Run).GetEnumerator();

        IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
    }
}
