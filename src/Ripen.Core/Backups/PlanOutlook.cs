using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Backups;

/// <summary>What a branch of a plan comes to.</summary>
/// <param name="Target">Its id.</param>
/// <param name="Workload">Its id.</param>
/// <param name="PointsAYear">Taken in the next 365 days.</param>
/// <param name="PointsThen">That are there after them.</param>
/// <param name="FirstRunBytes">Stored by the first run to come; null when none comes.</param>
/// <param name="FirstRunSeconds">Of the target for it; null where it states no rate.</param>
/// <param name="LaterRunBytes">Stored by the last run of these days.</param>
/// <param name="LaterRunSeconds">Of the target for it.</param>
/// <param name="NeededBytesThen">That points need after these days.</param>
/// <param name="CarriedBy">The machine, for people; null for none.</param>
public sealed record BranchOutlook(
    string Target,
    string Workload,
    int PointsAYear,
    int PointsThen,
    double? FirstRunBytes,
    double? FirstRunSeconds,
    double? LaterRunBytes,
    double? LaterRunSeconds,
    double NeededBytesThen,
    string? CarriedBy
);

/// <summary>What follows from a plan before it is made, or changed.</summary>
/// <param name="Branches">In the plan's order.</param>
/// <param name="Cost">Of the target's bucket (nothing for a directory) and of the whole estate, before and after.</param>
/// <param name="Doubts">What one should know.</param>
/// <param name="JudgedBefore">The plan's workloads a year from now, as it is.</param>
/// <param name="JudgedAfter">The same with the plan.</param>
public sealed record PlanOutlook(
    IReadOnlyList<BranchOutlook> Branches,
    IReadOnlyList<YearChange> Cost,
    IReadOnlyList<BackupDoubt> Doubts,
    IReadOnlyList<WorkloadJudgement> JudgedBefore,
    IReadOnlyList<WorkloadJudgement> JudgedAfter
)
{
    private const int DaysAYear = 365;

    /// <param name="before">Over <see cref="Consequences.Months"/> months, the projection of the estate without the plan, or with it as it was.</param>
    /// <param name="after">The valid estate with the plan.</param>
    /// <param name="plan">In <paramref name="after"/>.</param>
    public static PlanOutlook Of(Projection before, Estate after, BackupPlan plan)
    {
        var then = after.Today.AddDays(DaysAYear);
        var branches = Branch.All(after, then.AddDays(1)).Where(b => b.Plan.Id == plan.Id).ToList();
        bool Ours(WorkloadJudgement j) => plan.Workloads.Contains(j.Workload);
        var judged = WorkloadJudgement.On(after, then).Where(Ours).ToList();
        return new PlanOutlook(
            [.. branches.Select(b => Of(b, after.Today, then))],
            Consequences.CostOf(before, after, after.Targets.First(t => t.Id == plan.Target).Bucket ?? ""),
            [.. DoubtsOf(after, plan, branches, judged)],
            [.. WorkloadJudgement.On(before.Estate, then).Where(Ours)],
            judged
        );
    }

    private static BranchOutlook Of(Branch branch, DateOnly today, DateOnly then)
    {
        var coming = branch.Runs.Where(r => r.Day >= today && !r.IsInStock).Select(r => r.Stored.Total).ToList();
        var (first, last) = coming.Count == 0 ? ((double?)null, (double?)null) : (coming[0], coming[^1]);
        return new BranchOutlook(
            branch.Target.Id,
            branch.Workload.Id,
            coming.Count,
            branch.PointsOn(then),
            first,
            first is { } f ? branch.Seconds(f) : null,
            last,
            last is { } l ? branch.Seconds(l) : null,
            branch.NeededBytesOn(then),
            branch.Carrier?.Name
        );
    }

    /// <summary>Machines carry one run after the other: on which first day they take longer than runs may.</summary>
    private static IEnumerable<BackupDoubt> TooLong(Estate estate, BackupPlan plan, List<Branch> branches)
    {
        var hours = plan.WindowHours ?? PlanTimes.HoursADay;
        foreach (var carried in branches.GroupBy(b => b.Carrier))
        {
            var days = carried
                .SelectMany(b => b.Runs.Where(r => r.Day >= estate.Today).Select(r => (r.Day, Seconds: b.Seconds(r.Stored.Total) ?? 0)))
                .GroupBy(r => r.Day)
                .Select(d => (Day: d.Key, Hours: d.Sum(r => r.Seconds) / 3600))
                .Where(d => d.Hours > hours)
                .OrderBy(d => d.Day)
                .ToList();
            if (days.Count > 0)
                yield return new BackupDoubt(
                    "longer-than-window",
                    $"{carried.Key?.Name ?? "What is carried"} takes {days[0].Hours:0.#} hours for the runs of {days[0].Day:yyyy-MM-dd}, and "
                        + $"{hours:0.#} are allowed{(days.Count > 1 ? $"; so on {days.Count} days of a year" : "")}. Let a faster machine carry, or a "
                        + "first load come by another way."
                );
        }
    }

    private static IEnumerable<BackupDoubt> DoubtsOf(Estate estate, BackupPlan plan, List<Branch> branches, List<WorkloadJudgement> judged)
    {
        foreach (var branch in branches.DistinctBy(b => b.Target.Id))
        {
            var runs = branch.Runs.Where(r => r.Day >= estate.Today).ToList();
            if (runs.Zip(runs.Skip(1)).Any(p => p.First.KeptUntil < p.Second.Day))
                yield return new BackupDoubt(
                    "kept-less-than-interval",
                    $"In {branch.Target.Name} a point is kept for less long than the next takes to come: only the newest is ever there."
                );
            if (
                branch.Target.Bucket is { } name
                && estate.Find(name)!.Keep is { Days: { } days }
                && runs.Any(r => r.KeptUntil < r.Day.AddDays(days))
            )
                yield return new BackupDoubt(
                    "bucket-keeps-longer",
                    $"'{name}' keeps everything for {days} days: what points there do not need any more stays, and costs, until then."
                );
        }
        foreach (var late in TooLong(estate, plan, branches))
            yield return late;
        foreach (var workload in judged)
        {
            var of = estate.Workloads.First(w => w.Id == workload.Workload);
            if (workload.Rpo == Verdict.Missed)
                yield return new BackupDoubt(
                    "rpo-missed",
                    $"{of.Name}: points are up to {Wording.Span(TimeSpan.FromHours(workload.LargestGapHours ?? 0))} apart, and {of.RpoHours:0.#} were agreed."
                );
            if (workload.Rto == Verdict.Missed)
                yield return new BackupDoubt(
                    "rto-missed",
                    $"{of.Name}: a year from now a restore takes {workload.RestoreHours:0.#} hours, and {of.RtoHours:0.#} were agreed. "
                        + "A tier with a wait holds what the newest point needs; a later step, or a copy in a warmer place, mends it."
                );
            if (workload.ThreeTwoOne == Verdict.Missed)
                yield return new BackupDoubt(
                    "not-three-two-one",
                    $"{of.Name}: {workload.Copies} copies on {workload.Kinds} kinds of media, {workload.Elsewhere} of them in another region; "
                        + "common practice asks for 3, 2 and 1."
                );
        }
        if (plan.Paused)
            yield return new BackupDoubt("paused", "The plan is paused: it takes no points until it goes on.");
    }
}
