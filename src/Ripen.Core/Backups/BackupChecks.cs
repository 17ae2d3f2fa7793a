using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Backups;

/// <summary>What must hold of workloads and backup targets in an estate.</summary>
internal static class BackupChecks
{
    public static void Check(Estate estate, Findings findings)
    {
        Unique(estate.Workloads, w => w.Id, i => $"$.workloads[{i}].id", "duplicate-id", findings);
        foreach (var (workload, i) in Present(estate.Workloads))
            Check(workload, $"$.workloads[{i}]", estate.PriceBook, findings);
        Unique(estate.Targets, t => t.Id, i => $"$.targets[{i}].id", "duplicate-id", findings);
        foreach (var (target, i) in Present(estate.Targets))
        {
            Check(target, $"$.targets[{i}]", estate, findings);
            foreach (var (other, j) in Present(estate.Targets).Where(t => t.Index < i))
                Apart(target, $"$.targets[{i}]", other, findings, $"$.targets[{j}].bucket", $"$.targets[{j}].prefix");
        }
    }

    /// <summary>A target that takes the place of the one of its id, or is one more. Paths begin at the target.</summary>
    public static void CheckTarget(BackupTarget target, Estate estate, Findings findings)
    {
        Check(target, "$", estate, findings);
        foreach (var other in estate.Targets.Where(t => t.Id != target.Id))
            Apart(target, "$", other, findings);
    }

    /// <summary>Whether a bucket, as it is to be, would lose what a target in it needs.</summary>
    public static void CheckBucket(Bucket bucket, string path, Estate estate, Findings findings)
    {
        foreach (var target in estate.Targets.Where(t => t.Bucket == bucket.Name))
        {
            foreach (var (rule, i) in Present(bucket.Rules).Where(r => Expires(r.Item, target)))
            {
                findings.Require(
                    false,
                    "expires-backups",
                    $"{path}.rules[{i}].expireAt",
                    $"'{target.Name}' is a backup target in this bucket: what its restore points need must not expire. Let the points' own "
                        + "retention remove it, or give the rule another prefix."
                );
            }
        }
    }

    private static void Check(Workload workload, string path, PriceBook prices, Findings findings)
    {
        Refer(workload.Region, prices.Regions.Any(r => r?.Id == workload.Region), "region", $"{path}.region", findings);
        findings.Require(
            workload.DailyChange <= workload.Changing,
            "out-of-range",
            $"{path}.dailyChange",
            workload.Changing == 0
                ? "'changing' is 0: nothing is ever rewritten, and 'dailyChange' must be 0."
                : "'dailyChange' must not be greater than 'changing': only what changes at all is rewritten.",
            $"{path}.changing"
        );
    }

    private static void Check(BackupTarget target, string path, Estate estate, Findings findings)
    {
        var bucket = Present(estate.Buckets).Select(b => b.Item).FirstOrDefault(b => b.Name == target.Bucket);
        findings.Require(
            bucket is not null,
            "unknown-reference",
            $"{path}.bucket",
            $"There is no bucket '{target.Bucket}'; correct the name or add it.",
            "$.buckets"
        );
        findings.Require(
            target.Encrypts || target.OperatedBy == Operator.Own,
            "needs-encryption",
            $"{path}.encrypts",
            "A pool may be left unencrypted only in a place that the organisation runs itself (\"operatedBy\": \"own\"): anybody else who "
                + "holds it could read it.",
            $"{path}.operatedBy"
        );
        foreach (var rule in bucket?.Rules.Where(r => r is not null && Expires(r, target)) ?? [])
        {
            findings.Require(
                false,
                "expires-backups",
                $"{path}.prefix",
                $"Rule '{rule.Id}' of '{target.Bucket}' expires objects that '{target.Id}' needs; give one of the two another prefix."
            );
        }
    }

    private static void Apart(BackupTarget target, string path, BackupTarget other, Findings findings, params string[] others) =>
        findings.Require(
            other.Bucket != target.Bucket || !Overlap(other.Prefix, target.Prefix),
            "overlapping-targets",
            $"{path}.prefix",
            $"'{target.Id}' and '{other.Id}' lie in '{target.Bucket}', and one's prefix begins the other's: their pools would mix.",
            [$"{path}.bucket", .. others]
        );

    private static bool Expires(LifecycleRule rule, BackupTarget target) =>
        rule.ExpireAt is not null && Overlap(rule.Prefix, target.Prefix);

    private static bool Overlap(string a, string b) =>
        a.StartsWith(b, StringComparison.Ordinal) || b.StartsWith(a, StringComparison.Ordinal);
}
