using Ripen.Core.Estates;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Backups;

/// <summary>What must hold of backup plans in an estate.</summary>
internal static class PlanChecks
{
    public static void Check(Estate estate, Findings findings)
    {
        RetentionPeriodChecks.Check(estate.RetentionPeriods, "$.retentionPeriods", findings);
        CarrierMachine.Check(estate.Carriers, "$.carriers", estate, findings);
        Unique(estate.Plans, p => p.Id, i => $"$.plans[{i}].id", "duplicate-id", findings);
        foreach (var (plan, i) in Present(estate.Plans))
            CheckPlan(plan, $"$.plans[{i}]", estate, findings);
    }

    public static void CheckPlan(BackupPlan plan, string path, Estate estate, Findings findings)
    {
        findings.Require(
            plan.Workloads.Count > 0,
            "no-workload",
            $"{path}.workloads",
            "A plan without workloads protects nothing; name one at least."
        );
        for (var i = 0; i < plan.Workloads.Count; i++)
            Workload(plan.Workloads[i], $"{path}.workloads[{i}]", plan.Workloads.Take(i), estate, findings);
        Target(plan.Target, $"{path}.target", estate, findings);
        Cadence(plan.Every, $"{path}.every", findings);
        Times(plan, path, findings);
        Sources(plan, path, estate, findings);
        Keep(plan.Keep, $"{path}.keep", findings);
        Sealable(plan.Keep, plan.Target, plan.Workloads, $"{path}.keep.sealed", estate, findings);
        Runs(plan.Runs, plan.Workloads, $"{path}.runs", estate, findings);
        CheckCarriers(plan, $"{path}.carrier", null, estate, findings);
        foreach (var (copy, i) in Present(plan.Copies))
            Check(copy, i, $"{path}.copies[{i}]", plan, estate, findings);
    }

    /// <summary>Whoever is chosen to carry is there.</summary>
    /// <param name="plan">With its copies.</param>
    /// <param name="path">Of what is wrong with the plan's own.</param>
    /// <param name="copies">The same for all copies; null for each copy's own.</param>
    /// <param name="estate">With the machines.</param>
    /// <param name="findings">Where what is wrong goes.</param>
    public static void CheckCarriers(BackupPlan plan, string path, string? copies, Estate estate, Findings findings)
    {
        var chosen = Present(plan.Copies)
            .Select(c => (c.Item.Carrier, At: copies ?? $"{path[..path.LastIndexOf('.')]}.copies[{c.Index}].carrier"))
            .Prepend((plan.Carrier, path));
        foreach (var (carrier, at) in chosen)
        {
            findings.Require(
                carrier is null || estate.Carriers.Any(c => c?.Id == carrier),
                "unknown-reference",
                at,
                $"The plan '{plan.Id}' is carried by '{carrier}', and there is no such machine."
            );
        }
    }

    private static void Check(PlanCopy copy, int place, string path, BackupPlan plan, Estate estate, Findings findings)
    {
        Target(copy.Target, $"{path}.target", estate, findings);
        findings.Require(
            copy.Target != plan.Target,
            "copy-to-itself",
            $"{path}.target",
            $"'{copy.Target}' is the plan's own target: a second copy there protects from nothing. Choose another.",
            $"{path[..path.LastIndexOf(".copies", StringComparison.Ordinal)]}.target"
        );
        var workloads = copy.Workloads ?? plan.Workloads;
        findings.Require(
            workloads.Count > 0,
            "no-workload",
            $"{path}.workloads",
            "A copy without workloads protects nothing; name one at least, or leave the property out for all."
        );
        var taken = plan
            .Copies.Take(place)
            .Where(c => c is not null && c.Target == copy.Target)
            .SelectMany(c => c.Workloads ?? plan.Workloads);
        for (var i = 0; i < workloads.Count; i++)
        {
            var at = copy.Workloads is null ? $"{path}.target" : $"{path}.workloads[{i}]";
            findings.Require(
                plan.Workloads.Contains(workloads[i]),
                "not-of-the-plan",
                at,
                $"'{workloads[i]}' is not among the plan's workloads; add it there first."
            );
            Once(workloads[i], at, [.. taken, .. workloads.Take(i)], findings);
        }
        if (copy.Every is not null)
            Cadence(copy.Every, $"{path}.every", findings);
        Keep(copy.Keep, $"{path}.keep", findings);
        Sealable(copy.Keep, copy.Target, workloads, $"{path}.keep.sealed", estate, findings);
        Runs(copy.Runs, workloads, $"{path}.runs", estate, findings);
    }

