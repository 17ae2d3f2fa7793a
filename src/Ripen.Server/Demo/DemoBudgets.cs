using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Server.Budgets;

namespace Ripen.Server.Demo;

/// <summary>What the demo's owners fixed in November, before anybody changed his mind.</summary>
internal static class DemoBudgets
{
    private const int UntilJune = 8;

    public static async Task Fix(DemoHands hands, CancellationToken cancel)
    {
        if ((await hands.Budgets.All(cancel)).Count > 0)
            return;
        var view = (await hands.Current.Get(cancel))!;
        var today = view.Estate.Today;
        await hands.Budgets.Fix(
            new Budget
            {
                Id = 0,
                Name = "Winter and spring",
                FixedOn = today,
                Headroom = 0.03,
                Source = "the estate as it stood",
                Currency = view.Estate.PriceBook.Currency,
                Planned = new MonthlyCharges(Month.Of(today), UntilJune, BudgetLook.Plan(view, view.Project(UntilJune), hands.Provider)),
            },
            cancel
        );
    }
}
