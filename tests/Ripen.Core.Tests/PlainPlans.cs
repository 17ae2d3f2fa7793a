using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

/// <summary>Backup plans day after day, as plainly as they can be written: which runs there are, which points are kept, and what of each run
/// they need. Shares the records with the engine, and nothing of how it computes.</summary>
internal sealed class PlainPlans
{
    internal sealed class Run
    {
        public required Branch Branch;
        public required DateOnly Day;
        public required DateOnly KeptUntil;
        public required double Cold;
        public required double Hot;
        public required bool IsFull;

        /// <summary>The share that is left of it.</summary>
        public double Left = 1;
    }

    internal sealed class Branch
    {
        public required BackupPlan Plan;
        public required BackupTarget Target;
        public required Workload Workload;
        public required Cadence Every;
        public required PointRetention Keep;
        public required List<DateOnly> Past;
        public Branch? Of;
        public readonly List<Run> Runs = [];
    }

    private readonly Estate estate;
    private readonly List<Branch> branches = [];

    public PlainPlans(Estate estate)
    {
        this.estate = estate;
        foreach (var plan in estate.Plans)
        {
            var own = plan.Workloads.ToDictionary(w => w, w => Make(plan, plan.Target, w, plan.Every, plan.Keep, plan.Runs, null));
            branches.AddRange(own.Values);
            foreach (var copy in plan.Copies)
            {
                foreach (var w in copy.Workloads ?? plan.Workloads)
                    branches.Add(Make(plan, copy.Target, w, copy.Every ?? plan.Every, copy.Keep, copy.Runs, own[w]));
            }
        }
    }

    public IReadOnlyList<Branch> Branches => branches;

    public static bool Keeps(KeepRule? keep, DateOnly created, DateOnly day) =>
        (keep?.Days is { } days && day.DayNumber - created.DayNumber < days) || (keep?.Until is { } until && day < until);

    /// <summary>The runs of before, each with what was left of it at the end of yesterday.</summary>
    public IEnumerable<Run> Begin()
    {
        foreach (var branch in branches)
        {
            if (branch.Past.Count == 0)
                continue;
            for (var day = branch.Past[0]; day < estate.Today; day = day.AddDays(1))
            {
                if (branch.Past.Contains(day))
                    Take(branch, day);
                Settle(branch, day);
            }
            foreach (var run in branch.Runs)
                yield return run;
        }
    }

    /// <summary>Takes what is due.</summary>
    public List<Run> RunOn(DateOnly day)
    {
        var taken = new List<Run>();
        foreach (var branch in branches)
        {
            var from = branch.Plan.From ?? estate.Today;
            if (day < from || day < estate.Today || !IsDue(branch.Every, day, from))
                continue;
            if (branch.Of is { } first && first.Runs.All(r => r.Day != day))
                continue;
            taken.Add(Take(branch, day));
        }
        return taken;
    }

    /// <summary>What no point needs any more leaves.</summary>
    public void Settle(DateOnly day)
    {
        foreach (var branch in branches)
            Settle(branch, day);
    }

    /// <summary>The points that are there on a day.</summary>
    public static List<Run> Points(Branch branch, DateOnly day) =>
        [.. branch.Runs.Where(r => r.Day <= day && (day < r.KeptUntil || r == branch.Runs.Last(l => l.Day <= day)))];

    /// <summary>The share of a run that a set of points needs.</summary>
    public double Need(Branch branch, Run run, List<Run> points)
    {
        if (Deduplicates(branch))
        {
            var t = points.FirstOrDefault(p => p.Day >= run.Day);
            return t is null ? 0 : Share(branch, run, t.Day);
        }
        return points.Any(t => t.Day >= run.Day && Chain(branch, t).Contains(run)) ? 1 : 0;
    }

    public double Share(Branch branch, Run run, DateOnly on)
    {
        var (w, q) = (branch.Workload, branch.Workload.Changing == 0 ? 0 : branch.Workload.DailyChange / branch.Workload.Changing);
        var s = w.Bytes == 0 ? 1 : Math.Min(1, Bytes(w, on) / Bytes(w, run.Day));
        var all = run.Cold + run.Hot;
        return all == 0 ? 0 : ((run.Cold * s) + (run.Hot * s * Math.Pow(1 - q, on.DayNumber - run.Day.DayNumber))) / all;
    }

    public static bool Deduplicates(Branch branch) => branch.Target.Deduplicates && !branch.Workload.EncryptedAtSource;

    public static List<Run> Chain(Branch branch, Run point)
    {
        var chain = branch.Runs.Where(r => r.Day <= point.Day).Reverse().ToList();
        return chain[..(chain.FindIndex(r => r.IsFull) + 1)];
    }