    private static void Workload(string id, string at, IEnumerable<string> before, Estate estate, Findings findings)
    {
        Refer(id, estate.Workloads.Any(w => w?.Id == id), "workload", at, findings);
        Once(id, at, before, findings);
    }

    private static void Once(string workload, string at, IEnumerable<string> before, Findings findings) =>
        findings.Require(
            !before.Contains(workload),
            "twice-in-a-target",
            at,
            $"'{workload}' is in this target by this plan already; name it once."
        );

    private static void Target(string id, string at, Estate estate, Findings findings)
    {
        var target = Present(estate.Targets).Select(t => t.Item).FirstOrDefault(t => t.Id == id);
        Refer(id, target is not null, "target", at, findings);
        findings.Require(
            target is null or { HoldsPool: true },
            "no-pool-here",
            at,
            $"Other programs write into '{id}': a plan's points lie in pools, in buckets and directories."
        );
    }

    private static void Cadence(Cadence every, string at, Findings findings)
    {
        findings.Require(
            new object?[] { every.Days, every.Weekdays, every.MonthDay }.Count(e => e is not null) == 1,
            "one-of",
            at,
            "Say one of 'days', 'weekdays' and 'monthDay'."
        );
        findings.Require(
            every.Weekdays is not { } weekdays || (weekdays.Count > 0 && weekdays.Distinct().Count() == weekdays.Count),
            "weekdays",
            $"{at}.weekdays",
            "Name one weekday at least, and each once."
        );
    }

    private static void Times(BackupPlan plan, string path, Findings findings)
    {
        for (var i = 1; i < plan.At.Count; i++)
            findings.Require(plan.At[i - 1] < plan.At[i], "time-order", $"{path}.at[{i}]", "Times of day rise, each named once.");
        findings.Require(
            plan.Zone is null || PlanTimes.IsZone(plan.Zone),
            "unknown-zone",
            $"{path}.zone",
            $"The time zone database has no '{plan.Zone}'; write a name of it, like Atlantic/Reykjavik, or UTC."
        );
    }

    private static void Sources(BackupPlan plan, string path, Estate estate, Findings findings)
    {
        for (var i = 0; i < plan.Workloads.Count; i++)
        {
            if (Present(estate.Workloads).Select(w => w.Item).FirstOrDefault(w => w.Id == plan.Workloads[i]) is { } workload)
                Apart(plan, workload, $"{path}.workloads[{i}]", estate, findings);
        }
    }

    /// <summary>That plans can still do with a workload what they promise: nothing is stored in what it reads, and what is sealed is really
    /// stored. The path begins at the workload.</summary>
    public static void CheckSource(Workload workload, Estate estate, Findings findings)
    {
        var after = estate with { Workloads = [.. estate.Workloads.Where(w => w.Id != workload.Id), workload] };
        foreach (var plan in estate.Plans.Where(p => p.Workloads.Contains(workload.Id)))
        {
            Apart(plan, workload, "$.source", after, findings);
            Sealable(plan, "$.source", after, findings);
        }
    }

    /// <summary>That plans can still seal in a target what they promise to. The path begins at the target.</summary>
    public static void CheckTarget(BackupTarget target, Estate estate, Findings findings)
    {
        var after = estate with { Targets = [.. estate.Targets.Where(t => t.Id != target.Id), target] };
        foreach (var plan in estate.Plans.Where(p => p.LeadsTo(target.Id)))
            Sealable(plan, "$.kind", after, findings);
    }

