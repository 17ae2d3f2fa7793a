using System.Globalization;
using System.Text;
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

    private static async Task<Results<Ok<ProbeUnderWay>, ProblemHttpResult>> Probe(
        long id,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => await current.Get(cancel) is null ? Problems.NoEstate() : TypedResults.Ok(await provider.Copies.Probe(id, cancel));

    private static async Task<Results<NoContent, ProblemHttpResult>> GiveUp(
        long probe,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is null)
            return Problems.NoEstate();
        provider.Copies.GiveUpProbe(probe);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<AuditResult>, ProblemHttpResult>> Compare(
        long id,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => await current.Get(cancel) is null ? Problems.NoEstate() : TypedResults.Ok(provider.Copies.Compare(id));

    private static async Task<Results<Ok<AuditResult>, ProblemHttpResult>> Audit(
        long id,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        bool readEverything = false
    ) => await current.Get(cancel) is null ? Problems.NoEstate() : TypedResults.Ok(provider.Copies.Audit(id, readEverything, cancel));

    private static async Task<Results<Ok<Mended>, ProblemHttpResult>> Mend(
        long id,
        MendOrder order,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) =>
        await current.Get(cancel) is null
            ? Problems.NoEstate()
            : TypedResults.Ok(new Mended(provider.Copies.Mend(id, order.Kind, order.Mend, order.Version, cancel)));

    private static async Task<Results<Ok<ProofRecord>, ProblemHttpResult>> Record(
        long record,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => await current.Get(cancel) is null ? Problems.NoEstate() : TypedResults.Ok(provider.Copies.Record(record));

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Csv(
        long record,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is null)
            return Problems.NoEstate();
        var found = provider.Copies.Record(record);
        var text = new StringBuilder("record,at,kind,bucket,key,version,objects,bytes,note\r\n");
        foreach (var step in found.Steps)
            Line(step.At, step.What, found.Head.Subject, "", null, null, null, null);
        foreach (var item in found.Items)
            Line(item.Written, item.Kind, item.Bucket, item.Key, item.Version, item.Objects, item.Bytes, item.Note);
        Line(found.Head.Clock, found.Head.Good ? "good" : "not-good", found.Head.Subject, "", null, null, null, found.Head.Summary);
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text.ToString()), "text/csv; charset=utf-8", $"record-{record}.csv");

        void Line(DateTimeOffset at, string kind, string bucket, string key, long? version, double? objects, double? bytes, string? note) =>
            text.Append(
                CultureInfo.InvariantCulture,
                $"{record},{at:yyyy-MM-dd'T'HH:mm:ss.fff'Z'},{Quoted(kind)},{bucket},{Quoted(key)},{version},{objects:R},{bytes:R},{Quoted(note)}\r\n"
            );
    }

    /// <summary>In quotes where RFC 4180 wants them.</summary>
    private static string Quoted(string? text) =>
        text is not null && text.AsSpan().ContainsAny(",\"\r\n")
            ? $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\""
            : text ?? "";
}
