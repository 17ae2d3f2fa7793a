using Ripen.Core.Backups;

namespace Ripen.Data;

internal sealed class WorkloadRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }
    public required string Name { get; set; }
    public required double Bytes { get; set; }
    public required double YearlyGrowth { get; set; }
    public required double Changing { get; set; }
    public required double DailyChange { get; set; }
    public required double Unique { get; set; }
    public required double Compression { get; set; }
    public required bool EncryptedAtSource { get; set; }
    public required string RegionId { get; set; }
    public double? RpoHours { get; set; }
    public double? RtoHours { get; set; }
    public string? SourceFolder { get; set; }
    public string? SourceBucket { get; set; }
    public string? SourcePrefix { get; set; }
    public string? SourceBefore { get; set; }
    public string? SourceAfter { get; set; }
}

internal sealed class TargetRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }
    public required string Name { get; set; }
    public required string Kind { get; set; }
    public string? Bucket { get; set; }
    public required string Prefix { get; set; }
    public string? Folder { get; set; }
    public long? CapacityBytes { get; set; }
    public List<TargetFolderRow> MoreFolders { get; set; } = [];
    public double? RoomAbove { get; set; }
    public double? RoomDownTo { get; set; }
    public string? RoomBy { get; set; }
    public string? RoomTo { get; set; }
    public int? RoomLeave { get; set; }
    public long? JournalBytes { get; set; }
    public long? ReadBytes { get; set; }
    public string? LocalRegionId { get; set; }
    public double? SnapshotEveryHours { get; set; }
    public int? SnapshotKeep { get; set; }
    public long? CartridgeBytes { get; set; }
    public int? Slots { get; set; }
    public int? Drives { get; set; }
    public required long PackBytes { get; set; }
    public required bool Deduplicates { get; set; }
    public required bool Compresses { get; set; }
    public required bool Encrypts { get; set; }
    public string? OperatedBy { get; set; }
    public required int Writers { get; set; }
    public string? SpillTo { get; set; }
    public string? CopyTarget { get; set; }
    public double? CopyEveryHours { get; set; }

    /// <summary>An installation's; no foreign key, because a document may name one that is not here.</summary>
    public string? Credential { get; set; }
    public string? Access { get; set; }
    public double? TestEveryHours { get; set; }
    public double? BytesPerSecond { get; set; }
}

/// <summary>One more directory of a target, in the order of <see cref="Position"/>.</summary>
internal sealed class TargetFolderRow
{
    public string TargetId { get; set; } = "";
    public required int Position { get; set; }
    public required string Folder { get; set; }
    public long? CapacityBytes { get; set; }
}

/// <summary>A restore or rehearsal that came to its end. No foreign keys: a record outlives what it tells of.</summary>
internal sealed class RestoreRow
{
    public int Id { get; set; }
    public required DateTimeOffset At { get; set; }
    public required DateOnly Day { get; set; }
    public required string Actor { get; set; }
    public required RestoreKind Kind { get; set; }
    public required string Target { get; set; }
    public required string Point { get; set; }
    public required string Workload { get; set; }
    public required DateTimeOffset Taken { get; set; }
    public required string Under { get; set; }
    public string? Into { get; set; }
    public required long Files { get; set; }
    public required double Bytes { get; set; }
    public required double Seconds { get; set; }
    public double? Money { get; set; }
    public required long Problems { get; set; }
    public string? Error { get; set; }
}

/// <summary>What a self-test of a target found.</summary>
internal sealed class ProbeRow
{
    /// <summary>Its id; a target that is made anew begins without.</summary>
    public required string Target { get; set; }
    public required DateTimeOffset At { get; set; }
    public required bool Worked { get; set; }

    /// <summary>Its steps, as JSON.</summary>
    public required string Steps { get; set; }
}

/// <summary>What opens a backup pool, protected by a key that lies elsewhere.</summary>
internal sealed class PoolSecretRow
{
    /// <summary>The pool's own, not the target's: a pool keeps its secret wherever it is moved.</summary>
    public required string PoolId { get; set; }
    public required byte[] Protected { get; set; }
}

/// <summary>A backup plan; what it refers to is beside its body, so that nothing of it can go away under it.</summary>
internal sealed class PlanRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }

    /// <summary>The plan as in a document, as JSON.</summary>
    public required string Body { get; set; }
    public List<PlanTargetRow> Targets { get; set; } = [];
    public List<PlanWorkloadRow> Workloads { get; set; } = [];
}

internal sealed class PlanTargetRow
{
    public string PlanId { get; set; } = "";
    public required string TargetId { get; set; }
}

internal sealed class PlanWorkloadRow
{
    public string PlanId { get; set; } = "";
    public required string WorkloadId { get; set; }
}

internal sealed class CredentialRow
{
    public required string Id { get; set; }
    public required string Name { get; set; }
    public required string Kind { get; set; }
    public List<CredentialSecretRow> Secrets { get; set; } = [];
}

internal sealed class CredentialSecretRow
{
    public long Id { get; set; }
    public required string KeyId { get; set; }

    /// <summary>By ASP.NET Data Protection.</summary>
    public required byte[] Protected { get; set; }
    public required DateTimeOffset Added { get; set; }
    public DateTimeOffset? Ends { get; set; }
}

internal sealed class WaitingRestoreRow
{
    public long Id { get; set; }
    public required string Target { get; set; }
    public required string Point { get; set; }
    public string? Order { get; set; }
    public required string Actor { get; set; }
    public required DateTimeOffset ReadyFrom { get; set; }
    public bool Begun { get; set; }
}
