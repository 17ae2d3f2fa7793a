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
            CheckWorkload(workload, $"$.workloads[{i}]", estate, findings);
        Unique(estate.Targets, t => t.Id, i => $"$.targets[{i}].id", "duplicate-id", findings);
        PlanChecks.Check(estate, findings);
        foreach (var (target, i) in Present(estate.Targets))
        {
            LeadsSomewhere(target, $"$.targets[{i}]", estate.Targets, findings);
            Check(target, $"$.targets[{i}]", estate, findings);
            foreach (var (other, j) in Present(estate.Targets).Where(t => t.Index < i))
                Apart(target, $"$.targets[{i}]", other, findings, $"$.targets[{j}].bucket", $"$.targets[{j}].prefix");
        }
    }

    /// <summary>A target that takes the place of the one of its id, or is one more. Paths begin at the target.</summary>
    public static void CheckTarget(BackupTarget target, Estate estate, Findings findings)
    {
        Check(target, "$", estate, findings);
        LeadsSomewhere(target, "$", estate.Targets, findings);
        findings.Require(
            target.HoldsPool || estate.Targets.All(t => !t.LeadsTo(target.Id)),
            "led-to",
            "$.kind",
            $"'{estate.Targets.FirstOrDefault(t => t.LeadsTo(target.Id))?.Id}' copies its pool here, or goes on here when it is full: it must hold a pool."
        );
        findings.Require(
            target.HoldsPool || estate.Plans.All(p => !p.LeadsTo(target.Id)),
            "planned",
            "$.kind",
            $"The plan '{estate.Plans.FirstOrDefault(p => p.LeadsTo(target.Id))?.Id}' has its points here: it must hold a pool."
        );
        PlanChecks.CheckTarget(target, estate, findings);
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

    public static void CheckWorkload(Workload workload, string path, Estate estate, Findings findings)
    {
        Refer(workload.Region, estate.PriceBook.Regions.Any(r => r?.Id == workload.Region), "region", $"{path}.region", findings);
        findings.Require(
            workload.DailyChange <= workload.Changing,
            "out-of-range",
            $"{path}.dailyChange",
            workload.Changing == 0
                ? "'changing' is 0: nothing is ever rewritten, and 'dailyChange' must be 0."
                : "'dailyChange' must not be greater than 'changing': only what changes at all is rewritten.",
            $"{path}.changing"
        );
        if (workload.Source is { } source)
            CheckSource(source, $"{path}.source", estate, findings);
    }

    private static void CheckSource(WorkloadSource source, string path, Estate estate, Findings findings)
    {
        findings.Require(
            source.Folder is null != source.Bucket is null,
            "one-of",
            path,
            "Say either 'folder' or 'bucket', where its files are."
        );
        findings.Require(
            source.Folder is not "",
            "no-source",
            $"{path}.folder",
            "Write the folder's path, from '/' on or below the first of the folders that the settings allow."
        );
        findings.Require(
            source.Prefix is null || source.Bucket is not null,
            "one-of",
            $"{path}.prefix",
            "A prefix is one of objects' keys in a bucket; name the bucket too."
        );
        foreach (var (program, name) in new[] { (source.Before, "before"), (source.After, "after") })
            findings.Require(
                program is null || (program.Length > 0 && program[0] != '.' && !program.Contains('/', StringComparison.Ordinal)),
                "invalid-program",
                $"{path}.{name}",
                "Write the name of a program in the server's folder of them, without a path."
            );
        if (source.Bucket is { } bucket)
            Refer(bucket, estate.Buckets.Any(b => b?.Name == bucket), "bucket", $"{path}.bucket", findings);
    }

    private static void Check(BackupTarget target, string path, Estate estate, Findings findings)
    {
        Parts(target, path, findings);
        var bucket = Present(estate.Buckets).Select(b => b.Item).FirstOrDefault(b => b.Name == target.Bucket);
        findings.Require(
            bucket is not null || target.Bucket is null,
            "unknown-reference",
            $"{path}.bucket",
            $"There is no bucket '{target.Bucket}'; correct the name or add it.",
            "$.buckets"
        );
        if (target.Local?.Region is { } region)
            Refer(region, estate.PriceBook.Regions.Any(r => r?.Id == region), "region", $"{path}.local.region", findings);
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

    private static void LeadsSomewhere(BackupTarget target, string path, IReadOnlyList<BackupTarget> targets, Findings findings)
    {
        for (var i = 0; i < target.SpillTo.Count; i++)
        {
            var id = target.SpillTo[i];
            findings.Require(
                target.HoldsPool
                    && Present(targets).Any(t => t.Item.Id == id && t.Item.HoldsPool && id != target.Id)
                    && target.SpillTo.Take(i).All(earlier => earlier != id),
                "unknown-reference",
                $"{path}.spillTo[{i}]",
                $"Runs into a pool go on in another target that holds pools, each named once; '{id}' is none.",
                $"{path}.kind"
            );
        }
        if (target.MakeRoom is { } room)
            findings.Require(
                room.By == RoomBy.Remove
                    ? room.To is null
                    : Present(targets).Any(t => t.Item.Id == room.To && t.Item.HoldsPool && room.To != target.Id),
                "unknown-reference",
                $"{path}.makeRoom.to",
                room.By == RoomBy.Remove
                    ? "Points that are removed go nowhere; leave 'to' out, or let them be moved."
                    : $"Points are moved to another target that holds pools; '{room.To}' is none.",
                $"{path}.makeRoom.by"
            );
        if (target.CopyTo is not { } copy)
            return;
        var other = Present(targets).Select(t => t.Item).FirstOrDefault(t => t.Id == copy.Target && t.Id != target.Id);
        findings.Require(
            target.HoldsPool && other is { HoldsPool: true },
            "unknown-reference",
            $"{path}.copyTo.target",
            target.HoldsPool
                ? $"A pool is copied to another target that holds pools; '{copy.Target}' is none."
                : "Only a pool is copied to another target; a volume has snapshots, and a bucket has replication.",
            $"{path}.kind"
        );
    }

    /// <summary>What a kind of target has, and what it has not.</summary>
    private static void Parts(BackupTarget target, string path, Findings findings)
    {
        var kind = target.Kind;
        Part("bucket", target.Bucket is not null, kind != TargetKind.Directory, needed: true);
        Part("prefix", target.Prefix.Length > 0, kind != TargetKind.Directory, needed: false);
        Part("folder", target.Folder is not null, kind == TargetKind.Directory, needed: true);
        Part(
            "capacityBytes",
            target.CapacityBytes is not null,
            kind is TargetKind.Directory or TargetKind.Volume,
            needed: kind == TargetKind.Volume
        );
        Part("moreFolders", target.MoreFolders.Count > 0, kind == TargetKind.Directory, needed: false);
        Part("makeRoom", target.MakeRoom is not null, kind == TargetKind.Directory, needed: false);
        if (target.MakeRoom is { } room)
        {
            findings.Require(
                target.AllCapacityBytes is not null,
                "missing-property",
                $"{path}.capacityBytes",
                "Room is made at a share of the capacity: say at how many bytes each directory is full.",
                $"{path}.makeRoom"
            );
            findings.Require(
                room.DownTo < room.Above,
                "out-of-range",
                $"{path}.makeRoom.downTo",
                "Room is made from one mark down to a lower one: 'downTo' must be less than 'above'.",
                $"{path}.makeRoom.above"
            );
        }
        var folders = FoldersOf(target, path);
        foreach (var ((folder, at), i) in folders.Select((f, i) => (f, i)))
            findings.Require(
                folders.Take(i).All(f => !Nested(f.Folder, folder)),
                "overlapping-targets",
                at,
                $"'{folder}' is named twice, or lies in another of the target's directories.",
                $"{path}.folder"
            );
        Part("credential", target.Credential is not null, kind != TargetKind.Directory, needed: false);
        Part("local", target.Local is not null, kind == TargetKind.Volume, needed: true);
        Part("snapshots", target.Snapshots is not null, kind == TargetKind.Volume, needed: false);
        Part("library", target.Library is not null, kind == TargetKind.Cartridges, needed: true);
        findings.Require(
            kind != TargetKind.Volume || target.CapacityBytes is not { } size || size % BackupTarget.PageBytes == 0,
            "invalid-size",
            $"{path}.capacityBytes",
            $"A volume's size is a multiple of {BackupTarget.PageBytes:#,0} bytes."
        );

        void Part(string name, bool there, bool belongs, bool needed)
        {
            findings.Require(
                there || !(belongs && needed),
                "missing-property",
                $"{path}.{name}",
                $"A target of this kind needs '{name}'; add it.",
                $"{path}.kind"
            );
            findings.Require(
                !there || belongs,
                "not-of-this-kind",
                $"{path}.{name}",
                $"A target of this kind has no '{name}'; remove it.",
                $"{path}.kind"
            );
        }
    }

    private static List<(string Folder, string Path)> FoldersOf(BackupTarget target, string path) =>
        [
            .. target.Folder is { } folder ? [(folder, $"{path}.folder")] : Enumerable.Empty<(string, string)>(),
            // What is no object was read as nothing, and has its finding.
            .. target
                .MoreFolders.Select((f, i) => (f?.Folder, Path: $"{path}.moreFolders[{i}].folder"))
                .Where(f => f.Folder is not null)
                .Select(f => (f.Folder!, f.Path)),
        ];

    private static bool Nested(string a, string b)
    {
        var (one, two) = ($"{a.TrimEnd('/')}/", $"{b.TrimEnd('/')}/");
        return one.StartsWith(two, StringComparison.Ordinal) || two.StartsWith(one, StringComparison.Ordinal);
    }

    private static void Apart(BackupTarget target, string path, BackupTarget other, Findings findings, params string[] others)
    {
        foreach (var (folder, at) in FoldersOf(target, path))
            findings.Require(
                FoldersOf(other, "$").All(f => !Nested(f.Folder, folder)),
                "overlapping-targets",
                at,
                $"'{target.Id}' and '{other.Id}' lie in the same directory, or one in the other's: their pools would mix."
            );
        findings.Require(
            target.Bucket is null || other.Bucket != target.Bucket || !Overlap(other.Prefix, target.Prefix),
            "overlapping-targets",
            $"{path}.prefix",
            $"'{target.Id}' and '{other.Id}' lie in '{target.Bucket}', and one's prefix begins the other's: their pools would mix.",
            [$"{path}.bucket", .. others]
        );
        findings.Require(
            target.Folder is null || other.Folder is null || !Overlap(Ended(target.Folder), Ended(other.Folder)),
            "overlapping-targets",
            $"{path}.folder",
            $"'{target.Id}' and '{other.Id}' would lie one in the other: their pools would mix.",
            others
        );

        static string Ended(string folder) => folder.TrimEnd('/') + "/";
    }

    private static bool Expires(LifecycleRule rule, BackupTarget target) =>
        rule.ExpireAt is not null && Overlap(rule.Prefix, target.Prefix);

    private static bool Overlap(string a, string b) =>
        a.StartsWith(b, StringComparison.Ordinal) || b.StartsWith(a, StringComparison.Ordinal);
}
