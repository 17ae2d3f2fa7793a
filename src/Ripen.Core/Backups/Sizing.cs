namespace Ripen.Core.Backups;

/// <summary>What a backup moves, and over what. Bytes a second are of what is moved there: content before it is reduced, or what is left of it.</summary>
public sealed record SizingQuestions
{
    /// <summary>What comes in while a window is open, content.</summary>
    public required double BytesPerSecondIn { get; init; }

    /// <summary>What the line carries, as it was when it left; infinite for no limit.</summary>
    public required double LineBytesPerSecond { get; init; }

    /// <summary>Whether it is reduced only at the target: then the line carries content.</summary>
    public bool ReducedAtTarget { get; init; }

    /// <summary>How long it comes in.</summary>
    public required double WindowSeconds { get; init; }

    /// <summary>Bytes left of a byte of content, above 0 and at most 1.</summary>
    public required double Compression { get; init; }

    /// <summary>Content of the days that should be read without the line.</summary>
    public required double LocalBytes { get; init; }

    /// <summary>On top of both; 0.1 is common practice.</summary>
    public double Headroom { get; init; } = 0.1;
}

/// <summary>The local disk of a target that lies far away (model 9.6), with every figure on the way.</summary>
/// <param name="DrainsPerSecond">Content that the line takes, before it is reduced.</param>
/// <param name="GathersPerSecond">Content that comes in faster than that; 0 when the line keeps up.</param>
/// <param name="JournalBytes">What has gathered at the window's end, with headroom.</param>
/// <param name="DrainSeconds">From the window's end until the journal is empty.</param>
/// <param name="ReadBytes">For the days that are read locally, with headroom.</param>
public sealed record LocalDisk(double DrainsPerSecond, double GathersPerSecond, double JournalBytes, double DrainSeconds, double ReadBytes)
{
    public double Bytes => JournalBytes + ReadBytes;

    public static LocalDisk Of(SizingQuestions asked)
    {
        var drains = asked.LineBytesPerSecond / (asked.ReducedAtTarget ? 1 : asked.Compression);
        var gathers = Math.Max(0, asked.BytesPerSecondIn - drains);
        var gathered = gathers * asked.WindowSeconds;
        return new LocalDisk(
            drains,
            gathers,
            gathered * (1 + asked.Headroom),
            gathered > 0 ? gathered / drains : 0,
            asked.LocalBytes * (1 + asked.Headroom)
        );
    }
}

/// <summary>How long a run takes: as long as the slowest of its parts (model 9.6). Rates are bytes a second, null for no limit.</summary>
/// <param name="SourceSeconds">Reading what is backed up.</param>
/// <param name="TargetSeconds">The target taking what is stored.</param>
/// <param name="LineSeconds">The line carrying it.</param>
public sealed record RunTime(double SourceSeconds, double TargetSeconds, double LineSeconds)
{
    public double Seconds => Math.Max(SourceSeconds, Math.Max(TargetSeconds, LineSeconds));

    public static RunTime Of(double logicalBytes, double storedBytes, double? source, double? target, double? line) =>
        new(Taken(logicalBytes, source), Taken(storedBytes, target), Taken(storedBytes, line));

    private static double Taken(double bytes, double? rate) => rate is { } r ? bytes / r : 0;
}

/// <summary>The index of a deduplicating pool: what it must look up for every chunk of a run, and so should hold in memory.</summary>
/// <param name="Chunks">Different ones in the pool.</param>
/// <param name="Bytes">Of their entries.</param>
public sealed record DeduplicationIndex(double Chunks, double Bytes)
{
    /// <summary>Of Ripen's own: a chunk's id of 32 bytes, its pack, offset and lengths, and a table's share for finding it.</summary>
    public const int EntryBytes = 72;

    /// <param name="contentBytes">Different content in the pool, before it is compressed.</param>
    /// <param name="averageChunkBytes">Above 0; 1 MiB for large sources.</param>
    public static DeduplicationIndex Of(double contentBytes, double averageChunkBytes)
    {
        var chunks = contentBytes / averageChunkBytes;
        return new DeduplicationIndex(chunks, chunks * EntryBytes);
    }
}

/// <summary>Moving much at once: a first load, or a whole restore.</summary>
public sealed record ShippingQuestions
{
    /// <summary>What moves, as it is stored.</summary>
    public required double Bytes { get; init; }

    /// <summary>What the line carries, above 0.</summary>
    public required double LineBytesPerSecond { get; init; }

    /// <summary>What a disk holds, above 0.</summary>
    public required double DiskBytes { get; init; }

    /// <summary>At which one disk is copied onto or from, above 0.</summary>
    public required double DiskBytesPerSecond { get; init; }

    /// <summary>Disks copied at once at either end, at least 1.</summary>
    public required int DisksAtOnce { get; init; }

    /// <summary>Under way.</summary>
    public required double TransitDays { get; init; }

    /// <summary>For each disk, there and back.</summary>
    public required double PricePerDisk { get; init; }
}

/// <summary>Disks that are sent against the line, with every figure on the way.</summary>
/// <param name="LineDays">Over the line.</param>
/// <param name="Disks">Needed.</param>
/// <param name="CopyDays">Onto them at one end and from them at the other.</param>
/// <param name="ShippedDays">Copied, sent, copied.</param>
/// <param name="Price">Of all disks.</param>
/// <param name="WinsFromBytes">Sending is sooner from so much on, disks taken as filled to the last byte; null for never.</param>
public sealed record ShippedDisks(double LineDays, long Disks, double CopyDays, double ShippedDays, double Price, double? WinsFromBytes)
{
    private const double SecondsADay = 86_400;

    public static ShippedDisks Of(ShippingQuestions asked)
    {
        var disks = (long)Math.Ceiling(asked.Bytes / asked.DiskBytes);
        // Side by side in as many places as there are; a last disk that is alone in its round may be filled in part.
        var rounds = Math.Ceiling((double)disks / asked.DisksAtOnce);
        var alone = disks - ((rounds - 1) * asked.DisksAtOnce) == 1;
        var lastRound = alone ? asked.Bytes - ((disks - 1) * asked.DiskBytes) : asked.DiskBytes;
        var copy = disks == 0 ? 0 : 2 * (((rounds - 1) * asked.DiskBytes) + lastRound) / asked.DiskBytesPerSecond / SecondsADay;
        var gainedPerByte = (1 / asked.LineBytesPerSecond) - (2 / (asked.DiskBytesPerSecond * asked.DisksAtOnce));
        return new ShippedDisks(
            asked.Bytes / asked.LineBytesPerSecond / SecondsADay,
            disks,
            copy,
            copy + asked.TransitDays,
            disks * asked.PricePerDisk,
            gainedPerByte > 0 ? asked.TransitDays * SecondsADay / gainedPerByte : null
        );
    }
}
