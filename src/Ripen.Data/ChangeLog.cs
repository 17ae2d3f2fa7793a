using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Data;

/// <summary>A line of the change log. Before and after are documents of the bucket or estate; shown is the cost that was seen before
/// applying.</summary>
public sealed record LoggedChange(
    long Id,
    DateTimeOffset At,
    string Actor,
    string Kind,
    string Subject,
    string? Reason,
    string? Before,
    string? After,
    IReadOnlyList<YearChange>? Shown
);

/// <summary>The change log: written in the transaction of the change, read newest first.</summary>
public sealed class ChangeLog(IDbContextFactory<RipenDb> databases, TimeProvider time, IActors actors)
{
    /// <summary>The newest changes first, at most <paramref name="most"/>.</summary>
    public async Task<IReadOnlyList<LoggedChange>> Newest(int most, CancellationToken cancel = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var rows = await db.Changes.AsNoTracking().OrderByDescending(c => c.Id).Take(most).ToListAsync(cancel);
        return
        [
            .. rows.Select(c => new LoggedChange(
                c.Id,
                c.At,
                c.Actor,
                c.Kind,
                c.Subject,
                c.Reason,
                c.Before,
                c.After,
                c.Shown is null ? null : JsonSerializer.Deserialize<YearChange[]>(c.Shown, EstateDocument.Json)
            )),
        ];
    }

    internal void Add(
        RipenDb db,
        string kind,
        string subject,
        string? before,
        string? after,
        IReadOnlyList<YearChange>? shown = null,
        string? reason = null
    ) =>
        db.Add(
            new ChangeRow
            {
                At = time.GetUtcNow(),
                Actor = actors.Current.Name,
                Reason = reason,
                Kind = kind,
                Subject = subject,
                Before = before,
                After = after,
                Shown = shown is null ? null : JsonSerializer.Serialize(shown, EstateDocument.Json),
            }
        );

    /// <summary>Without what lies there and waits, which is no part of what was decided.</summary>
    internal static string Document(Bucket bucket) =>
        JsonSerializer.Serialize(
            bucket with
            {
                Stock = [],
                CopyTo = [.. bucket.CopyTo.Select(c => c with { Waiting = [] })],
            },
            EstateDocument.Json
        );
}
