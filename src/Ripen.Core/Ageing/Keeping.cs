using Ripen.Core.Estates;

namespace Ripen.Core.Ageing;

/// <summary>
/// What a bucket keeps of objects that are alike: for so many days from creation, and on the days in some spans. Days are counted from the
/// estate's today; a span's second day is the first on which it keeps no more.
/// </summary>
/// <param name="Days">From creation.</param>
/// <param name="Spans">In order, apart from each other.</param>
internal sealed record Keeping(int Days, IReadOnlyList<(int From, int To)> Spans)
{
    /// <param name="bucket">Its keep rule and holds count.</param>
    /// <param name="prefix">Under which the objects lie.</param>
    /// <param name="tags">That they carry.</param>
    /// <param name="today">Day 0.</param>
    /// <param name="own">The objects' own retention; null for none.</param>
    public static Keeping Of(Bucket bucket, string prefix, IReadOnlyDictionary<string, string>? tags, DateOnly today, DateOnly? own = null)
    {
        var spans = new List<(int From, int To)>();
        foreach (var until in new[] { bucket.Keep?.Until, own })
        {
            if (until is { } day)
                spans.Add((-Lifecycle.Never, Day(day)));
        }
        foreach (var hold in bucket.Holds.Where(h => h.Scope.Takes(prefix, tags)))
            spans.Add((Day(hold.Placed), hold.Released is { } released ? Day(released) : Lifecycle.Never));
        return new Keeping(bucket.Keep?.Days ?? 0, Merged(spans));

        int Day(DateOnly day) => day.DayNumber - today.DayNumber;
    }

    /// <summary>The first day after all spans; <see cref="Lifecycle.Never"/> when one has no end, and below every day of interest for
    /// none.</summary>
    public int LastDay => Spans.Count > 0 ? Spans[^1].To : -Lifecycle.Never;

    /// <summary>The first day, no earlier than <paramref name="day"/>, on which objects created on <paramref name="created"/> may go;
    /// <see cref="Lifecycle.Never"/> at the latest.</summary>
    public int FirstFree(int created, int day)
    {
        day = Math.Max(day, created + Days);
        foreach (var (from, to) in Spans)
        {
            if (from <= day && day < to)
                return to;
        }
        return day;
    }

    private static List<(int From, int To)> Merged(List<(int From, int To)> spans)
    {
        var merged = new List<(int From, int To)>(spans.Count);
        foreach (var span in spans.Where(s => s.From < s.To).OrderBy(s => s.From))
        {
            if (merged.Count > 0 && span.From <= merged[^1].To)
                merged[^1] = (merged[^1].From, Math.Max(merged[^1].To, span.To));
            else
                merged.Add(span);
        }
        return merged;
    }
}
