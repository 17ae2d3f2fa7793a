using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Server.Http;

namespace Ripen.Server.Stores;

/// <summary>One of the two stores: its origin, the version of its estate, and the buckets that it knows.</summary>
public sealed record StoreSide(string? Identity, long Version, IReadOnlyList<string> Buckets);

/// <summary>Whether the database and the provider's folder are one truth, and what can be done when they are not.</summary>
/// <param name="Standing">How they stand.</param>
/// <param name="Words">The same for people.</param>
/// <param name="Reason">Why the newest decisions were not taken up.</param>
/// <param name="Choices">What can be done; empty when nothing has to be.</param>
/// <param name="Database">Null when it has no estate, or nothing has to be decided.</param>
/// <param name="Folder">Null when nothing has to be decided.</param>
public sealed record StoresReading(
    Standing Standing,
    string Words,
    string? Reason,
    IReadOnlyList<StoresChoice> Choices,
    StoreSide? Database,
    StoreSide? Folder
);

/// <param name="Choice">One of those that are offered.</param>
/// <param name="Confirm">The word "folder" or "database", typed: what is to hold.</param>
public sealed record StoresOrder(StoresChoice Choice, string Confirm);

internal static class StoresEndpoints
{
    public static void MapStores(this RouteGroupBuilder api)
    {
        var stores = api.MapGroup("/stores").WithTags("Stores");
        stores
            .MapGet("", Read)
            .WithName("readStores")
            .WithSummary("Whether the database and the provider's folder are one truth, and what can be done when they are not.");
        stores
            .MapPost("/decision", Decide)
            .WithName("decideStores")
            .WithSummary("Decides which of the two is to hold. Nothing that is kept goes by it.");
    }

    private static async Task<Ok<StoresReading>> Read(CurrentEstate current, CancellationToken cancel)
    {
        try
        {
            await current.Get(cancel);
        }
        catch (RefusalException)
        {
            // The reading itself says what is the case.
        }
        return TypedResults.Ok(current.Stores);
    }

    private static async Task<Results<Ok<StoresReading>, ProblemHttpResult>> Decide(
        StoresOrder order,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var word = order.Choice == StoresChoice.TakeFolder ? "folder" : "database";
        if (order.Confirm != word)
            return Problems.Invalid(
                "not-confirmed",
                "$.confirm",
                $"The other one's newer decisions are given up; type '{word}' to confirm."
            );
        await current.Resolve(order.Choice, cancel);
        return TypedResults.Ok(current.Stores);
    }
}
