namespace Ripen.Backup.Pools;

/// <summary>Which bytes of an object a read means.</summary>
public static class Ranges
{
    /// <param name="from">Below 0: from the end.</param>
    /// <param name="length">At most so many.</param>
    /// <param name="size">Of the object.</param>
    public static (long From, int Length) Of(long from, int length, long size)
    {
        var start = from < 0 ? Math.Max(0, size + from) : Math.Min(from, size);
        return (start, (int)Math.Min(length, size - start));
    }
}
