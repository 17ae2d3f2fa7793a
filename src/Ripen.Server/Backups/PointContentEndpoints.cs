using System.ComponentModel;
using System.Globalization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core.Backups;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>A name in a folder of a point.</summary>
public sealed record NameReading(string Path, EntryKind Kind, long Bytes, DateTimeOffset Modified, string? Target);

/// <summary>What two points do not hold alike.</summary>
/// <param name="Path">In both.</param>
/// <param name="Before">As the earlier point has it; null where it lacks it.</param>
/// <param name="After">As the later point has it; null where it lacks it.</param>
public sealed record DifferenceReading(string Path, NameReading? Before, NameReading? After);

/// <summary>What differs between two points.</summary>
/// <param name="Differences">At most 2,000, in the order of paths.</param>
/// <param name="Added">Paths that only the later one has.</param>
/// <param name="Removed">Paths that only the earlier one has.</param>
/// <param name="Changed">Paths that both have, otherwise.</param>
/// <param name="GrownBytes">What the later one has more, or less.</param>
public sealed record DifferencesReading(IReadOnlyList<DifferenceReading> Differences, int Added, int Removed, int Changed, long GrownBytes);

/// <summary>What one point holds: its names, its files, and how it differs from another.</summary>
internal static class PointContentEndpoints
{
    private const int Most = 2000;

    public static void MapPointContents(this RouteGroupBuilder target)
    {
        target
            .MapGet("/points/{point}/names", ReadNames)
            .WithName("readNames")
            .WithSummary("What a folder of a point holds, or every path of it that has a text; at most 2,000.");
        target
            .MapGet("/points/{point}/file", ReadFile)
            .WithName("readFileOfPoint")
            .WithSummary("The content of one file of a point.")
            .Produces<byte[]>(contentType: "application/octet-stream");
        target
            .MapGet("/points/{point}/archive", ReadArchive)
            .WithName("readArchiveOfPoint")
            .WithSummary("A point, or a folder of it, as one tar or zip archive; a record says that it was brought back.")
            .Produces<byte[]>(contentType: "application/octet-stream");
        target
            .MapGet("/points/{point}/differences", ReadDifferences)
            .WithName("readDifferences")
            .WithSummary("What a point has otherwise than another one of the pool: at most 2,000 paths, and how many they are.");
    }

    private static async Task<Ok<IReadOnlyList<NameReading>>> ReadNames(
        string id,
        string point,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel,
        [Description("A folder's path; empty for the root.")] string folder = "",
        [Description("Instead: every path that has this text, whatever its case.")] string? find = null
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var names = new List<NameReading>();
        await foreach (var entry in pool.Entries(await pool.FindPoint(point, cancel), cancel))
        {
            var fits = string.IsNullOrEmpty(find)
                ? (Path.GetDirectoryName(entry.Path) ?? "") == folder
                : entry.Path.Contains(find, StringComparison.OrdinalIgnoreCase);
            if (!fits)
                continue;
            names.Add(NameOf(entry)!);
            if (names.Count == Most)
                break;
        }
        return TypedResults.Ok<IReadOnlyList<NameReading>>(names);
    }

    private static async Task ReadFile(
        string id,
        string point,
        [Description("Of the file, in the point.")] string path,
        CurrentEstate current,
        Pools pools,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        await foreach (var entry in pool.Entries(await pool.FindPoint(point, cancel), cancel))
        {
            if (entry.Path != path || entry.Kind != EntryKind.File)
                continue;
            response.ContentLength = entry.Size;
            Offer(response, Path.GetFileName(path));
            await Restore.Send(pool, entry, response.Body, cancel);
            return;
        }
        throw new RefusalException(RefusalKind.NotFound, "no-path", $"The restore point has no file '{path}'.");
    }

    private static async Task ReadArchive(
        string id,
        string point,
        CurrentEstate current,
        Pools pools,
        Recorded recorded,
        HttpResponse response,
        CancellationToken cancel,
        [Description("A file, or a folder with all that is in it; empty for everything.")] string under = "",
        [Description("tar or zip.")] string format = "tar"
    )
    {
        if (NamedValues.Read<ArchiveFormat>(format) is not { } packed)
            throw new RefusalException(RefusalKind.Invalid, "unknown-value", "A point comes as tar or zip.", "$.format");
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var found = await pool.FindPoint(point, cancel);
        var name = under.Length > 0 ? Path.GetFileName(under) : found.Workload;
        await recorded.Of(
            found,
            new RestoreAim(id, RestoreKind.Restore, under, $"a {format} archive"),
            async tell =>
            {
                Offer(response, string.Create(CultureInfo.InvariantCulture, $"{name} {found.Taken.UtcDateTime:yyyy-MM-dd HHmm}.{format}"));
                return await PointArchive.Write(pool, found, under, packed, response.Body, tell, cancel);
            }
        );
    }

    private static async Task<Ok<DifferencesReading>> ReadDifferences(
        string id,
        string point,
        CurrentEstate current,
        Pools pools,
        [Description("The earlier point's id.")] string since,
        CancellationToken cancel,
        [Description("Only a file, or a folder with all that is in it; empty for everything.")] string under = ""
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var (before, after) = (await pool.FindPoint(since, cancel), await pool.FindPoint(point, cancel));
        var (listed, added, removed, changed, grown) = (new List<DifferenceReading>(), 0, 0, 0, 0L);
        await foreach (var d in PointDifference.Between(pool, before, after, cancel))
        {
            if (!Restore.IsUnder(d.Path, under))
                continue;
            if (d.Before is null)
                added++;
            else if (d.After is null)
                removed++;
            else
                changed++;
            grown += (d.After?.Size ?? 0) - (d.Before?.Size ?? 0);
            if (listed.Count < Most)
                listed.Add(new DifferenceReading(d.Path, NameOf(d.Before), NameOf(d.After)));
        }
        return TypedResults.Ok(new DifferencesReading(listed, added, removed, changed, grown));
    }

    private static NameReading? NameOf(Entry? entry) =>
        entry is null
            ? null
            : new NameReading(entry.Path, entry.Kind, entry.Size, DateTimeOffset.UnixEpoch.AddTicks(entry.Modified / 100), entry.Target);

    /// <summary>As a file to keep, and never as a page.</summary>
    internal static void Offer(HttpResponse response, string name)
    {
        response.ContentType = "application/octet-stream";
        response.Headers.ContentDisposition = $"attachment; filename*=UTF-8''{Uri.EscapeDataString(name)}";
        response.Headers.XContentTypeOptions = "nosniff";
    }
}
