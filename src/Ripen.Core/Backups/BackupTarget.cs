using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>What kind of place a backup target's pool lies in.</summary>
public enum TargetKind
{
    Bucket,
}

/// <summary>A pool for backups, and the way to it (model 9.1).</summary>
public sealed record BackupTarget
{
    /// <summary>64 million bytes.</summary>
    public const int UsualPackBytes = 64_000_000;

    public required string Id { get; init; }
    public required string Name { get; init; }
    public required TargetKind Kind { get; init; }

    /// <summary>In which the pool lies.</summary>
    public required string Bucket { get; init; }

    /// <summary>Everything of the pool begins so.</summary>
    public string Prefix { get; init; } = "";

    /// <summary>Of an object that a run stores; at least 1.</summary>
    public long PackBytes { get; init; } = UsualPackBytes;
    public bool Deduplicates { get; init; } = true;
    public bool Compresses { get; init; } = true;

    /// <summary>May be left out only where the organisation runs the place itself.</summary>
    public bool Encrypts { get; init; } = true;

    /// <summary>Who runs the place, wherever it stands; null: a provider.</summary>
    public Operator? OperatedBy { get; init; }

    /// <summary>At work at once, at least 1.</summary>
    public int Writers { get; init; } = 1;

    /// <summary>What the target takes and gives; null for no limit.</summary>
    public double? BytesPerSecond { get; init; }
}
