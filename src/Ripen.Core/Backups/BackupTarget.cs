using System.Text.Json.Serialization;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>What kind of place a backup target's pool lies in.</summary>
public enum TargetKind
{
    /// <summary>Below a prefix of a bucket.</summary>
    Bucket,

    /// <summary>In a folder of the machine that runs this program.</summary>
    Directory,

    /// <summary>A block device whose blocks lie in a bucket, with a local disk before it.</summary>
    Volume,

    /// <summary>Tape without tape, in a bucket.</summary>
    Cartridges,
}

/// <summary>What Ripen may do in a target.</summary>
public enum TargetAccess
{
    ReadWrite,

    /// <summary>Nothing is written or removed.</summary>
    ReadOnly,

    /// <summary>Nothing is read, either.</summary>
    Locked,
}

/// <summary>Another target to which a whole pool is copied.</summary>
public sealed record PoolCopySchedule
{
    /// <summary>Its id.</summary>
    public required string Target { get; init; }
    public required double EveryHours { get; init; }
}

/// <summary>One more directory of a pool, most often on another disk.</summary>
public sealed record TargetFolder
{
    public required string Folder { get; init; }

    /// <summary>It is full at so many bytes; null for no limit but the disk's.</summary>
    public long? CapacityBytes { get; init; }
}

/// <summary>What becomes of points when a place fills.</summary>
public enum RoomBy
{
    /// <summary>The oldest are removed.</summary>
    Remove,

    /// <summary>The oldest are moved to another target.</summary>
    Move,
}

/// <summary>What goes from a directory when it fills: from one mark down to another.</summary>
public sealed record RoomRule
{
    /// <summary>A share of the capacity, above 0 and at most 1: beyond it room is made.</summary>
    public required double Above { get; init; }

    /// <summary>A share of the capacity, from 0 to below <see cref="Above"/>: so far.</summary>
    public required double DownTo { get; init; }
    public required RoomBy By { get; init; }

    /// <summary>The id of the target to which points are moved; null where they are removed.</summary>
    public string? To { get; init; }

    /// <summary>So many of a workload's newest points stay in any case; at least 1.</summary>
    public int Leave { get; init; } = 1;
}

/// <summary>What stands between a volume's writer and its bucket.</summary>
public sealed record LocalCache
{
    /// <summary>What may be acknowledged and not yet be in the bucket.</summary>
    public required long JournalBytes { get; init; }

    /// <summary>What is read without asking the bucket.</summary>
    public required long ReadBytes { get; init; }

    /// <summary>Where the disk stands; null: where what writes stands.</summary>
    public string? Region { get; init; }
}

/// <summary>When snapshots of a volume are taken, and how many stay.</summary>
public sealed record SnapshotSchedule
{
    public required double EveryHours { get; init; }

    /// <summary>The newest of the schedule's; those made by hand are not counted.</summary>
    public required int Keep { get; init; }
}

/// <summary>How many cartridges there are room for, and what each holds.</summary>
public sealed record CartridgeLibrary
{
    public required long CartridgeBytes { get; init; }
    public required int Slots { get; init; }
    public required int Drives { get; init; }
}

/// <summary>A pool for backups, and the way to it (model 9.1).</summary>
public sealed record BackupTarget
{
    /// <summary>Of a volume: the smallest piece that a client reads or writes.</summary>
    public const int PageBytes = 4096;

    /// <summary>64 million bytes.</summary>
    public const int UsualPackBytes = 64_000_000;

    public required string Id { get; init; }
    public required string Name { get; init; }
    public required TargetKind Kind { get; init; }

    /// <summary>In which the pool lies; null for a directory.</summary>
    public string? Bucket { get; init; }

    /// <summary>The directory's path, or one below the first folder that a machine's settings allow; null for other kinds.</summary>
    public string? Folder { get; init; }

    /// <summary>A directory is full at so many bytes (null for no limit of its own); a volume is so large.</summary>
    public long? CapacityBytes { get; init; }

    /// <summary>Of a directory: its pool lies in these as well.</summary>
    public IReadOnlyList<TargetFolder> MoreFolders { get; init; } = [];

    /// <summary>Of a directory that has a capacity; null: what does not fit is refused, or goes on elsewhere.</summary>
    public RoomRule? MakeRoom { get; init; }

    /// <summary>Of all its directories together; null where one of them has no limit but its disk's.</summary>
    [JsonIgnore]
    public long? AllCapacityBytes =>
        MoreFolders.Any(f => f?.CapacityBytes is null) ? null : CapacityBytes + MoreFolders.Sum(f => f.CapacityBytes!.Value);

    /// <summary>Of a volume.</summary>
    public LocalCache? Local { get; init; }

    /// <summary>Of a volume; null for by hand only.</summary>
    public SnapshotSchedule? Snapshots { get; init; }

    /// <summary>Of cartridges.</summary>
    public CartridgeLibrary? Library { get; init; }

    /// <summary>Everything of the pool begins so.</summary>
    public string Prefix { get; init; } = "";

    /// <summary>Of an object that a run stores; at least 1.</summary>
    public long PackBytes { get; init; } = UsualPackBytes;

    /// <summary>Below the prefix, where packs of real content lie; lists of what points hold lie beside it.</summary>
    public const string PackFolder = "packs/";

    /// <summary>What rules look at in a pack: it has no tags.</summary>
    /// <param name="isReal">Whether it has content.</param>
    internal ObjectKind PackKind(bool isReal) => new(isReal ? $"{Prefix}{PackFolder}" : Prefix, null, PackBytes);

    public bool Deduplicates { get; init; } = true;
    public bool Compresses { get; init; } = true;

    /// <summary>May be left out only where the organisation runs the place itself.</summary>
    public bool Encrypts { get; init; } = true;

    /// <summary>Who runs the place, wherever it stands; null: a provider.</summary>
    public Operator? OperatedBy { get; init; }

    /// <summary>At work at once, at least 1.</summary>
    public int Writers { get; init; } = 1;

    /// <summary>Of a pool: where runs go when this place is full, first choice first; empty: they are refused.</summary>
    public IReadOnlyList<string> SpillTo { get; init; } = [];

    /// <summary>Of a pool; null for by hand only.</summary>
    public PoolCopySchedule? CopyTo { get; init; }

    /// <summary>The id of the credential with which its bucket is reached, as this installation knows it; null: as the bucket's
    /// owner.</summary>
    public string? Credential { get; init; }
    public TargetAccess Access { get; init; } = TargetAccess.ReadWrite;

    /// <summary>How often it tests itself; null for by hand only.</summary>
    public double? TestEveryHours { get; init; }

    /// <summary>Whether Ripen's own pools lie in it.</summary>
    [JsonIgnore]
    public bool HoldsPool => Kind is TargetKind.Bucket or TargetKind.Directory;

    /// <summary>Whether its pool is copied to a target, or goes on there when it is full.</summary>
    public bool LeadsTo(string target) => CopyTo?.Target == target || SpillTo.Contains(target) || MakeRoom?.To == target;

    /// <summary>What the target takes and gives; null for no limit.</summary>
    public double? BytesPerSecond { get; init; }
}
