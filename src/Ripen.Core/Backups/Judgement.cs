using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>How something that was agreed stands.</summary>
public enum Verdict
{
    Met,
    Missed,

    /// <summary>Nothing was agreed, so that there is nothing to judge.</summary>
    NotAgreed,
}

/// <summary>Whether a workload is protected as was agreed, on a day (model 9.6), with the evidence of each mark.</summary>
/// <param name="Workload">Its id.</param>
/// <param name="Rpo">The largest gap between points, newest to now included, is at most the agreed hours.</param>
/// <param name="LargestGapHours">Between two points that are there, or from the newest to the day's end; null without points.</param>
/// <param name="NewestHours">From the newest point until now: what would be lost if the workload were lost now; null without points.</param>
/// <param name="Rto">The restore of the newest point takes at most the agreed hours.</param>
/// <param name="RestoreHours">Of the newest point from where that is quickest, at the ordinary speeds; null without points.</param>
/// <param name="RestoreFrom">The target that it comes from.</param>
/// <param name="ThreeTwoOne">Common practice: at least 3 copies, the workload itself among them, on at least 2 kinds of target or media, at
/// least 1 of them in another region.</param>
/// <param name="Copies">The workload itself, and each target with points of it.</param>
/// <param name="Kinds">The workload's own medium, and each kind of target.</param>
/// <param name="Elsewhere">Targets with points in another region than the workload's.</param>
/// <param name="Points">That are there, in all targets.</param>
/// <param name="Sealed">How many of them nobody can delete on the day: they bear it themselves, or the sealed rule of their bucket keeps what
/// every run stored that they need, the oldest too.</param>
/// <param name="Targets">That hold points, by id.</param>
/// <param name="OnlyRegion">Whose loss would take every point; null where there is none, or another place has some.</param>
public sealed record WorkloadJudgement(
    string Workload,
    Verdict Rpo,
    double? LargestGapHours,
    double? NewestHours,
    Verdict Rto,
    double? RestoreHours,
    string? RestoreFrom,
    Verdict ThreeTwoOne,
    int Copies,
    int Kinds,
    int Elsewhere,
    int Points,
    int Sealed,
    IReadOnlyList<string> Targets,
    string? OnlyRegion
)
{
    private const int HoursADay = 24;

    /// <summary>Of every workload, in the estate's order, after a day's runs.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="on">Its today or later.</param>
    public static IReadOnlyList<WorkloadJudgement> On(Estate estate, DateOnly on) => All(estate, on, on.AddDays(1));

    /// <summary>The same on the morning of the estate's today, when nothing of that day has run yet.</summary>
    public static IReadOnlyList<WorkloadJudgement> Now(Estate estate) => All(estate, estate.Today, estate.Today);

    private static IReadOnlyList<WorkloadJudgement> All(Estate estate, DateOnly on, DateOnly end)
    {
        var branches = Branch.All(estate, end).ToLookup(b => b.Workload.Id);
        return [.. estate.Workloads.Select(w => Of(estate, w, [.. branches[w.Id]], on))];
    }

    private static WorkloadJudgement Of(Estate estate, Workload workload, List<Branch> branches, DateOnly on)
    {
        var holding = branches.Where(b => b.NewestOn(on) >= 0).ToList();
        var days = holding
            .SelectMany(b => Enumerable.Range(0, b.Runs.Count).Where(i => b.IsThere(i, on)).Select(i => b.Runs[i].Day))
            .Distinct()
            .Order()
            .ToList();
        double? gap = null;
        for (var i = 0; i < days.Count; i++)
        {
            var next = i + 1 < days.Count ? days[i + 1] : on;
            var apart = (double)(next.DayNumber - days[i].DayNumber) * HoursADay;
            if (apart == HoursADay)
                apart = holding.Where(b => b.Times.HasRunOn(days[i])).Select(b => b.HoursApart).DefaultIfEmpty(apart).Min();
            gap = Math.Max(gap ?? 0, apart);
        }
        var quickest = holding
            .Select(b => (Hours: RestoreHoursOf(estate, b, on), Target: b.Target.Id))
            .OrderBy(r => r.Hours)
            .Select(r => ((double Hours, string Target)?)r)
            .FirstOrDefault();
        var targets = holding.Select(b => b.Target).DistinctBy(t => t.Id).ToList();
        var (copies, kinds) = (1 + targets.Count, 1 + targets.Select(t => t.Kind).Distinct().Count());
        var elsewhere = targets.Count(t => t.Bucket is { } bucket && estate.Find(bucket)!.Region != workload.Region);
        return new WorkloadJudgement(
            workload.Id,
            Judge(workload.RpoHours, gap),
            gap,
            days.Count > 0 ? (on.DayNumber - days[^1].DayNumber) * HoursADay : null,
            Judge(workload.RtoHours, quickest?.Hours),
            quickest?.Hours,
            quickest?.Target,
            copies >= 3 && kinds >= 2 && elsewhere >= 1 ? Verdict.Met : Verdict.Missed,
            copies,
            kinds,
            elsewhere,
            holding.Sum(b => b.PointsOn(on)),
            holding.Sum(b => SealedOn(estate, b, on)),
            [.. targets.Select(t => t.Id)],
            targets.Select(t => t.Bucket is { } bucket ? estate.Find(bucket)!.Region : null).Distinct().ToList() is [{ } only] ? only : null
        );
    }

    /// <summary>By what each bears itself, or by what the bucket keeps.</summary>
    private static int SealedOn(Estate estate, Branch branch, DateOnly on)
    {
        var rule = branch.Target.Bucket is { } bucket ? estate.Find(bucket)!.Keep : null;
        return Enumerable.Range(0, branch.Runs.Count).Count(i => branch.IsThere(i, on) && (BearsIt(branch.Runs[i]) || IsKept(i)));

        bool BearsIt(BranchRun run) => run.IsSealed && run.KeptUntil > on;

        bool IsKept(int i) => rule is { Strength: KeepStrength.Sealed } && rule.KeptUntil(branch.Runs[branch.OldestNeededBy(i)].Day) > on;
    }

    private static double RestoreHoursOf(Estate estate, Branch branch, DateOnly on) =>
        RestoreEstimate
            .Of(
                estate,
                branch,
                new RestoreQuestion
                {
                    Plan = branch.Plan.Id,
                    Workload = branch.Workload.Id,
                    Target = branch.Target.Id,
                    Taken = branch.Runs[branch.NewestOn(on)].Day,
                    On = on,
                }
            )
            .Hours;

    private static Verdict Judge(double? agreed, double? found) =>
        agreed is null ? Verdict.NotAgreed
        : found <= agreed ? Verdict.Met
        : Verdict.Missed;
}
