using System.Numerics;

namespace Ripen.Core.Ageing;

/// <summary>Sums of many numbers, several at a time.</summary>
internal static class Sums
{
    /// <summary>All of them together.</summary>
    public static double Of(ReadOnlySpan<double> numbers)
    {
        var (some, n) = (Vector<double>.Zero, 0);
        for (; n <= numbers.Length - Vector<double>.Count; n += Vector<double>.Count)
            some += new Vector<double>(numbers[n..]);
        var sum = Vector.Sum(some);
        for (; n < numbers.Length; n++)
            sum += numbers[n];
        return sum;
    }

    /// <summary>Each times the weight at its place, together.</summary>
    public static double Dot(ReadOnlySpan<double> numbers, ReadOnlySpan<double> weights)
    {
        var (some, n) = (Vector<double>.Zero, 0);
        for (; n <= numbers.Length - Vector<double>.Count; n += Vector<double>.Count)
            some += new Vector<double>(numbers[n..]) * new Vector<double>(weights[n..]);
        var sum = Vector.Sum(some);
        for (; n < numbers.Length; n++)
            sum += numbers[n] * weights[n];
        return sum;
    }

    /// <summary>Makes each so many times as large.</summary>
    public static void Scale(Span<double> numbers, double times)
    {
        var n = 0;
        for (; n <= numbers.Length - Vector<double>.Count; n += Vector<double>.Count)
            (new Vector<double>(numbers[n..]) * times).CopyTo(numbers[n..]);
        for (; n < numbers.Length; n++)
            numbers[n] *= times;
    }

    /// <summary>Adds each to the one at its place: to the last digit as one by one.</summary>
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
