using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Data;

/// <summary>A line of the change log.</summary>
/// <param name="Id">Its number; below 0 for what was done by hand at the provider.</param>
/// <param name="At">When.</param>
/// <param name="Actor">Who.</param>
/// <param name="Kind">What sort of change.</param>
/// <param name="Subject">Of what.</param>
/// <param name="Reason">Why, where one was asked for.</param>
/// <param name="Parts">The names of the parts that differ between before and after.</param>
/// <param name="Before">The document of the bucket or estate; null when there was none, or documents were not asked for.</param>
/// <param name="After">The same after it.</param>
/// <param name="Shown">The cost that was seen before applying.</param>
public sealed record LoggedChange(
    long Id,
    DateTimeOffset At,
    string Actor,
    string Kind,
    string Subject,
    string? Reason,
    IReadOnlyList<string> Parts,
    string? Before,
    string? After,
    IReadOnlyList<YearChange>? Shown
);

/// <summary>The change log: written in the transaction of the change, read newest first.</summary>
public sealed class ChangeLog(IDbContextFactory<RipenDb> databases, TimeProvider time, IActors actors)
{
    /// <summary>The newest changes first, at most <paramref name="most"/>.</summary>
    /// <param name="most">So many.</param>
    /// <param name="before">Only those of a lower number; null for all.</param>
    /// <param name="documents">Whether to tell the documents, which may be long.</param>
    /// <param name="cancel">Stops.</param>
    public async Task<IReadOnlyList<LoggedChange>> Newest(
        int most,
        long? before = null,
        bool documents = true,
        CancellationToken cancel = default
    )
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var rows = await db
            .Changes.AsNoTracking()
            .Where(c => before == null || c.Id < before)
            .OrderByDescending(c => c.Id)
            .Take(most)
            .ToListAsync(cancel);
        return [.. rows.Select(c => ToLogged(c, documents))];
    }

    /// <summary>One change with its documents; null when there is none of this number.</summary>
    public async Task<LoggedChange?> Find(long id, CancellationToken cancel = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db.Changes.AsNoTracking().SingleOrDefaultAsync(c => c.Id == id, cancel) is { } row ? ToLogged(row, true) : null;
    }

    private static LoggedChange ToLogged(ChangeRow c, bool documents) =>
        new(
            c.Id,
            c.At,
            c.Actor,
            c.Kind,
            c.Subject,
            c.Reason,
            Parts(c.Before, c.After),
            documents ? c.Before : null,
            documents ? c.After : null,
            c.Shown is null ? null : JsonSerializer.Deserialize<YearChange[]>(c.Shown, EstateDocument.Json)
        );

    private static List<string> Parts(string? before, string? after)
    {
        if (before is null || after is null)
            return [];
        using var was = JsonDocument.Parse(before);
        using var now = JsonDocument.Parse(after);
        return
        [
            .. was
                .RootElement.EnumerateObject()
                .Concat(now.RootElement.EnumerateObject())
                .Select(p => p.Name)
                .Distinct()
                .Where(name => Text(was, name) != Text(now, name)),
        ];
    }

    private static string? Text(JsonDocument document, string part) =>
        document.RootElement.TryGetProperty(part, out var value) ? value.GetRawText() : null;

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
    internal static string Document(Bucket bucket) => JsonSerializer.Serialize(bucket.WithoutContents(), EstateDocument.Json);
}
