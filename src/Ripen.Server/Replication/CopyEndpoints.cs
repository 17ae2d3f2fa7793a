using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <param name="Bytes">That lie in it, earlier versions too.</param>
public sealed record BucketInRegion(string Name, bool Versioning, double Objects, double Bytes);

/// <param name="LostSince">On the provider's clock; null when it can be reached.</param>
public sealed record RegionReading(string Id, string Name, DateTimeOffset? LostSince, IReadOnlyList<BucketInRegion> Buckets);

/// <summary>Copies elsewhere at one moment of the provider's clock. The newest records of proofs come first.</summary>
public sealed record CopiesReading(
    DateTimeOffset Now,
    IReadOnlyList<RegionReading> Regions,
    IReadOnlyList<CopyRuleStatus> Rules,
    IReadOnlyList<LineStatus> Lines,
    IReadOnlyList<ProbeUnderWay> Probes,
    IReadOnlyList<ProofHead> Records
);

internal static class CopyEndpoints
{
    private const int RecordsTold = 200;

    public static void MapCopies(this RouteGroupBuilder api)
    {
        var copies = api.MapGroup("/replication").WithTags("Replication").RequireEstate();
        copies
            .MapGet("", Read)
            .WithName("readCopies")
            .WithSummary("Regions, replication rules, lines and proofs, as they stand. The ETag is the estate's.");
        copies
            .MapGet("/of/{bucket}/{version:long}", Of)
            .WithName("readCopiesOfObject")
            .WithSummary("Where else a version of an object is, or will be.");
        copies.MapCopyRules();
        copies.MapLines();
        copies.MapRegions();
        copies.MapProofs();
        copies.MapMoves();
    }

    private static async Task<Results<Ok<CopiesReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        SimulatedProvider provider,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var copies = provider.Copies;
        var lost = copies.LostRegions().ToDictionary(l => l.Region, l => l.Since);
        var regions = view.Estate.PriceBook.Regions.Select(region => new RegionReading(
            region.Id,
            region.Name,
            lost.TryGetValue(region.Id, out var since) ? since : null,
            [.. view.Estate.Buckets.Where(b => b.Region == region.Id).Select(InRegion)]
        ));
        return TypedResults.Ok(
            new CopiesReading(
                provider.Clock.Now,
                [.. regions],
                copies.Rules(),
                copies.LinesBetweenRegions(),
                copies.ProbesUnderWay(),
                copies.Records(RecordsTold)
            )
        );
    }

    private static BucketInRegion InRegion(Bucket bucket) =>
        new(bucket.Name, bucket.Versioning, bucket.Stock.Sum(l => l.Count), bucket.Stock.Sum(l => l.Count * l.BytesPerObject));

    private static Ok<IReadOnlyList<CopyOfObject>> Of(string bucket, long version, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Copies.Of(bucket, version));
}
