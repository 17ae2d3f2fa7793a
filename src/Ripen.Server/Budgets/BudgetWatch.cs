using System.Collections.Concurrent;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Clock;

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

    private static bool IsWatched(BudgetCard budget, Month month) =>
        !budget.PutAway
        && month.Since(budget.First) >= 0
        && month.Since(budget.First) < budget.Months
        && budget.Alarms.All(a => a.Month != month);

    private async Task Look(CancellationToken cancel)
    {
        if (await current.Get(cancel) is not { } view)
            return;
        var today = view.Estate.Today;
        var month = Month.Of(today);
        var toCome = new Lazy<double>(() => RestOfMonth.Money(view.Project(1), provider.StorageSoFar()));
        foreach (var card in (await store.All(cancel)).Where(b => IsWatched(b, month)))
        {
            var plan = planned.TryGetValue(card.Id, out var known)
                ? known
                : planned[card.Id] = (await store.Find(card.Id, cancel))!.Planned.InAll();
            var from = card.FixedOn > month.FirstDay ? card.FixedOn : month.FirstDay;
            var charged = provider.LedgerMonths(from, today.AddDays(1)).Sum(r => r.Amount);
            var amount = plan[month.Since(card.First)];
            var now = new BudgetMonth(month, amount, amount * (1 + card.Headroom), charged, toCome.Value);
            if (now.IsAbove)
                await store.Tell(new BudgetAlarm(card.Id, month, today, now.Limit, charged, now.Expected), cancel);
        }
    }
}
