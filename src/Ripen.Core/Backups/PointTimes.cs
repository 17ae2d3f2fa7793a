namespace Ripen.Core.Backups;

/// <summary>
/// The days on which a branch takes its points, and how long each is there (model 9.4): all of a branch that does not hang on what it backs
/// up. Branches that are alike in this have the very same.
/// </summary>
public sealed class PointTimes
{
    /// <summary>The point of a run that no point needs any more.</summary>
    public const int Nobody = -1;

    private readonly DateOnly[] days;
    private readonly DateOnly[] keptUntil;
    private readonly int[] full;
    private readonly DateOnly[] gone;
    private readonly int[] next;
    private (DateOnly Day, int Point, int Next)[]? departures;

    private PointTimes(DateOnly[] days, DateOnly[] keptUntil, int[] full)
    {
        (this.days, this.keptUntil, this.full) = (days, keptUntil, full);
        gone = new DateOnly[days.Length];
        for (var i = 0; i < gone.Length; i++)
            gone[i] = i + 1 < days.Length ? Later(keptUntil[i], days[i + 1]) : DateOnly.MaxValue;
        next = NextLonger(gone);
    }

    public int Count => days.Length;

    /// <summary>Ascending.</summary>
    public DateOnly Day(int i) => days[i];

    /// <summary>The first day on which the point is not kept, unless it is the newest then.</summary>
    public DateOnly KeptUntil(int i) => keptUntil[i];

    /// <summary>The run on which run <paramref name="i"/> is built, where nothing is stored once: itself for a full one.</summary>
    public int Full(int i) => full[i];

    /// <summary>The first day on which a point is not there; null while no later run relieves the newest.</summary>
    public DateOnly? GoneOn(int i) => gone[i] == DateOnly.MaxValue ? null : gone[i];

    /// <summary>Whether a point is there on <paramref name="day"/>: kept, or the newest.</summary>
    public bool IsThere(int i, DateOnly day) => days[i] <= day && day < gone[i];

    /// <summary>The newest run on or before <paramref name="day"/>; -1 for none.</summary>
    public int NewestOn(DateOnly day)
    {
        var at = Array.BinarySearch(days, day);
        return at >= 0 ? at : ~at - 1;
    }

    public bool HasRunOn(DateOnly day) => Array.BinarySearch(days, day) >= 0;

    /// <summary>Which point needs what run <paramref name="i"/> stored on a day that is not before it, where equal content is stored once: the
    /// earliest that is there.</summary>
    public int NeededBy(int i, DateOnly day)
    {
        while (gone[i] <= day)
            i = next[i];
        return i;
    }

    /// <summary>From which day on which point needs what run <paramref name="i"/> stored, ascending from the run's own day;
    /// <see cref="Nobody"/> at the end, where there is one.</summary>
    /// <param name="i">A run.</param>
    /// <param name="deduplicates">Whether equal content is stored once; otherwise a point needs all of its chain.</param>
    public IEnumerable<(DateOnly Day, int Point)> Needs(int i, bool deduplicates)
    {
        yield return (days[i], i);
        if (deduplicates)
        {
            for (var t = i; next[t] >= 0; t = next[t])
                yield return (gone[t], next[t]);
            yield break;
        }
        var end = days[i];
        for (var t = i; t < Count && full[t] == full[i]; t++)
            end = Later(end, gone[t]);
        if (end < DateOnly.MaxValue)
            yield return (end, Nobody);
    }

    /// <summary>The days on which points go, ascending, and which point needs from then on what each one needed.</summary>
    internal (DateOnly Day, int Point, int Next)[] Departures =>
        departures ??= [.. Enumerable.Range(0, Count).Where(i => next[i] >= 0).OrderBy(i => gone[i]).Select(i => (gone[i], i, next[i]))];

    /// <summary>For each, the first after it that is there for longer; -1 for none.</summary>
    private static int[] NextLonger(DateOnly[] gone)
    {
        var next = new int[gone.Length];
        var open = new Stack<int>();
        for (var i = 0; i < gone.Length; i++)
        {
            while (open.Count > 0 && gone[open.Peek()] < gone[i])
                next[open.Pop()] = i;
            open.Push(i);
        }
        foreach (var i in open)
            next[i] = -1;
        return next;
    }

    private static DateOnly Later(DateOnly a, DateOnly b) => a > b ? a : b;

    /// <summary>Makes the times of branches over the same days, and each of them once.</summary>
    /// <param name="today">The estate's.</param>
    /// <param name="end">The first day that is of no interest; not before today.</param>
    internal sealed class Shelf(DateOnly today, DateOnly end)
    {
        private readonly Dictionary<Key, PointTimes> known = [];

        /// <param name="plan">That the branch belongs to.</param>
        /// <param name="every">The plan's or its copy's.</param>
        /// <param name="keep">The plan's or its copy's.</param>
        /// <param name="past">What the branch did.</param>
        /// <param name="of">Of the plan's own branch, where this is a copy, which takes points on days of the plan's alone.</param>
        public PointTimes Of(BackupPlan plan, Cadence every, PointRetention keep, BranchPast past, PointTimes? of)
        {
            var key = new Key(every, plan.From ?? today, plan.Full?.Every ?? 1, keep, plan.Paused, past, of);
            if (!known.TryGetValue(key, out var times))
                known[key] = times = Make(key);
            return times;
        }

        private PointTimes Make(Key of)
        {
            var days = Days(of).ToArray();
            var (keptUntil, full) = (new DateOnly[days.Length], new int[days.Length]);
            var last = 0;
            for (var i = 0; i < days.Length; i++)
            {
                var borne = of.Past.Borne(days[i]);
                if (borne?.IsFull ?? i - last >= of.Full)
                    last = i;
                full[i] = last;
                keptUntil[i] = borne?.KeptUntil ?? of.Keep.KeptUntil(days[i], i == 0 ? null : days[i - 1]);
            }
            return new PointTimes(days, keptUntil, full);
        }

        private IEnumerable<DateOnly> Days(Key of)
        {
            foreach (var day in of.Past.Days.TakeWhile(d => d < end))
                yield return day;
            if (of.Past.IsTodayOver)
                yield return today;
            if (of.Paused)
                yield break;
            for (var day = Later(of.From, of.Past.IsTodayOver ? today.AddDays(1) : today); day < end; day = day.AddDays(1))
            {
                if (of.Every.IsDue(day, of.From) && of.Plan?.HasRunOn(day) != false)
                    yield return day;
            }
        }

        private readonly record struct Key(
            Cadence Every,
            DateOnly From,
            int Full,
            PointRetention Keep,
            bool Paused,
            BranchPast Past,
            PointTimes? Plan
        );
    }
}
