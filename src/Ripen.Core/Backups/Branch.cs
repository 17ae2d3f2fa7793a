using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>A run of a branch, which makes the restore point of its day.</summary>
/// <param name="Day">Of the run.</param>
/// <param name="KeptUntil">The first day on which its point is not kept, unless it is the branch's newest then.</param>
/// <param name="Stored">What it stores, by class.</param>
/// <param name="Full">The place of the run on which it is built, where nothing is stored once: its own for a full one.</param>
public sealed record BranchRun(DateOnly Day, DateOnly KeptUntil, Content Stored, int Full);

/// <summary>
/// One workload of a plan or of a plan's copy, in one target (model 9.3): its runs, past and to come, and what its points need of them
/// (9.4). What a point needs of a run only falls as time passes.
/// </summary>
public sealed class Branch
{
    private readonly int[] next;
    private readonly DateOnly[] gone;

    private Branch(BackupPlan plan, BackupTarget target, Workload workload, WorkloadContent content, IReadOnlyList<BranchRun> runs)
    {
        (Plan, Target, Workload, Content, Runs) = (plan, target, workload, content, runs);
        Deduplicates = content.Deduplicates(target);
        gone = [.. runs.Select((r, i) => i + 1 < runs.Count ? Later(r.KeptUntil, runs[i + 1].Day) : DateOnly.MaxValue)];
        next = NextLonger(gone);
    }

    public BackupPlan Plan { get; }

    public BackupTarget Target { get; }

    public Workload Workload { get; }

    public WorkloadContent Content { get; }

    /// <summary>Ascending by day.</summary>
    public IReadOnlyList<BranchRun> Runs { get; }

    /// <summary>Whether equal content is stored once.</summary>
    public bool Deduplicates { get; }

    /// <summary>All branches of an estate's plans, with their runs before <paramref name="end"/>.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="end">The first day that is of no interest.</param>
    public static IReadOnlyList<Branch> All(Estate estate, DateOnly end)
    {
        var branches = new List<Branch>();
        foreach (var plan in estate.Plans)
        {
            var taken = new Dictionary<string, HashSet<DateOnly>>();
            foreach (var workload in plan.Workloads)
            {
                var days = Days(estate, plan.Runs, workload, plan.From, plan.Every, end, _ => true);
                taken[workload] = [.. days];
                branches.Add(Make(estate, plan, plan.Target, workload, plan.Keep, days));
            }
            foreach (var copy in plan.Copies)
            {
                foreach (var workload in copy.Workloads ?? plan.Workloads)
                {
                    var days = Days(estate, copy.Runs, workload, plan.From, copy.Every ?? plan.Every, end, taken[workload].Contains);
                    branches.Add(Make(estate, plan, copy.Target, workload, copy.Keep, days));
                }
            }
        }
        return branches;
    }

    /// <summary>Whether the point of run <paramref name="i"/> is there on <paramref name="day"/>: kept, or the newest.</summary>
    public bool IsThere(int i, DateOnly day) => Runs[i].Day <= day && day < gone[i];

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
        return run.Stored.Total == 0 ? 0 : (run.Stored * Content.Surviving(run.Day, Runs[t].Day)).Total / run.Stored.Total;
    }

    /// <summary>The point that needs run <paramref name="i"/> on <paramref name="day"/> first; -1 when none does.</summary>
    public int NeededBy(int i, DateOnly day)
    {
        var newest = NewestOn(day);
        var last = Deduplicates ? newest : Math.Min(newest, LastOfChain(i));
        for (var t = i; t <= last && t >= 0; t = next[t])
        {
            if (IsThere(t, day))
                return t;
        }
        return -1;
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
        IReadOnlyList<PastRuns> past,
        string workload,
        DateOnly? from,
        Cadence every,
        DateOnly end,
        Func<DateOnly, bool> allowed
    )
    {
        var days = past.Where(p => p.Workload == workload).SelectMany(p => p.Days).TakeWhile(d => d < end).ToList();
        var first = from ?? estate.Today;
        for (var day = Later(first, estate.Today); day < end; day = day.AddDays(1))
        {
            if (every.IsDue(day, first) && allowed(day))
                days.Add(day);
        }
        return days;
    }

    private static Branch Make(Estate estate, BackupPlan plan, string targetId, string workloadId, PointRetention keep, List<DateOnly> days)
    {
        var target = estate.Targets.First(t => t.Id == targetId);
        var workload = estate.Workloads.First(w => w.Id == workloadId);
        var content = new WorkloadContent(workload, estate.Today);
        var every = plan.Full?.Every ?? 1;
        var runs = new BranchRun[days.Count];
        for (var i = 0; i < runs.Length; i++)
        {
            var before = i == 0 ? (DateOnly?)null : days[i - 1];
            var full = i - (i % every);
            runs[i] = new BranchRun(days[i], keep.KeptUntil(days[i], before), content.StoredBy(target, before, days[i], full == i), full);
        }
        return new Branch(plan, target, workload, content, runs);
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
