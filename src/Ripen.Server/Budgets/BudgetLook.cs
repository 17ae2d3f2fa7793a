using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Provider;

namespace Ripen.Server.Budgets;

/// <summary>A budget beside what was metered and what is projected, all of one day.</summary>
internal sealed record BudgetLook(EstateView View, Budget Budget, MonthlyCharges Charged, MonthlyCharges ToCome)
{
    /// <summary>Null when there is no estate.</summary>
    public static async Task<BudgetLook?> Of(Budget budget, CurrentEstate current, SimulatedProvider provider, CancellationToken cancel)
    {
        while (await current.Get(cancel) is { } view)
        {
            var look = Of(budget, view, provider);
            // While a night passes, its day would be metered and projected both.
            if (provider.Clock.Today == view.Estate.Today)
                return look;
        }
        return null;
    }

    private static BudgetLook Of(Budget budget, EstateView view, SimulatedProvider provider)
    {
        var (first, months, today) = (budget.Planned.First, budget.Planned.Months, view.Estate.Today);
        var end = first.Plus(months).FirstDay;
        var ahead = Month.Of(end).Since(Month.Of(today));
        return new BudgetLook(
            view,
            budget,
            new MonthlyCharges(first, months, provider.LedgerMonths(budget.FixedOn, end)),
            new MonthlyCharges(first, months, ahead > 0 ? RestOfMonth.Rows(view.Project(ahead), provider.StorageSoFar()) : [])
        );
    }

    /// <summary>What is charged, with what is to come.</summary>
    public MonthlyCharges Expected => Charged.And(ToCome);

    /// <summary>How many of its months are over, from the first on; the running one where none is.</summary>
    public int MonthsOver => Math.Clamp(Month.Of(View.Estate.Today).Since(Budget.Planned.First), 1, Budget.Planned.Months);

    public IReadOnlyList<BudgetMonth> Months => BudgetMonth.Of(Budget, Charged, ToCome);
}
