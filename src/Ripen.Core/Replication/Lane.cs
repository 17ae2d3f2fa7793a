namespace Ripen.Core.Replication;

/// <summary>
/// Each copy rule has two lanes on its line, for small objects and for large ones, so that a large one never holds up the small. A lane
/// keeps the order of arrival; lanes that have something waiting get equal parts of the line.
/// </summary>
public enum Lane
{
    Small,
    Large,
}

public static class Lanes
{
    /// <summary>Objects up to this size are small: 2^26 bytes.</summary>
    public const long SmallAtMostBytes = 1L << 26;

    public const int Count = 2;

    public static Lane Of(long bytesPerObject) => bytesPerObject <= SmallAtMostBytes ? Lane.Small : Lane.Large;
}
