using Microsoft.EntityFrameworkCore;
using Ripen.Core.Backups;

namespace Ripen.Data;

/// <summary>Restores and rehearsals that were done. They are no part of the estate, and nothing removes them.</summary>
public sealed class RestoreRecords(IDbContextFactory<RipenDb> databases)
{
    /// <summary>The provider's day of each workload's last rehearsal that proves it.</summary>
    public async Task<IReadOnlyDictionary<string, DateOnly>> Proved(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db
            .Restores.Where(r => r.Kind == RestoreKind.Rehearsal && r.Under == "" && r.Problems == 0 && r.Error == null)
            .GroupBy(r => r.Workload)
            .Select(w => new { w.Key, Day = w.Max(r => r.Day) })
            .ToDictionaryAsync(w => w.Key, w => w.Day, cancel);
    }

    /// <summary>Newest first.</summary>
    /// <param name="target">Only what came from it; null for any.</param>
    /// <param name="workload">Only of this one; null for any.</param>
    /// <param name="cancel">Stops reading.</param>
    public async Task<IReadOnlyList<RestoreRecord>> Read(string? target, string? workload, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return
        [
            .. await db
                .Restores.AsNoTracking()
                .Where(r => (target == null || r.Target == target) && (workload == null || r.Workload == workload))
                .OrderByDescending(r => r.Id)
                .Select(r => new RestoreRecord
                {
                    At = r.At,
                    Day = r.Day,
                    By = r.Actor,
                    Kind = r.Kind,
                    Target = r.Target,
                    Point = r.Point,
                    Workload = r.Workload,
                    Taken = r.Taken,
                    Under = r.Under,
                    Into = r.Into,
                    Files = r.Files,
                    Bytes = r.Bytes,
                    Seconds = r.Seconds,
                    Money = r.Money,
                    Problems = r.Problems,
                    Error = r.Error,
                })
                .ToListAsync(cancel),
        ];
    }

    public async Task Add(RestoreRecord record, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        db.Add(
            new RestoreRow
            {
                At = record.At,
                Day = record.Day,
                Actor = record.By,
                Kind = record.Kind,
                Target = record.Target,
                Point = record.Point,
                Workload = record.Workload,
                Taken = record.Taken,
                Under = record.Under,
                Into = record.Into,
                Files = record.Files,
                Bytes = record.Bytes,
                Seconds = record.Seconds,
                Money = record.Money,
                Problems = record.Problems,
                Error = record.Error,
            }
        );
        await db.SaveChangesAsync(cancel);
    }
}
