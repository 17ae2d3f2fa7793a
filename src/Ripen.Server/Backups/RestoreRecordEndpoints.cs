using System.ComponentModel;
using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Data;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

internal static class RestoreRecordEndpoints
{
    public static void MapRestoreRecords(this RouteGroupBuilder api)
    {
        api.MapGet("/restore-records", Read)
            .WithTags("Backups")
            .WithName("readRestoreRecords")
            .WithSummary("Restores and rehearsals that came to their end, newest first.");
        api.MapGet("/restore-records.csv", Csv)
            .WithTags("Backups")
            .WithName("exportRestoreRecords")
            .WithSummary("The same as a file (RFC 4180).");
        api.MapPost("/rehearsals", Rehearse)
            .WithTags("Backups")
            .WithName("rehearsePlanned")
            .WithSummary(
                "Rehearses the restore of a plan's point at the ordinary speed: what it reads is charged, its hours are counted and not waited for."
            );
    }

    private static async Task<Ok<IReadOnlyList<RestoreRecord>>> Read(
        RestoreRecords records,
        CancellationToken cancel,
        [Description("A target's id: only what came from it.")] string? target = null,
        [Description("Only of this workload.")] string? workload = null
    ) => TypedResults.Ok(await records.Read(target, workload, cancel));

    private static async Task<FileContentHttpResult> Csv(
        RestoreRecords records,
        CancellationToken cancel,
        string? target = null,
        string? workload = null
    )
    {
        using var file = new MemoryStream();
        using (var csv = CsvWriter.Create(file, new CsvWriterOptions(), leaveOpen: true))
        {
            csv.WriteHeader(
                "at",
                "day",
                "by",
                "kind",
                "target",
                "point",
                "taken",
                "workload",
                "under",
                "into",
                "files",
                "bytes",
                "seconds",
                "money",
                "problems",
                "error",
                "proves"
            );
            foreach (var r in await records.Read(target, workload, cancel))
                csv.WriteRecord([
                    r.At.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
                    r.Day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                    r.By,
                    r.Kind == RestoreKind.Rehearsal ? "rehearsal" : "restore",
                    r.Target,
                    r.Point,
                    r.Taken.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
                    r.Workload,
                    r.Under,
                    r.Into ?? "",
                    r.Files.ToString(CultureInfo.InvariantCulture),
                    r.Bytes.ToString("R", CultureInfo.InvariantCulture),
                    r.Seconds.ToString("R", CultureInfo.InvariantCulture),
                    r.Money?.ToString("R", CultureInfo.InvariantCulture) ?? "",
                    r.Problems.ToString(CultureInfo.InvariantCulture),
                    r.Error ?? "",
                    r.Proves ? "yes" : "no",
                ]);
        }
        return TypedResults.Bytes(file.ToArray(), "text/csv; charset=utf-8", "restore-records.csv");
    }

    private static async Task<Results<Ok<RestoreRecord>, ProblemHttpResult>> Rehearse(
        PlannedRehearsal order,
        CurrentEstate current,
        Rehearsals rehearsals,
        CancellationToken cancel
    ) => await current.Get(cancel) is { } view ? TypedResults.Ok(await rehearsals.Of(view.Estate, order, cancel)) : Problems.NoEstate();
}
