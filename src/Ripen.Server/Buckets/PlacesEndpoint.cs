using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Server.Http;

namespace Ripen.Server.Buckets;

/// <summary>Where a new bucket can be, and a bucket to begin with.</summary>
/// <param name="Begin">Its name is free; it lands where its users are, or in the first region, in the warmest tier there, and survives the
/// loss of two copies where a scheme does.</param>
/// <param name="Regions">Side by side.</param>
public sealed record PlaceOffers(Bucket Begin, IReadOnlyList<PlaceOffer> Regions);

/// <summary>A region as a place for a new bucket.</summary>
/// <param name="Region">Its id.</param>
/// <param name="Name">Its name.</param>
/// <param name="OperatedBy">Who runs it.</param>
/// <param name="Zones">Separate buildings; null when the price book does not say.</param>
/// <param name="Line">From where its users are; null when they are here, or the price book names no line: free and without a
/// limit.</param>
/// <param name="IsHere">Whether its users are in this very region.</param>
/// <param name="Tiers">All of the price book's tiers, from warm to cold.</param>
public sealed record PlaceOffer(
    string Region,
    string Name,
    Operator OperatedBy,
    int? Zones,
    Transfer? Line,
    bool IsHere,
    IReadOnlyList<TierOffer> Tiers
);

/// <param name="Tier">Its id.</param>
/// <param name="Price">Money for a unit-month in the first band, times the scheme's factor; null where the region does not offer the
/// tier.</param>
/// <param name="WaitHours">Until the first byte.</param>
public sealed record TierOffer(string Tier, double? Price, double WaitHours);

internal static class PlacesEndpoint
{
    public static void MapPlaces(this RouteGroupBuilder api) =>
        api.MapGet("/places", Read)
            .WithTags("Buckets")
            .WithName("readPlaces")
            .WithSummary("Every region as a place for a bucket: what it offers at which price, and how far it is from its users.");

    private static async Task<Results<Ok<PlaceOffers>, ProblemHttpResult>> Read(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The redundancy scheme whose factor the prices bear; left out: 1.")] string? scheme = null,
        [Description("The region where its users are; left out: nowhere in particular.")] string? users = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var prices = view.Estate.PriceBook;
        if (scheme is not null && prices.FindScheme(scheme) is null)
            return Problems.Invalid("unknown-reference", "$.scheme", $"The price book has no scheme '{scheme}'.");
        if (users is not null && prices.FindRegion(users) is null)
            return Problems.Invalid("unknown-reference", "$.users", $"The price book has no region '{users}'.");
        var factor = scheme is null ? 1 : prices.FindScheme(scheme)!.StorageFactor;
        return TypedResults.Ok(
            new PlaceOffers(
                Begin(view.Estate, users),
                [
                    .. prices.Regions.Select(r => new PlaceOffer(
                        r.Id,
                        r.Name,
                        r.OperatedBy ?? Operator.Provider,
                        r.Zones,
                        users is null || users == r.Id ? null : prices.FindTransfer(users, r.Id),
                        users == r.Id,
                        [.. prices.Tiers.Select(t => new TierOffer(t.Id, r.PriceOf(t.Id)?.Storage[0].Price.For(factor), t.WaitHours))]
                    )),
                ]
            )
        );
    }

    private static Bucket Begin(Estate estate, string? users)
    {
        var prices = estate.PriceBook;
        var region = users is null ? prices.Regions[0] : prices.FindRegion(users)!;
        var number = estate.Buckets.Count + 1;
        while (estate.Find($"bucket-{number}") is not null)
            number++;
        return new Bucket
        {
            Name = $"bucket-{number}",
            Region = region.Id,
            Scheme = (prices.Schemes.FirstOrDefault(s => s.Copies >= 3) ?? prices.Schemes[0]).Id,
            Tier = prices.Tiers.First(t => region.PriceOf(t.Id) is not null).Id,
        };
    }
}
