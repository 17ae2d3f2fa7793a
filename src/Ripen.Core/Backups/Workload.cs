namespace Ripen.Core.Backups;

/// <summary>Files that a plan's runs read: a folder of the server's machine, or objects of a bucket; one of the two.</summary>
public sealed record WorkloadSource
{
    /// <summary>Its whole path, or one below the first of the folders that the server's settings allow.</summary>
    public string? Folder { get; init; }
    public string? Bucket { get; init; }

    /// <summary>Of the objects' keys; null for all of the bucket.</summary>
    public string? Prefix { get; init; }

    /// <summary>A program that is run before, so that what is read is consistent: a file's name in the server's folder of them; null for
    /// none.</summary>
    public string? Before { get; init; }

    /// <summary>One that is run afterwards, however the run went; null for none.</summary>
    public string? After { get; init; }

    /// <summary>Whether it has objects in common with what lies below <paramref name="prefix"/> in a bucket.</summary>
    public bool Overlaps(string? bucket, string prefix) =>
        Bucket is not null
        && Bucket == bucket
        && ((Prefix ?? "").StartsWith(prefix, StringComparison.Ordinal) || prefix.StartsWith(Prefix ?? "", StringComparison.Ordinal));
}

/// <summary>
/// Content that is backed up, in expectation (model 9.1, 9.2): a hot part, of which every byte is rewritten on a day with the same chance,
/// and a cold part, which never is.
/// </summary>
public sealed record Workload
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>On the estate's today.</summary>
    public required double Bytes { get; init; }

    /// <summary>A fraction, above -1; 0.2 is 20 % more in 365 days.</summary>
    public double YearlyGrowth { get; init; }

    /// <summary>The share of the content that ever changes, 0 to 1.</summary>
    public double Changing { get; init; } = 1;

    /// <summary>The share of the content that is rewritten in a day, at most <see cref="Changing"/>.</summary>
    public double DailyChange { get; init; }

    /// <summary>Bytes left of a byte after deduplication within the workload, above 0 and at most 1.</summary>
    public double Unique { get; init; } = 1;

    /// <summary>Bytes left of a byte after compression, above 0 and at most 1.</summary>
    public double Compression { get; init; } = 1;

    /// <summary>It can be neither deduplicated nor compressed any more.</summary>
    public bool EncryptedAtSource { get; init; }

    /// <summary>What is really backed up when a plan runs; null for a workload that is only computed with.</summary>
    public WorkloadSource? Source { get; init; }

    /// <summary>Where it is.</summary>
    public required string Region { get; init; }

    /// <summary>The recovery point objective, hours; null where none was agreed.</summary>
    public double? RpoHours { get; init; }

    /// <summary>The recovery time objective, hours; null where none was agreed.</summary>
    public double? RtoHours { get; init; }

    /// <summary>The workload with its bytes of <paramref name="day"/>, when these are those of <paramref name="statedOn"/>.</summary>
    public Workload AsOf(DateOnly day, DateOnly statedOn) =>
        statedOn == day || YearlyGrowth == 0 ? this : this with { Bytes = new WorkloadContent(this, statedOn).BytesOn(day) };
}
