using System.Collections.Concurrent;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Server.Http;

namespace Ripen.Server.Budgets;

/// <summary>Looks every morning whether the month is likely to end above a budget, and keeps the first morning on which it is.</summary>
internal sealed class BudgetWatch(CurrentEstate current, SimulatedProvider provider, BudgetStore store)
{
    // What was planned never changes.
    private readonly ConcurrentDictionary<int, double[]> planned = [];

    /// <summary>For whoever lets time pass.</summary>
    public ClockStops Stops => new(Next, (_, cancel) => Look(cancel).GetAwaiter().GetResult());

    private DateTimeOffset? Next(DateTimeOffset now, DateTimeOffset until)
    {
        var budgets = store.All(CancellationToken.None).GetAwaiter().GetResult();
        var last = DateOnly.FromDateTime(until.UtcDateTime);
        var morning = DateOnly.FromDateTime(now.UtcDateTime).AddDays(1);
        for (var end = budgets.Select(b => b.First.Plus(b.Months).FirstDay).DefaultIfEmpty().Max(); morning <= last && morning < end; )
        {
            if (budgets.Any(b => IsWatched(b, Month.Of(morning))))
                return new DateTimeOffset(morning.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero);
            morning = Month.Of(morning).Plus(1).FirstDay;
        }
        return null;
    }

    private static bool HoldsFor(BudgetCard budget, Month month) =>
        month.Since(budget.First) >= 0 && month.Since(budget.First) < budget.Months;

    private static bool IsWatched(BudgetCard budget, Month month) =>
        !budget.PutAway && HoldsFor(budget, month) && budget.Alarms.All(a => a.Month != month);

    private async Task Look(CancellationToken cancel)
    {
        if (await current.Get(cancel) is not { } view)
            return;
        foreach (var (card, now) in await Running(view, b => IsWatched(b, Month.Of(view.Estate.Today)), cancel))
        {
            if (now.IsAbove)
                await store.Tell(new BudgetAlarm(card.Id, now.Month, view.Estate.Today, now.Limit, now.Charged, now.Expected), cancel);
        }
    }

    /// <summary>How the running month stands now against every budget that holds for it and is not put away.</summary>
    public Task<IReadOnlyList<(BudgetCard Card, BudgetMonth Month)>> Running(EstateView view, CancellationToken cancel) =>
        Running(view, b => !b.PutAway && HoldsFor(b, Month.Of(view.Estate.Today)), cancel);

    private async Task<IReadOnlyList<(BudgetCard Card, BudgetMonth Month)>> Running(
        EstateView view,
        Func<BudgetCard, bool> which,
        CancellationToken cancel
    )
    {
        var today = view.Estate.Today;
        var month = Month.Of(today);
        var cards = (await store.All(cancel)).Where(which).Where(b => Currencies.Agree(b.Currency, view.Estate.PriceBook)).ToList();
        if (cards.Count == 0)
            return [];
        var toCome = RestOfMonth.Money(view.Project(1), provider.MonthSoFar());
        var running = new List<(BudgetCard, BudgetMonth)>();
        foreach (var card in cards)
        {
            var plan = planned.TryGetValue(card.Id, out var known)
                ? known
                : planned[card.Id] = (await store.Find(card.Id, cancel))!.Planned.InAll();
            var from = card.FixedOn > month.FirstDay ? card.FixedOn : month.FirstDay;
            var charged = provider.LedgerMonths(from, today.AddDays(1)).Sum(r => r.Amount);
            var amount = plan[month.Since(card.First)];
            running.Add((card, new BudgetMonth(month, amount, amount * (1 + card.Headroom), charged, toCome)));
        }
        return running;
    }
}
