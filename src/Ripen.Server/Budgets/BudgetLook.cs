using Ripen.Core;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Budgets;

/// <summary>A budget beside what was metered and what is projected, all of one day.</summary>
internal sealed record BudgetLook(EstateView View, Budget Budget, MonthlyCharges Charged, MonthlyCharges ToCome)
{
    private const int MostTries = 5;

    /// <summary>Null when there is no estate.</summary>
    /// <exception cref="RefusalException">Days pass faster than one can look; or it is in another currency than the price book.</exception>
    public static async Task<BudgetLook?> Of(Budget budget, CurrentEstate current, SimulatedProvider provider, CancellationToken cancel)
    {
        for (var tries = 1; await current.Get(cancel) is { } view; tries++)
        {
            Currencies.Demand(budget.Currency, view.Estate.PriceBook, "budget");
            var (first, months, today) = (budget.Planned.First, budget.Planned.Months, view.Estate.Today);
            var end = first.Plus(months).FirstDay;
            var ahead = Month.Of(end).Since(Month.Of(today));
            var charged = new MonthlyCharges(first, months, provider.LedgerMonths(budget.FixedOn, end));
            var soFar = provider.MonthSoFar();
            if (IsStill(view, provider))
                return new BudgetLook(
                    view,
                    budget,
                    charged,
                    view.ToCome(
                        (first, months, soFar.Used.Sum(u => u.Amount)),
                        () => new MonthlyCharges(first, months, ahead > 0 ? RestOfMonth.Rows(view.Project(ahead), soFar) : [])
                    )
                );
            if (tries == MostTries)
                throw TimePasses();
        }
        return null;
    }

    /// <summary>What a budget of today plans: what a projection of the view foresees, as the meter will add it, on top of what was charged
    /// today already.</summary>
    /// <exception cref="RefusalException">The view's day is over.</exception>
    public static IEnumerable<ForecastRow> Plan(EstateView view, Projection projection, SimulatedProvider provider)
    {
        var today = view.Estate.Today;
        var (soFar, charged) = (provider.MonthSoFar(), provider.LedgerMonths(today, today.AddDays(1)).ToList());
        return IsStill(view, provider) ? RestOfMonth.Rows(projection, soFar).Concat(charged) : throw TimePasses();
    }

    /// <summary>What is charged, with what is to come.</summary>
    public MonthlyCharges Expected => Charged.And(ToCome);

    /// <summary>How many of its months are over, from the first on; the running one where none is.</summary>
    public int MonthsOver => Math.Clamp(Month.Of(View.Estate.Today).Since(Budget.Planned.First), 1, Budget.Planned.Months);

    public IReadOnlyList<BudgetMonth> Months => BudgetMonth.Of(Budget, Charged, ToCome);

    /// <summary>Whether it is still the view's day: what a night books of it would be projected as well.</summary>
    private static bool IsStill(EstateView view, SimulatedProvider provider) => provider.Clock.Today == view.Estate.Today;

    private static RefusalException TimePasses() =>
        new(
            RefusalKind.Conflict,
            "time-passes",
            "Days are passing on the provider's clock, and what is charged cannot be told from what is to come: look again when it stands."
        );
}
