namespace Ripen.Core.Ageing;

/// <summary>
/// Objects by day of creation: the days <see cref="First"/> to <see cref="End"/> (exclusive), counted from today, where day
/// First + i has <c>objects × r^(offset + i)</c> objects. A stream is one such series; a lot is a series of a single day.
/// </summary>
internal readonly struct Cohorts
{
    private readonly double objects;
    private readonly int offset;
    private readonly GrowthTable? growth;

    private Cohorts(int first, int end, double objects, int offset, GrowthTable? growth)
    {
        First = first;
        End = end;
        this.objects = objects;
        this.offset = offset;
        this.growth = growth;
    }

    public int First { get; }

    public int End { get; }

    public static Cohorts Lot(int created, double objects) => new(created, created + 1, objects, 0, null);

    public static Cohorts Stream(double objectsPerDay, GrowthTable? growth, int days) => new(0, days, objectsPerDay, 0, growth);

    public Cohorts Between(int first, int end)
    {
        first = Math.Max(first, First);
        return new Cohorts(first, Math.Max(first, Math.Min(end, End)), objects, offset + first - First, growth);
    }

    public bool IsEmpty => End <= First;

    /// <summary>Objects created on the days [from, to).</summary>
    public double Count(int from, int to)
    {
        (from, to) = (Math.Max(from, First), Math.Min(to, End));
        return to <= from ? 0 : Scale(from) * Sum(to - from);
    }

    /// <summary>Σ objects × weight over the days [from, to), where the weight is <paramref name="weight"/> on day from and rises by 1 a
    /// day.</summary>
    public double Rising(int from, int to, double weight)
    {
        var (f, t) = (Math.Max(from, First), Math.Min(to, End));
        if (t <= f)
            return 0;
        return Scale(f) * ((weight + (f - from)) * Sum(t - f) + Ramp(t - f));
    }

    /// <summary>Σ objects × weight over the days [from, to), where the weight is <paramref name="weight"/> on day from and falls by 1 a
    /// day.</summary>
    public double Falling(int from, int to, double weight)
    {
        var (f, t) = (Math.Max(from, First), Math.Min(to, End));
        if (t <= f)
            return 0;
        return Scale(f) * ((weight - (f - from)) * Sum(t - f) - Ramp(t - f));
    }

    /// <summary>
    /// Object-days that fall into the days [p, q) when every object counts from age <paramref name="a"/> to age <paramref name="b"/>
    /// (exclusive). By day of creation the overlap rises by one a day, stays level, and falls by one a day: a trapezium.
    /// </summary>
    public double ObjectDays(int a, int b, int p, int q)
    {
        if (b <= a || q <= p)
            return 0;
        var (inner, outer) = q - p < b - a ? (q - b, p - a) : (p - a, q - b);
        return Rising(p - b + 1, inner + 1, 1)
            + Math.Min(q - p, b - a) * Count(inner + 1, outer + 1)
            + Falling(outer + 1, q - a, q - a - outer - 1);
    }

    private double Scale(int from) => growth is null ? objects : objects * growth.Power(offset + from - First);

    private double Sum(int n) => growth is null ? n : growth.Sum(n);

    private double Ramp(int n) => growth is null ? n * (n - 1.0) / 2 : growth.Ramp(n);
}
