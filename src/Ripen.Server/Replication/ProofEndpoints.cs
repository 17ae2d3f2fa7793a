using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <summary>What to do about the differences of a kind, or about the one of a version.</summary>
public sealed record MendOrder
{
    public required string Kind { get; init; }
    public required Mending Mend { get; init; }
    public long? Version { get; init; }
}

/// <summary>How many differences were dealt with.</summary>
public sealed record Mended(int Differences);

internal static class ProofEndpoints
{
    public static void MapProofs(this RouteGroupBuilder copies)
    {
        copies
            .MapPost("/rules/{id:long}/probes", Probe)
            .WithName("sendProbe")
            .WithSummary("Writes an object to see it arrive, be compared byte for byte, and be removed.");
        copies.MapDelete("/probes/{probe:long}", GiveUp).WithName("giveUpProbe").WithSummary("Ends a probe that has not arrived.");
        copies
            .MapGet("/rules/{id:long}/comparison", Compare)
            .WithName("compareSides")
            .WithSummary("Both sides of a rule, compared by key, version and checksum. No record is kept.");
        copies
            .MapPost("/rules/{id:long}/audits", Audit)
            .WithName("auditRule")
            .WithSummary("The same, with a record; with readEverything every byte on both sides is read.");
        copies
            .MapPost("/rules/{id:long}/mends", Mend)
            .WithName("mendDifferences")
            .WithSummary("Does something about differences; looks again first.");
        copies
            .MapGet("/records/{record:long}", Record)
            .WithName("readProof")
            .WithSummary("A dated record: what was done, and what was found.");
        copies
            .MapGet("/records/{record:long}.csv", Csv)
            .WithName("readProofCsv")
            .WithSummary("The same as RFC 4180 CSV.")
            .Produces<string>(contentType: "text/csv");
    }

    private static async Task<Ok<ProbeUnderWay>> Probe(long id, SimulatedProvider provider, CancellationToken cancel) =>
        TypedResults.Ok(await provider.Copies.Probe(id, cancel));

    private static NoContent GiveUp(long probe, SimulatedProvider provider)
    {
        provider.Copies.GiveUpProbe(probe);
        return TypedResults.NoContent();
    }

    private static Ok<AuditResult> Compare(long id, SimulatedProvider provider) => TypedResults.Ok(provider.Copies.Compare(id));

    private static Ok<AuditResult> Audit(long id, SimulatedProvider provider, CancellationToken cancel, bool readEverything = false) =>
        TypedResults.Ok(provider.Copies.Audit(id, readEverything, cancel));

    private static Ok<Mended> Mend(long id, MendOrder order, SimulatedProvider provider, CancellationToken cancel) =>
        TypedResults.Ok(new Mended(provider.Copies.Mend(id, order.Kind, order.Mend, order.Version, cancel)));

    private static async Task<Results<Ok<ProofRecord>, ProblemHttpResult>> Record(long record, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Copies.Record(record));

    private static FileContentHttpResult Csv(long record, SimulatedProvider provider)
    {
        var found = provider.Copies.Record(record);
        using var file = new MemoryStream();
        using (var csv = CsvWriter.Create(file, new CsvWriterOptions(), leaveOpen: true))
        {
            csv.WriteHeader("record", "at", "kind", "bucket", "key", "version", "objects", "bytes", "note");
            foreach (var step in found.Steps)
                Line(csv, step.At, step.What, found.Head.Subject, null);
            foreach (var item in found.Items)
                Line(csv, item.Written, item.Kind, item.Bucket, item);
            Line(csv, found.Head.Clock, found.Head.Good ? "good" : "not-good", found.Head.Subject, null, found.Head.Summary);
        }
        return TypedResults.Bytes(file.ToArray(), "text/csv; charset=utf-8", $"record-{record}.csv");

        void Line(CsvWriter csv, DateTimeOffset at, string kind, string bucket, ProofItem? item, string? note = null) =>
            csv.WriteRecord([
                $"{record}",
                at.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture),
                kind,
                bucket,
                item?.Key ?? "",
                item?.Version.ToString(CultureInfo.InvariantCulture) ?? "",
                item?.Objects.ToString("R", CultureInfo.InvariantCulture) ?? "",
                item?.Bytes.ToString("R", CultureInfo.InvariantCulture) ?? "",
                note ?? item?.Note ?? "",
            ]);
    }
}
