using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core;
using Ripen.Core.Bills;
using Ripen.Core.Estates;

namespace Ripen.Data;

/// <summary>A bill that was brought, without what it says.</summary>
public sealed record BillCard(int Id, string Name, DateTimeOffset At, string Currency);

/// <summary>A bill that was brought, and how it is read.</summary>
public sealed record BroughtBill(BillCard Card, IReadOnlyList<ForeignCharge> Charges, BillMapping Mapping);

/// <summary>Bills from elsewhere. They are no part of the estate.</summary>
public sealed class BillStore(IDbContextFactory<RipenDb> databases, ChangeLog log, TimeProvider time)
{
    /// <summary>The newest first.</summary>
    public async Task<IReadOnlyList<BillCard>> All(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return
        [
            .. await db
                .Bills.AsNoTracking()
                .OrderByDescending(b => b.Id)
                .Select(b => new BillCard(b.Id, b.Name, b.At, b.Currency))
                .ToListAsync(cancel),
        ];
    }

    /// <summary>Null when there is none of this number.</summary>
    public async Task<BroughtBill?> Find(int id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db.Bills.AsNoTracking().SingleOrDefaultAsync(b => b.Id == id, cancel) is { } row
            ? new BroughtBill(
                new BillCard(row.Id, row.Name, row.At, row.Currency),
                PackedCharges.UnpackAs<ForeignCharge[]>(row.Charges),
                JsonSerializer.Deserialize<BillMapping>(row.Mapping, EstateDocument.Json)!
            )
            : null;
    }

    public async Task<int> Add(
        string name,
        string currency,
        IReadOnlyList<ForeignCharge> charges,
        BillMapping mapping,
        CancellationToken cancel
    )
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var row = new BillRow
        {
            Name = name,
            At = time.GetUtcNow(),
            Currency = currency,
            Charges = PackedCharges.PackAs(charges),
            Mapping = JsonSerializer.Serialize(mapping, EstateDocument.Json),
        };
        db.Add(row);
        log.Add(db, "bill-brought", name, null, null);
        await db.SaveChangesAsync(cancel);
        return row.Id;
    }

    /// <summary>Takes what is said of resources and items over into how a bill is read; what is not named stays, whoever names it
    /// meanwhile.</summary>
    /// <exception cref="RefusalException">There is none of this number.</exception>
    public async Task Map(int id, BillMapping said, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await using var writing = await db.Database.BeginTransactionAsync(cancel);
        var row = await Row(db, id, cancel);
        var known = JsonSerializer.Deserialize<BillMapping>(row.Mapping, EstateDocument.Json)!;
        row.Mapping = JsonSerializer.Serialize(known.With(said), EstateDocument.Json);
        await db.SaveChangesAsync(cancel);
        await writing.CommitAsync(cancel);
    }

    /// <exception cref="RefusalException">There is none of this number.</exception>
    public async Task Remove(int id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var row = await Row(db, id, cancel);
        db.Remove(row);
        log.Add(db, "bill-removed", row.Name, null, null);
        await db.SaveChangesAsync(cancel);
    }

    private static async Task<BillRow> Row(RipenDb db, int id, CancellationToken cancel) =>
        await db.Bills.SingleOrDefaultAsync(b => b.Id == id, cancel)
        ?? throw new RefusalException(RefusalKind.NotFound, "no-bill", $"There is no bill {id}.");
}