    private static void Sealable(BackupPlan plan, string at, Estate estate, Findings findings)
    {
        Sealable(plan.Keep, plan.Target, plan.Workloads, at, estate, findings);
        foreach (var (copy, _) in Present(plan.Copies))
            Sealable(copy.Keep, copy.Target, copy.Workloads ?? plan.Workloads, at, estate, findings);
    }

    private static void Apart(BackupPlan plan, Workload workload, string at, Estate estate, Findings findings)
    {
        if (workload.Source is not { } source)
            return;
        var own = Present(plan.Copies)
            .Where(c => (c.Item.Workloads ?? plan.Workloads).Contains(workload.Id))
            .Select(c => c.Item.Target)
            .Append(plan.Target)
            .ToHashSet();
        foreach (
            var (target, _) in Present(estate.Targets).Where(t => own.Contains(t.Item.Id) && source.Overlaps(t.Item.Bucket, t.Item.Prefix))
        )
        {
            findings.Require(
                false,
                "holds-the-pool",
                at,
                $"'{target.Name}', in which the plan '{plan.Id}' stores '{workload.Name}', lies in it: every run would store what the last one "
                    + "wrote. Let it lie elsewhere, or back up less."
            );
        }
    }

    private static void Keep(PointRetention keep, string at, Findings findings)
    {
        int?[] byCalendar = [keep.Daily, keep.Weekly, keep.Monthly, keep.Yearly];
        var forms =
            (keep.Days is null ? 0 : 1)
            + (keep.Months is null ? 0 : 1)
            + (keep.Until is null ? 0 : 1)
            + (byCalendar.Any(n => n is not null) ? 1 : 0);
        findings.Require(
            forms == 1,
            "one-of",
            at,
            "Say how long points are kept in one way: 'days', 'months', 'until', or 'daily', 'weekly', 'monthly' and 'yearly' together."
        );
        findings.Require(
            keep.Days is not null || keep.Months is not null || keep.Until is not null || byCalendar.Any(n => n > 0),
            "keeps-nothing",
            at,
            "One of 'daily', 'weekly', 'monthly' and 'yearly' must be above 0."
        );
    }

    private static void Sealable(
        PointRetention keep,
        string targetId,
        IReadOnlyList<string> workloads,
        string at,
        Estate estate,
        Findings findings
    )
    {
        if (!keep.Sealed)
            return;
        var target = Present(estate.Targets).Select(t => t.Item).FirstOrDefault(t => t.Id == targetId);
        findings.Require(
            target is null or { Kind: TargetKind.Bucket },
            "cannot-seal",
            at,
            $"'{target?.Name}' is no bucket: whoever can reach its files can remove them. Only points in buckets are sealed."
        );
        var computed = Present(estate.Workloads).Select(w => w.Item).FirstOrDefault(w => w.Source is null && workloads.Contains(w.Id));
        findings.Require(
            computed is null,
            "cannot-seal",
            at,
            $"'{computed?.Name}' is only computed with: its points have no objects that could bear it. Let the bucket keep them instead, or say "
                + "what plans really read."
        );
    }

    private static void Runs(IReadOnlyList<PastRuns> runs, IReadOnlyList<string> workloads, string at, Estate estate, Findings findings)
    {
        foreach (var (past, i) in Present(runs))
        {
            findings.Require(
                workloads.Contains(past.Workload) && runs.Take(i).All(r => r?.Workload != past.Workload),
                "unknown-reference",
                $"{at}[{i}].workload",
                $"'{past.Workload}' is not among the workloads here, or was named before; name each once."
            );
            for (var d = 0; d < past.Days.Count; d++)
            {
                findings.Require(
                    past.Days[d] < estate.Today && (d == 0 || past.Days[d - 1] < past.Days[d]),
                    "date-order",
                    $"{at}[{i}].days[{d}]",
                    "Days on which points were taken rise, and lie before the estate's 'today'.",
                    "$.today"
                );
            }
        }
    }
}
