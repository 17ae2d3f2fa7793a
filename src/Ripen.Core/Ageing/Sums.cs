using System.Numerics;

namespace Ripen.Core.Ageing;

/// <summary>Sums of many numbers, several at a time; each one's is the same as one by one.</summary>
internal static class Sums
{
    /// <summary>Adds each to the one at its place.</summary>
    public static void Add(ReadOnlySpan<double> added, Span<double> to)
    {
        var m = 0;
        for (; m <= to.Length - Vector<double>.Count; m += Vector<double>.Count)
            (new Vector<double>(to[m..]) + new Vector<double>(added[m..])).CopyTo(to[m..]);
        for (; m < to.Length; m++)
            to[m] += added[m];
    }

    /// <summary>Adds so many times each to the one at its place.</summary>
    public static void Add(ReadOnlySpan<double> added, double times, Span<double> to)
    {
        var m = 0;
        for (; m <= to.Length - Vector<double>.Count; m += Vector<double>.Count)
            (new Vector<double>(to[m..]) + (new Vector<double>(added[m..]) * times)).CopyTo(to[m..]);
        for (; m < to.Length; m++)
            to[m] += added[m] * times;
    }
}
