using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>When packs of a target age into colder tiers: one rule of the target's bucket, which is written together with a plan.</summary>
public static class PackSteps
{
    /// <summary>The rule's id.</summary>
    public static string RuleOf(string target) => $"packs-of-{target}";

    /// <summary>As the rule says; empty where there is none.</summary>
    public static IReadOnlyList<Step> Of(Estate estate, BackupTarget target) =>
        target.Bucket is { } bucket ? estate.Find(bucket)?.Rules.FirstOrDefault(r => r.Id == RuleOf(target.Id))?.Steps ?? [] : [];

    /// <summary>The target's bucket with the rule, or without it where there are no steps.</summary>
    /// <param name="estate">With the plans that lead to the target: where one of them stores real content, the lists of what points hold stay
    /// where they are.</param>
    /// <param name="target">In a bucket.</param>
    /// <param name="steps">Not checked.</param>
    public static Bucket With(Estate estate, BackupTarget target, IReadOnlyList<Step> steps)
    {
        var bucket = estate.Find(target.Bucket!)!;
        var real = estate.Workloads.Where(w => w.Source is not null).Select(w => w.Id).ToHashSet();
        var isReal = estate.Plans.Where(p => p.LeadsTo(target.Id)).Any(p => p.Workloads.Any(real.Contains));
        var rule = new LifecycleRule
        {
            Id = RuleOf(target.Id),
            Prefix = target.PackKind(isReal).Prefix,
            Steps = steps,
        };
        var before = bucket.Rules.ToList().FindIndex(r => r.Id == rule.Id);
        List<LifecycleRule> rules = [.. bucket.Rules];
        if (before >= 0)
            rules.RemoveAt(before);
        if (steps.Count > 0)
            rules.Insert(before < 0 ? rules.Count : before, rule);
        return bucket with { Rules = rules };
    }
}
