using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Objects;

namespace Ripen.Server.Objects;

/// <summary>What is to be recalled of a bucket.</summary>
/// <param name="Days">How many days the copies stay from the day on which they are ready: 1 to 3,650.</param>
/// <param name="Prefix">Everything under it; empty for the whole bucket, null for what <paramref name="Keys"/> names.</param>
/// <param name="Keys">One by one; null for a prefix.</param>
/// <param name="Speed">The id of a recall speed; null for the ordinary one.</param>
public sealed record RecallRequest(
    [property: JsonRequired] int Days,
    string? Prefix = null,
    IReadOnlyList<string>? Keys = null,
    string? Speed = null
);

/// <summary>A recall at one speed; the first is the ordinary one, which has no id.</summary>
public sealed record RecallAtSpeed(string? Speed, string Name, Recall Recall);

internal static class RecallEndpoints
{
    public const string OrdinarySpeed = "ordinary";

    public static void MapRecalls(this RouteGroupBuilder api)
    {
        var recalls = api.MapGroup("/buckets/{name}/recalls").WithTags("Objects").ForKnownBucket();
        recalls
            .MapPost("/draft", Foresee)
            .WithName("readRecall")
            .WithSummary("What a recall costs and takes at each speed, or at the one that is asked for. Nothing is done.");
        recalls
            .MapPost("", Order)
            .WithName("recall")
            .WithSummary("Recalls: copies can be read in a tier without a wait until a day; what they are of stays where it is.");
    }

    private static Ok<IReadOnlyList<RecallAtSpeed>> Foresee(string name, RecallRequest request, SimulatedProvider provider) =>
        TypedResults.Ok(AtSpeeds(provider, Of(name, request)));

    private static Ok<Recall> Order(string name, RecallRequest request, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Recalls.Order(Of(name, request)));

    /// <summary>At the ordinary speed and every other one of the bucket's region, or at the one that is asked for.</summary>
    public static IReadOnlyList<RecallAtSpeed> AtSpeeds(SimulatedProvider provider, RecallOrder order)
    {
        var speeds = provider.Recalls.SpeedsIn(order.Bucket).Select(s => ((string?)s.Id, s.Name)).Prepend((null, OrdinarySpeed));
        return
        [
            .. speeds
                .Where(s => order.Speed is null || order.Speed == s.Item1)
                .Select(s => new RecallAtSpeed(s.Item1, s.Item2, provider.Recalls.Foresee(order with { Speed = s.Item1 }))),
        ];
    }

    private static RecallOrder Of(string name, RecallRequest request)
    {
        if (request.Prefix is null == request.Keys is null)
            throw new RefusalException(RefusalKind.Invalid, "one-of", "Say either a prefix or keys.", "$.prefix");
        return new RecallOrder(name, request.Prefix, request.Keys, request.Speed, request.Days);
    }
}
