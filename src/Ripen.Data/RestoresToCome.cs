using Microsoft.EntityFrameworkCore;

namespace Ripen.Data;

/// <summary>A restore or rehearsal that waits until what it reads can be read.</summary>
public sealed record RestoreToCome
{
    public long Id { get; init; }

    /// <summary>The id of the target that it comes from.</summary>
    public required string Target { get; init; }

    /// <summary>Which point.</summary>
    public required string Point { get; init; }

    /// <summary>What was asked for, as JSON; null for a rehearsal.</summary>
    public string? Order { get; init; }

    /// <summary>Who asked for it.</summary>
    public required string By { get; init; }

    /// <summary>The provider's instant from which it can be done.</summary>
    public required DateTimeOffset ReadyFrom { get; init; }

    /// <summary>Whether it was begun, and the program ended in it.</summary>
    public bool IsBegun { get; init; }
}

/// <summary>Restores that wait, kept while programs come and go.</summary>
public sealed class RestoresToCome(IDbContextFactory<RipenDb> databases)
{
    /// <summary>The first that is ready first.</summary>
    public async Task<IReadOnlyList<RestoreToCome>> All(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var rows = await db.WaitingRestores.AsNoTracking().ToListAsync(cancel);
        return
        [
            .. rows.Select(r => new RestoreToCome
                {
                    Id = r.Id,
                    Target = r.Target,
                    Point = r.Point,
                    Order = r.Order,
                    By = r.Actor,
                    ReadyFrom = r.ReadyFrom,
                    IsBegun = r.Begun,
                })
                .OrderBy(r => r.ReadyFrom)
                .ThenBy(r => r.Id),
        ];
    }

    public async Task Add(RestoreToCome restore, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        db.Add(
            new WaitingRestoreRow
            {
                Target = restore.Target,
                Point = restore.Point,
                Order = restore.Order,
                Actor = restore.By,
                ReadyFrom = restore.ReadyFrom,
            }
        );
        await db.SaveChangesAsync(cancel);
    }

    public async Task Begin(long id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await db.WaitingRestores.Where(r => r.Id == id).ExecuteUpdateAsync(r => r.SetProperty(x => x.Begun, true), cancel);
    }

    /// <returns>Whether there was one.</returns>
    public async Task<bool> Remove(string target, long id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db.WaitingRestores.Where(r => r.Id == id && r.Target == target).ExecuteDeleteAsync(cancel) > 0;
    }
}
