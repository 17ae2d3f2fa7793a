using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Replication;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <summary>Whether a region comes back with what lay there, or empty. Coming back empty needs its id once more, as
/// <see cref="Confirm"/>.</summary>
public sealed record ReturnOrder
{
    public required bool WithItsData { get; init; }
    public string? Confirm { get; init; }

    /// <summary>From the reading of the loss, when something in the region is kept: the list of it was seen.</summary>
    public string? KeptSeen { get; init; }
}

/// <summary>How many entries were queued.</summary>
public sealed record Queued(int Entries);

/// <summary>A promotion looked at and not done: what stands in the way, what the estate would cost, and the rule that brought the
/// copies.</summary>
public sealed record PromotionReading(IReadOnlyList<Problem> Problems, IReadOnlyList<YearChange> Cost, CopyRuleStatus? Rule);

internal static class RegionEndpoints
{
    public static void MapRegions(this RouteGroupBuilder copies)
    {
        var region = copies.MapGroup("/regions/{region}");
        region
            .MapGet("/loss", Foresee)
            .WithName("readRegionLoss")
            .WithSummary("What the loss of the region means: unreadable buckets, who serves, what is nowhere else.");
        region.MapPut("/loss", Lose).WithName("loseRegion").WithSummary("Marks the region as lost.");
        region
            .MapPost("/return", Return)
            .WithName("returnRegion")
            .WithSummary("The region can be reached again; what is gone is listed in a record.");
        copies
            .MapPost("/refills/{bucket}", Refill)
            .WithName("refillBucket")
            .WithSummary("Brings back to a bucket everything that only its copies have.");
        copies
            .MapGet("/promotions/{from}/{to}", ReadPromotion)
            .WithName("readPromotion")
            .WithSummary("What promoting a copy would do. Nothing is stored.");
        copies
            .MapPost("/promotions/{from}/{to}", Promote)
            .WithName("promoteCopy")
            .WithSummary(
                "A copy takes the place of its original: workload and reads move, and what is written there is copied back. If-Match: "
                    + "the estate's ETag."
            );
    }

    private static Ok<RegionLoss> Foresee(string region, SimulatedProvider provider) => TypedResults.Ok(provider.Copies.LossOf(region));

    private static Ok<RegionLoss> Lose(string region, SimulatedProvider provider) => TypedResults.Ok(provider.Copies.Lose(region));

    private static Results<Ok<ProofHead>, ProblemHttpResult> Return(string region, ReturnOrder order, SimulatedProvider provider)
    {
        if (!order.WithItsData && order.Confirm != region)
            return Problems.Invalid("not-confirmed", "$.confirm", $"What lies in the region goes for good; write '{region}' to confirm.");
        return TypedResults.Ok(provider.Copies.BringBack(region, order.WithItsData, order.KeptSeen));
    }

    private static Ok<Queued> Refill(string bucket, SimulatedProvider provider, CancellationToken cancel) =>
        TypedResults.Ok(new Queued(provider.Copies.Refill(bucket, cancel)));

    private static async Task<Results<Ok<PromotionReading>, ProblemHttpResult>> ReadPromotion(
        string from,
        string to,
        CurrentEstate current,
        SimulatedProvider provider,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var after = CopyPlans.SwitchOver(view.Estate, from, to);
        var rule = provider.Copies.Rules().FirstOrDefault(r => r.Bucket == from && r.Target == to && !r.BringsBack);
        return TypedResults.Ok(
            new PromotionReading(
                after.Problems,
                after.Ok ? Consequences.CostOf(view.Project(Consequences.Months), after.Value, from) : [],
                rule
            )
        );
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Promote(
        string from,
        string to,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel
    )
    {
        var refused = await current.Change(
            async view =>
                Plans.Refusal(view, request)
                ?? await Plans.Store(current, view!, CopyPlans.SwitchOver(view!.Estate, from, to), "switched-over", store, cancel),
            cancel
        );
        return refused is not null ? refused : TypedResults.NoContent();
    }
}
