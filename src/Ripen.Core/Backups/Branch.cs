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
public sealed record BranchRun(
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
    private readonly int[] next;
    private readonly DateOnly[] gone;

    private Branch(
        BackupPlan plan,
        Cadence every,
        BackupTarget target,
        Workload workload,
        WorkloadContent content,
        IReadOnlyList<BranchRun> runs
    )
    {
        (Plan, Every, Target, Workload, Content, Runs) = (plan, every, target, workload, content, runs);
        Deduplicates = content.Deduplicates(target);
        gone = [.. runs.Select((r, i) => i + 1 < runs.Count ? Later(r.KeptUntil, runs[i + 1].Day) : DateOnly.MaxValue)];
        next = NextLonger(gone);
    }

    public BackupPlan Plan { get; }

    /// <summary>The plan's, or its copy's own.</summary>
    public Cadence Every { get; }

    public BackupTarget Target { get; }

    public Workload Workload { get; }

    public WorkloadContent Content { get; }

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
        foreach (var plan in estate.Plans)
        {
            var taken = new Dictionary<string, HashSet<DateOnly>>();
            foreach (var workload in plan.Workloads)
            {
                var days = Days(estate, plan, plan.Runs, workload, plan.Every, end, _ => true);
                taken[workload] = [.. days];
                branches.Add(Make(estate, plan, plan.Every, plan.Target, workload, plan.Keep, plan.Runs, days));
            }
            foreach (var copy in plan.Copies)
            {
                foreach (var workload in copy.Workloads ?? plan.Workloads)
                {
                    var days = Days(estate, plan, copy.Runs, workload, copy.Every ?? plan.Every, end, taken[workload].Contains);
                    branches.Add(Make(estate, plan, copy.Every ?? plan.Every, copy.Target, workload, copy.Keep, copy.Runs, days));
                }
            }
        }
        return branches;
    }

    /// <summary>Whether the point of run <paramref name="i"/> is there on <paramref name="day"/>: kept, or the newest.</summary>
    public bool IsThere(int i, DateOnly day) => Runs[i].Day <= day && day < gone[i];

    /// <summary>The first day on which the point of run <paramref name="i"/> is not there; null while no later run relieves the newest.</summary>
    public DateOnly? GoneOn(int i) => gone[i] == DateOnly.MaxValue ? null : gone[i];

    /// <summary>The newest run on or before <paramref name="day"/>; -1 for none.</summary>
    public int NewestOn(DateOnly day)
    {
        var (low, high) = (0, Runs.Count);
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (Runs[middle].Day <= day)
                low = middle + 1;
            else
                high = middle;
        }
        return low - 1;
    }

    /// <summary>
    /// The share of what run <paramref name="i"/> stored that its points need, from the run's own day on: days, ascending, and the share from
    /// each on until the next. It begins with 1 and never rises.
    /// </summary>
    public IEnumerable<(DateOnly Day, double Share)> Needed(int i)
    {
        yield return (Runs[i].Day, 1);
        if (Runs[i].Stored.Total == 0)
            yield break;
        if (!Deduplicates)
        {
            var last = LastOfChain(i);
            var end = Runs[i].Day;
            for (var t = i; t <= last; t++)
                end = Later(end, gone[t]);
            if (end < DateOnly.MaxValue)
                yield return (end, 0);
            yield break;
        }
        for (var t = i; next[t] >= 0; t = next[t])
            yield return (gone[t], NeededFor(i, next[t]));
    }

    /// <summary>The share of what run <paramref name="i"/> stored that the point of run <paramref name="t"/>, not before it, needs of
    /// it.</summary>
    public double NeededFor(int i, int t)
    {
        var run = Runs[i];
        if (!Deduplicates)
            return Runs[t].Full <= i ? 1 : 0;
        return run.Stored.Total == 0 ? 0 : (run.Stored * Surviving(i, t)).Total / run.Stored.Total;
    }

    /// <summary>The first run of which the point of run <paramref name="t"/> needs something; its own at the latest.</summary>
    public int OldestNeededBy(int t) => Deduplicates ? Enumerable.Range(0, t).FirstOrDefault(i => NeededFor(i, t) > 0, t) : Runs[t].Full;

    /// <summary>Which point needs what run <paramref name="i"/> stored on a day that is not before it: the earliest that is there; and what
    /// it needs of it, where equal content is stored once.</summary>
    public (int Point, Content Bytes) NeededOf(int i, DateOnly day)
    {
        var point = i;
        while (gone[point] <= day)
            point = next[point];
        return (point, Runs[i].Stored * Surviving(i, point));
    }

    /// <summary>What is left of content of the day of run <paramref name="i"/> on that of run <paramref name="t"/>.</summary>
    public Surviving Surviving(int i, int t) => Content.Surviving(Runs[i].Day, Runs[t].Day);

    /// <summary>The days, counted from <paramref name="today"/>, on which points go, ascending, and which point needs from then on what each
    /// one needed.</summary>
    public IEnumerable<(int Day, int Point, int Next)> Departures(DateOnly today) =>
        Enumerable
            .Range(0, Runs.Count)
            .Where(i => next[i] >= 0)
            .OrderBy(i => gone[i])
            .Select(i => (gone[i].DayNumber - today.DayNumber, i, next[i]));

    /// <summary>What the points that are there on <paramref name="day"/> need: each run that any of them needs, newest first, and the share of
    /// what it stored.</summary>
    public IEnumerable<(int Run, double Share)> NeededOn(DateOnly day)
    {
        var point = -1;
        for (var i = NewestOn(day); i >= 0; i--)
        {
            // A point of a later chain does not need this one.
            if (!Deduplicates && point >= 0 && Runs[point].Full > i)
                point = -1;
            if (IsThere(i, day))
                point = i;
            if (point >= 0)
                yield return (i, NeededFor(i, point));
        }
    }

    /// <summary>Bytes that the points of a day need of all that was stored.</summary>
    public double NeededBytesOn(DateOnly day) => NeededOn(day).Sum(n => Runs[n.Run].Stored.Total * n.Share);

    /// <summary>How many points are there on a day.</summary>
    public int PointsOn(DateOnly day)
    {
        var points = 0;
        for (var i = NewestOn(day); i >= 0; i--)
        {
            if (day < gone[i])
                points++;
        }
        return points;
    }

    /// <summary>The last run that is built on the full one of run <paramref name="i"/>.</summary>
    private int LastOfChain(int i)
    {
        var last = i;
        while (last + 1 < Runs.Count && Runs[last + 1].Full == Runs[i].Full)
            last++;
        return last;
    }

    private static List<DateOnly> Days(
        Estate estate,
        BackupPlan plan,
        IReadOnlyList<PastRuns> past,
        string workload,
        Cadence every,
        DateOnly end,
        Func<DateOnly, bool> allowed
    )
    {
        var own = past.Where(p => p.Workload == workload).ToList();
        var days = own.SelectMany(p => p.Days).TakeWhile(d => d < end).ToList();
        var isOver = own.Any(p => p.Today is not null);
        if (isOver)
            days.Add(estate.Today);
        if (plan.Paused)
            return days;
        var first = plan.From ?? estate.Today;
        for (var day = Later(first, isOver ? estate.Today.AddDays(1) : estate.Today); day < end; day = day.AddDays(1))
        {
            if (every.IsDue(day, first) && allowed(day))
                days.Add(day);
        }
        return days;
    }

    private static Branch Make(
        Estate estate,
        BackupPlan plan,
        Cadence cadence,
        string targetId,
        string workloadId,
        PointRetention keep,
        IReadOnlyList<PastRuns> past,
        List<DateOnly> days
    )
    {
        var done = past.Where(p => p.Workload == workloadId).ToList();
        var borne = done.Where(p => p.Borne is not null)
            .SelectMany(p => p.Days.Zip(p.Borne!))
            .Concat(done.Where(p => p.Today is not null).Select(p => (First: estate.Today, Second: p.Today!)))
            .ToDictionary(p => p.First, p => p.Second);
        var target = estate.Targets.First(t => t.Id == targetId);
        var workload = estate.Workloads.First(w => w.Id == workloadId);
        var content = new WorkloadContent(workload, estate.Today);
        var every = plan.Full?.Every ?? 1;
        var runs = new BranchRun[days.Count];
        var full = 0;
        for (var i = 0; i < runs.Length; i++)
        {
            var before = i == 0 ? (DateOnly?)null : days[i - 1];
            var known = borne.TryGetValue(days[i], out var own) ? own : null;
            if (known?.IsFull ?? i - full >= every)
                full = i;
            var keptUntil = known?.KeptUntil ?? keep.KeptUntil(days[i], before);
            var stored = content.StoredBy(target, before, days[i], full == i);
            runs[i] = new BranchRun(
                days[i],
                keptUntil,
                known?.StoredBytes is { } bytes ? stored.Of(bytes) : stored,
                full,
                known?.LogicalBytes ?? content.BytesOn(days[i]),
                workload.Source is not null && (days[i] < estate.Today || known is not null),
                known?.IsSealed ?? keep.Sealed
            );
        }
        return new Branch(plan, cadence, target, workload, content, runs);
    }

    /// <summary>For each, the first after it that is there for longer; -1 for none.</summary>
    private static int[] NextLonger(DateOnly[] gone)
    {
        var next = new int[gone.Length];
        var open = new Stack<int>();
        for (var i = 0; i < gone.Length; i++)
        {
            while (open.Count > 0 && gone[open.Peek()] < gone[i])
                next[open.Pop()] = i;
            open.Push(i);
        }
        foreach (var i in open)
            next[i] = -1;
        return next;
    }

    private static DateOnly Later(DateOnly a, DateOnly b) => a > b ? a : b;
}
