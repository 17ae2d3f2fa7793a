namespace Ripen.Core.Backups;

/// <summary>What a backup moves, and over what. Bytes a second are of what is moved there: content before it is reduced, or what is left of it.</summary>
public sealed record SizingQuestions
{
    /// <summary>What comes in while a window is open, content.</summary>
    public required double BytesPerSecondIn { get; init; }

    /// <summary>What the line carries, reduced; infinite for no limit.</summary>
    public required double LineBytesPerSecond { get; init; }

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
        var drains = asked.LineBytesPerSecond / asked.Compression;
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
