using System.Text.Json.Serialization;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Arrays;

/// <summary>A storage array of one's own, whose data may leave for a bucket when nobody has used it for long.</summary>
public sealed record LocalArray
{
    /// <summary>In the keys of what left: <c>array/volume/folder</c>.</summary>
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>Where it stands.</summary>
    public required string Region { get; init; }

    /// <summary>Usable bytes; above 0.</summary>
    public required double CapacityBytes { get; init; }

    /// <summary>What a unit held on it costs a month: what the array costs in its life, by what it can hold.</summary>
    public required UnitPrice PricePerUnitMonth { get; init; }
    public IReadOnlyList<ArrayVolume> Volumes { get; init; } = [];

    /// <summary>Where data leaves to; null while the array keeps everything.</summary>
    public string? Bucket { get; init; }

    /// <summary>Which data leaves; what any of them takes does.</summary>
    public IReadOnlyList<LeavingRule> Leaving { get; init; } = [];

    /// <summary>What the keys of everything that left begin with.</summary>
    [JsonIgnore]
    public string Prefix => $"{Id}/";

    public string KeyOf(ArrayVolume volume, ArrayData data) => $"{PrefixOf(volume)}{data.Folder}";

    public string PrefixOf(ArrayVolume volume) => $"{Prefix}{volume.Id}/";

    /// <summary>Whether what is away comes home when somebody reads it; else it is read where it is.</summary>
    public bool HomeOnRead { get; init; }

    /// <summary>The day whose night takes it to the bucket if nobody uses it before; null where it stays, or is away already.</summary>
    public DateOnly? LeavesOn(ArrayVolume volume, ArrayData data)
    {
        if (Bucket is null || volume.StaysBecause is not null || data.Away is not null)
            return null;
        return DaysUnused(volume, data) is { } days ? data.LastUsed.AddDays(days) : null;
    }

    /// <summary>Days without use after which rules take it; null where none does.</summary>
    public int? DaysUnused(ArrayVolume volume, ArrayData data) => Leaving.Where(r => r.Takes(volume, data)).Min(r => (int?)r.AfterDays);

    /// <summary>All data with its volume.</summary>
    public IEnumerable<(ArrayVolume Volume, ArrayData Data)> All() => Volumes.SelectMany(v => v.Data.Select(d => (v, d)));
}

/// <summary>A volume of an array.</summary>
public sealed record ArrayVolume
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>Why nothing of it can leave; null where it can.</summary>
    public string? StaysBecause { get; init; }
    public IReadOnlyList<ArrayData> Data { get; init; } = [];
}

/// <summary>Files of a volume that are alike, and were used last on one day.</summary>
public sealed record ArrayData
{
    /// <summary>Its path in the volume, or how that begins.</summary>
    public string Folder { get; init; } = "";

    /// <summary>How many; from 1.</summary>
    public required long Files { get; init; }
    public required long BytesPerFile { get; init; }

    /// <summary>The day on which somebody read or wrote them last.</summary>
    public required DateOnly LastUsed { get; init; }

    /// <summary>Whether only snapshots refer to them any more.</summary>
    public bool OnlyInSnapshots { get; init; }

    /// <summary>The day whose night took them to the bucket; null while they are on the array.</summary>
    public DateOnly? Away { get; init; }

    [JsonIgnore]
    public double Bytes => (double)Files * BytesPerFile;
}

/// <summary>What leaves an array.</summary>
public sealed record LeavingRule
{
    public required string Id { get; init; }

    /// <summary>The id of a volume; null for all that can take part.</summary>
    public string? Volume { get; init; }

    /// <summary>Folders that begin so.</summary>
    public string Folder { get; init; } = "";

    /// <summary>Smaller files stay.</summary>
    public long SmallestBytes { get; init; }

    /// <summary>Only what nothing but snapshots refers to.</summary>
    public bool OnlyInSnapshots { get; init; }

    /// <summary>Days since anybody used it; from 0.</summary>
    public required int AfterDays { get; init; }

    public bool Takes(ArrayVolume volume, ArrayData data) =>
        (Volume is null || Volume == volume.Id)
        && data.Folder.StartsWith(Folder, StringComparison.Ordinal)
        && data.BytesPerFile >= SmallestBytes
        && (!OnlyInSnapshots || data.OnlyInSnapshots);
}
