using Ripen.Core.Forecasting;

namespace Ripen.Core.Budgets;

/// <summary>A forecast that was fixed on a day, to be held against what is charged from then on. Nothing changes what was
/// planned.</summary>
public sealed record Budget
{
    /// <summary>The most months that are fixed at once.</summary>
    public const int MostMonths = 36;

    public required int Id { get; init; }
    public required string Name { get; init; }

    /// <summary>The provider's day; what was charged before it takes no part, in its month neither.</summary>
    public required DateOnly FixedOn { get; init; }

    /// <summary>By so much a month may end above the plan before somebody is told: 0.05 is five per cent.</summary>
    public double Headroom { get; init; }

    /// <summary>Nobody is told any more; it can be looked at.</summary>
    public bool PutAway { get; init; }

    /// <summary>ISO 4217; held against charges of another currency it would say nothing.</summary>
    public required string Currency { get; init; }

    /// <summary>What it was fixed from, for people.</summary>
    public required string Source { get; init; }

    public required MonthlyCharges Planned { get; init; }

    /// <summary>The first month of which all that is charged takes part.</summary>
    public Month WholeFrom => FixedOn <= Planned.First.FirstDay ? Planned.First : Planned.First.Plus(1);
}

/// <summary>How a month of a budget stands. Money.</summary>
/// <param name="Month">Which.</param>
/// <param name="Planned">As the budget has it.</param>
/// <param name="Limit">The same with the headroom.</param>
/// <param name="Charged">Metered so far.</param>
/// <param name="ToCome">Projected for the rest of the month, or all of it; 0 in a month that is over.</param>
public sealed record BudgetMonth(Month Month, double Planned, double Limit, double Charged, double ToCome)
{
    // Sums of one and the same thing that were made in another order differ in their last digits.
    private const double Same = 1e-9;

    /// <summary>What it will end at.</summary>
    public double Expected => Charged + ToCome;

    /// <summary>What it ends at more than planned, or less.</summary>
    public double Change => Expected - Planned;

    /// <summary>Whether it ends above the limit, or is likely to.</summary>
    public bool IsAbove => Expected > Limit + (Same * Math.Max(Limit, Expected));

    /// <summary>All months of a budget.</summary>
    /// <param name="budget">Which.</param>
    /// <param name="charged">Metered from the day on which it was fixed, over its months.</param>
    /// <param name="toCome">Projected from today on, over the same months.</param>
    public static IReadOnlyList<BudgetMonth> Of(Budget budget, MonthlyCharges charged, MonthlyCharges toCome)
    {
        var (planned, was, will) = (budget.Planned.InAll(), charged.InAll(), toCome.InAll());
        return [.. planned.Select((p, m) => new BudgetMonth(budget.Planned.First.Plus(m), p, p * (1 + budget.Headroom), was[m], will[m]))];
    }
}

/// <summary>The day on which a month became likely to end above its budget.</summary>
/// <param name="Budget">Its number.</param>
/// <param name="Month">Which.</param>
/// <param name="Day">The provider's, in the morning.</param>
/// <param name="Limit">Money that it should not exceed.</param>
/// <param name="Charged">Metered by then.</param>
/// <param name="Expected">What it was likely to end at.</param>
public sealed record BudgetAlarm(int Budget, Month Month, DateOnly Day, double Limit, double Charged, double Expected);
