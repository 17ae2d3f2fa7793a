using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>
/// The calendar months of a projection as runs of days counted from today (day 0). The first month begins today and may be partial; the
/// others are whole.
/// </summary>
public sealed class BillingCalendar
{
    /// <summary>The most months that a projection may span: a hundred years.</summary>
    public const int MostMonths = 1200;

    private readonly int[] starts;
    private readonly int[] billedDays;
    private readonly int[] monthOf;

    /// <param name="today">Day 0.</param>
    /// <param name="months">From 1 to <see cref="MostMonths"/>.</param>
    /// <param name="length">Whether a month is billed as its own days or as thirty.</param>
    /// <exception cref="ArgumentOutOfRangeException">Months out of range.</exception>
    public BillingCalendar(DateOnly today, int months, BillingMonth length)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(months, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(months, MostMonths);
        Today = today;
        starts = new int[months + 1];
        billedDays = new int[months];
        var first = new DateOnly(today.Year, today.Month, 1);
        for (var m = 0; m < months; m++)
        {
            var month = first.AddMonths(m);
            starts[m + 1] = month.AddMonths(1).DayNumber - today.DayNumber;
            billedDays[m] = length == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(month.Year, month.Month);
        }
        monthOf = new int[Days];
        for (var m = 0; m < months; m++)
            Array.Fill(monthOf, m, starts[m], starts[m + 1] - starts[m]);
    }

    public DateOnly Today { get; }

    public int Months => billedDays.Length;

    /// <summary>Days from today to the end of the last month.</summary>
    public int Days => starts[^1];

    /// <summary>The first day of month <paramref name="m"/>, counted from today; for <see cref="Months"/>, the day after the
    /// last.</summary>
    public int Start(int m) => starts[m];

    /// <summary>The days that a unit-month of month <paramref name="m"/> is divided by.</summary>
    public int BilledDays(int m) => billedDays[m];

    /// <summary>The month that holds <paramref name="day"/>; days outside the projection give the first or the last.</summary>
    public int MonthOf(int day) => monthOf[Math.Clamp(day, 0, Days - 1)];

    /// <summary>The first day of the calendar month <paramref name="m"/>, or today for a partial first month.</summary>
    public DateOnly Date(int m) => Today.AddDays(starts[m]);
}