    private void Settle(Branch branch, DateOnly day)
    {
        var points = Points(branch, day);
        foreach (var run in branch.Runs.Where(r => r.Day < day && !IsKept(r, day)))
            run.Left = Need(branch, run, points);
    }

    /// <summary>Whether the target's bucket keeps what the run wrote.</summary>
    public bool IsKept(Run run, DateOnly day)
    {
        var target = run.Branch.Target;
        return target.Bucket is { } name
            && estate.Find(name) is { } bucket
            && (
                Keeps(bucket.Keep, run.Day, day)
                || bucket.Holds.Any(h =>
                    h.Tags is null
                    && target.Prefix.StartsWith(h.Prefix, StringComparison.Ordinal)
                    && h.Placed <= day
                    && !(h.Released <= day)
                )
            );
    }

    private Run Take(Branch branch, DateOnly day)
    {
        var (w, before) = (branch.Workload, branch.Runs.LastOrDefault());
        var (cold, hot) = ((1 - w.Changing) * Bytes(w, day), w.Changing * Bytes(w, day));
        var isFull = branch.Runs.Count % (branch.Plan.Full?.Every ?? 1) == 0;
        if (before is not null && (Deduplicates(branch) || !isFull))
        {
            // What is there less what survived. As the difference of these two, little change would drown in the rounding of large numbers.
            var q = w.Changing == 0 ? 0 : w.DailyChange / w.Changing;
            var came = Bytes(w, day) > Bytes(w, before.Day) ? Bytes(w, day) - Bytes(w, before.Day) : 0;
            var rewritten = 1 - Math.Pow(1 - q, day.DayNumber - before.Day.DayNumber);
            cold = (1 - w.Changing) * came;
            hot = w.Changing * (came + ((Bytes(w, day) - came) * rewritten));
        }
        var factor = (branch.Target.Compresses && !w.EncryptedAtSource ? w.Compression : 1) * (Deduplicates(branch) ? w.Unique : 1);
        var run = new Run
        {
            Branch = branch,
            Day = day,
            KeptUntil = KeptUntil(branch.Keep, day, branch.Runs.ConvertAll(r => r.Day)),
            Cold = cold * factor,
            Hot = hot * factor,
            IsFull = isFull,
        };
        branch.Runs.Add(run);
        return run;
    }

    /// <summary>Source: model 9.4; weeks by the framework's ISO 8601 calendar.</summary>
    private static DateOnly KeptUntil(PointRetention keep, DateOnly day, List<DateOnly> before)
    {
        if (keep.Days is { } days)
            return day.AddDays(days);
        if (keep.Months is { } months)
            return day.AddMonths(months);
        if (keep.Until is { } until)
            return until;
        var all = new List<DateOnly> { day };
        if (keep.Daily > 0)
            all.Add(day.AddDays(keep.Daily.Value));
        if (keep.Weekly > 0 && before.All(b => Week(b) != Week(day)))
            all.Add(day.AddDays(7 * keep.Weekly.Value));
        if (keep.Monthly > 0 && before.All(b => (b.Year, b.Month) != (day.Year, day.Month)))
            all.Add(day.AddMonths(keep.Monthly.Value));
        if (keep.Yearly > 0 && before.All(b => b.Year != day.Year))
            all.Add(day.AddYears(keep.Yearly.Value));
        return all.Max();
    }

    private static (int, int) Week(DateOnly day)
    {
        var at = day.ToDateTime(TimeOnly.MinValue);
        return (System.Globalization.ISOWeek.GetYear(at), System.Globalization.ISOWeek.GetWeekOfYear(at));
    }

    private static bool IsDue(Cadence every, DateOnly day, DateOnly from)
    {
        if (every.Days is { } n)
            return (day.DayNumber - from.DayNumber) % n == 0;
        if (every.Weekdays is { } weekdays)
            return weekdays.Contains(day.DayOfWeek);
        var last = new DateOnly(day.Year, day.Month, 1).AddMonths(1).AddDays(-1).Day;
        return day.Day == (every.MonthDay > last ? last : every.MonthDay);
    }

    private double Bytes(Workload w, DateOnly day) =>
        w.Bytes * Math.Pow(1 + w.YearlyGrowth, (day.DayNumber - estate.Today.DayNumber) / 365.0);

    private Branch Make(
        BackupPlan plan,
        string target,
        string workload,
        Cadence every,
        PointRetention keep,
        IReadOnlyList<PastRuns> past,
        Branch? of
    ) =>
        new()
        {
            Plan = plan,
            Target = estate.Targets.Single(t => t.Id == target),
            Workload = estate.Workloads.Single(w => w.Id == workload),
            Every = every,
            Keep = keep,
            Past = [.. past.Where(p => p.Workload == workload).SelectMany(p => p.Days)],
            Of = of,
        };
}
