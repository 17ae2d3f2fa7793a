using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Data;

/// <summary>A budget without its lines, and what was told of it.</summary>
public sealed record BudgetCard(
    int Id,
    string Name,
    DateOnly FixedOn,
    Month First,
    int Months,
    double Headroom,
    bool PutAway,
    string Source,
    string Currency,
    IReadOnlyList<BudgetAlarm> Alarms
);

/// <summary>Budgets that were fixed. They are no part of the estate: an import leaves them, and nothing removes them.</summary>
public sealed class BudgetStore(IDbContextFactory<RipenDb> databases, ChangeLog log)
{
    /// <summary>The newest first.</summary>
    public async Task<IReadOnlyList<BudgetCard>> All(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var rows = await db
            .Budgets.AsNoTracking()
            .OrderByDescending(b => b.Id)
            .Select(b => new
            {
                b.Id,
                b.Name,
                b.FixedOn,
                b.First,
                b.Months,
                b.Headroom,
                b.PutAway,
                b.Source,
                b.Currency,
                b.Alarms,
            })
            .ToListAsync(cancel);
        return
        [
            .. rows.Select(b => new BudgetCard(
                b.Id,
                b.Name,
                b.FixedOn,
                Month.Of(b.First),
                b.Months,
                b.Headroom,
                b.PutAway,
                b.Source,
                b.Currency,
                [.. b.Alarms.OrderBy(a => a.Month).Select(ToAlarm)]
            )),
        ];
    }

    /// <summary>Null when there is none of this number.</summary>
    public async Task<Budget?> Find(int id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db.Budgets.AsNoTracking().SingleOrDefaultAsync(b => b.Id == id, cancel) is { } row
            ? new Budget
            {
                Id = row.Id,
                Name = row.Name,
                FixedOn = row.FixedOn,
                Headroom = row.Headroom,
                PutAway = row.PutAway,
                Source = row.Source,
                Currency = row.Currency,
                Planned = PackedCharges.Unpack(row.Lines, Month.Of(row.First), row.Months),
            }
            : null;
    }

    /// <returns>The number that it was given; the budget's own is of no account.</returns>
    public async Task<int> Fix(Budget budget, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var row = new BudgetRow
        {
            Name = budget.Name,
            FixedOn = budget.FixedOn,
            First = budget.Planned.First.FirstDay,
            Months = budget.Planned.Months,
            Headroom = budget.Headroom,
            PutAway = budget.PutAway,
            Source = budget.Source,
            Currency = budget.Currency,
            Lines = PackedCharges.Pack(budget.Planned),
        };
        db.Add(row);
        log.Add(db, "budget-fixed", budget.Name, null, null);
        await db.SaveChangesAsync(cancel);
        return row.Id;
    }

    /// <summary>Changes what may be changed of a budget, where it is given; what was planned is not among it.</summary>
    /// <exception cref="RefusalException">There is none of this number.</exception>
    public async Task Change(int id, string? name, double? headroom, bool? putAway, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        if (await db.Budgets.SingleOrDefaultAsync(b => b.Id == id, cancel) is not { } row)
            throw new RefusalException(RefusalKind.NotFound, "no-budget", $"There is no budget {id}.");
        var before = Document(row);
        (row.Name, row.Headroom, row.PutAway) = (name ?? row.Name, headroom ?? row.Headroom, putAway ?? row.PutAway);
        log.Add(db, "budget-changed", row.Name, before, Document(row));
        await db.SaveChangesAsync(cancel);
    }

    private static string Document(BudgetRow row) =>
        JsonSerializer.Serialize(
            new
            {
                row.Name,
                row.Headroom,
                row.PutAway,
            },
            EstateDocument.Json
        );

    /// <summary>Keeps the first alarm of a budget's month; later ones are not told.</summary>
    public async Task Tell(BudgetAlarm alarm, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        if (await db.Set<BudgetAlarmRow>().AnyAsync(a => a.BudgetId == alarm.Budget && a.Month == alarm.Month.FirstDay, cancel))
            return;
        db.Add(
            new BudgetAlarmRow
            {
                BudgetId = alarm.Budget,
                Month = alarm.Month.FirstDay,
                Day = alarm.Day,
                Limit = alarm.Limit,
                Charged = alarm.Charged,
                Expected = alarm.Expected,
            }
        );
        await db.SaveChangesAsync(cancel);
    }

    private static BudgetAlarm ToAlarm(BudgetAlarmRow row) =>
        new(row.BudgetId, Month.Of(row.Month), row.Day, row.Limit, row.Charged, row.Expected);
}
