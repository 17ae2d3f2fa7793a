using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>
/// The calendar months of a projection as runs of days counted from today (day 0). The first month begins today and may be partial; the
/// others are whole. A month in which prices change is made of several stretches of days; every other is one.
/// </summary>
public sealed class BillingCalendar
{
    /// <summary>The most months that a projection may span: a hundred years.</summary>
    public const int MostMonths = 1200;

    private readonly int[] starts;
    private readonly int[] billedDays;
    private readonly int[] stretchOf;
    private readonly int[] firsts;
    private readonly int[] monthOf;

    /// <param name="today">Day 0.</param>
    /// <param name="months">From 1 to <see cref="MostMonths"/>.</param>
    /// <param name="prices">Whose months are billed as their own days or as thirty, and whose amounts may change on days to come.</param>
    /// <exception cref="ArgumentOutOfRangeException">Months out of range.</exception>
    public BillingCalendar(DateOnly today, int months, PriceBook prices)
        : this(today, months, prices.Month, prices.Changes.Select(c => c.From)) { }

    /// <param name="today">Day 0.</param>
    /// <param name="months">From 1 to <see cref="MostMonths"/>.</param>
    /// <param name="length">Whether a month is billed as its own days or as thirty.</param>
    /// <param name="cuts">Days on which a stretch begins, wherever months do.</param>
    /// <exception cref="ArgumentOutOfRangeException">Months out of range.</exception>
    public BillingCalendar(DateOnly today, int months, BillingMonth length, IEnumerable<DateOnly> cuts)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(months, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(months, MostMonths);
        Today = today;
        var first = new DateOnly(today.Year, today.Month, 1);
        Days = first.AddMonths(months).DayNumber - today.DayNumber;
        var begins = cuts.Select(c => c.DayNumber - today.DayNumber)
            .Where(d => d > 0 && d < Days)
            .Concat(Enumerable.Range(0, months).Select(m => Math.Max(0, first.AddMonths(m).DayNumber - today.DayNumber)))
            .Distinct()
            .Order()
            .ToList();
        starts = [.. begins, Days];
        Nothing = new double[begins.Count];
        billedDays = new int[begins.Count];
        monthOf = new int[begins.Count];
        firsts = new int[months + 1];
        firsts[months] = begins.Count;
        stretchOf = new int[Days];
        for (var s = begins.Count - 1; s >= 0; s--)
        {
            var day = today.AddDays(begins[s]);
            monthOf[s] = ((day.Year - first.Year) * 12) + day.Month - first.Month;
            firsts[monthOf[s]] = s;
            billedDays[s] = length == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(day.Year, day.Month);
            Array.Fill(stretchOf, s, starts[s], starts[s + 1] - starts[s]);
        }
    }

    public DateOnly Today { get; }

    public int Months => firsts.Length - 1;

    /// <summary>Whether the other one's months and stretches are the very same days, billed alike.</summary>
    public bool IsSame(BillingCalendar other) =>
        Today == other.Today && starts.AsSpan().SequenceEqual(other.starts) && billedDays.AsSpan().SequenceEqual(other.billedDays);

    /// <summary>As many as months where no price changes within one.</summary>
    public int Stretches => billedDays.Length;

    /// <summary>A 0 for each stretch, never written to.</summary>
    internal double[] Nothing { get; }

    /// <summary>Days from today to the end of the last month.</summary>
    public int Days { get; }

    /// <summary>The first day of a stretch, counted from today; for <see cref="Stretches"/>, the day after the last.</summary>
    public int Start(int stretch) => starts[stretch];

    /// <summary>The days that a unit-month of a stretch's month is divided by.</summary>
    public int BilledDays(int stretch) => billedDays[stretch];

    /// <summary>The stretch that holds <paramref name="day"/>; days outside the projection give the first or the last.</summary>
    public int StretchOf(int day) => stretchOf[Math.Clamp(day, 0, Days - 1)];

    /// <summary>The month of a stretch.</summary>
    public int MonthOfStretch(int stretch) => monthOf[stretch];

    /// <summary>The first stretch of month <paramref name="m"/>; for <see cref="Months"/>, one more than there are.</summary>
    public int First(int m) => firsts[m];

    /// <summary>The month that holds <paramref name="day"/>; days outside the projection give the first or the last.</summary>
    public int MonthOf(int day) => monthOf[StretchOf(day)];

    /// <summary>The first day of month <paramref name="m"/>, counted from today; for <see cref="Months"/>, the day after the last.</summary>
    public int MonthStart(int m) => starts[firsts[m]];

    /// <summary>The first day of the calendar month <paramref name="m"/>, or today for a partial first month.</summary>
    public DateOnly Date(int m) => Today.AddDays(MonthStart(m));
}
