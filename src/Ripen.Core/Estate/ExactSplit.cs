namespace Ripen.Core.Estates;

/// <summary>Counts and bytes cut into whole numbers without losing or gaining any.</summary>
public static class ExactSplit
{
    /// <summary>A count as whole objects and the part of one more: at least 0 and below 1, null for none.</summary>
    public static (long Objects, double? Fraction) Whole(double count)
    {
        var whole = Math.Floor(count);
        return ((long)whole, count == whole ? null : count - whole);
    }

    /// <summary>So many objects of so many bytes together, as one or two counts of objects of a whole size each.</summary>
    public static IEnumerable<(double Count, long Bytes)> BySize(double count, double bytes)
    {
        if (count == 0)
            yield break;
        var each = Math.Floor(bytes / count);
        var larger = bytes - (each * count);
        if (count - larger > 0)
            yield return (count - larger, (long)each);
        if (larger > 0)
            yield return (larger, (long)each + 1);
    }
}
