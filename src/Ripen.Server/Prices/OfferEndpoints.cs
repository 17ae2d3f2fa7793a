using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Prices;

/// <summary>All offers, as the document has them.</summary>
public sealed record OffersDocument(IReadOnlyList<Offer> Offers);

/// <summary>The estate by the prices in force and under each offer, over the same months.</summary>
public sealed record OfferComparison(IReadOnlyList<OfferOutlook> Outlooks);

/// <summary>Price books beside the one in force, and what the estate would cost under each. Nothing of them is done.</summary>
internal static class OfferEndpoints
{
    private const int MonthsOfYear = 12;

    public static void MapOffers(this RouteGroupBuilder api)
    {
        var offers = api.MapGroup("/offers").WithTags("Prices");
        offers.MapGet("", ReadAll).WithName("readOffers").WithSummary("All price books beside the one in force. The ETag is the estate's.");
        offers
            .MapPut("", PutAll)
            .WithName("putOffers")
            .WithSummary("Puts a list of offers in the place of the one there is. If-Match: the estate's ETag.")
            .Accepts<OffersDocument>("application/json");
        offers
            .MapGet("/comparison", Compare)
            .WithName("compareOffers")
            .WithSummary("What the estate costs by the prices in force and under each offer, each in its own currency.");
    }

    private static Task<Results<Ok<OffersDocument>, ProblemHttpResult>> ReadAll(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    ) => WholeList.Read(current, response, e => new OffersDocument(e.Offers), cancel);

    private static Task<Results<NoContent, ProblemHttpResult>> PutAll(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) =>
        WholeList.Put(
            request,
            current,
            (json, _) => EstateDocument.ReadOffers(json),
            (estate, offers) => estate with { Offers = offers },
            (view, offers) => store.ChangeOffers(view.Estate.Offers, offers, view.Version, cancel),
            cancel
        );

    private static async Task<Results<Ok<OfferComparison>, ProblemHttpResult>> Compare(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description("The year whose charges are told, counted from 1; 0 for all months.")] int year = 1
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, null, cancel);
        if (wrong is not null)
            return wrong;
        var years = (months + MonthsOfYear - 1) / MonthsOfYear;
        if (year < 0 || year > years)
            return Problems.Invalid("out-of-range", "?year", $"The year must be from 0 to {years}.");
        var (first, count) = year == 0 ? (0, months) : ((year - 1) * MonthsOfYear, MonthsOfYear);
        var assumed = view!.Assumed(current);
        var inForce = assumed.AsItStands(months);
        return TypedResults.Ok(
            new OfferComparison([
                OfferOutlook.Of(inForce, first, count),
                .. view.Estate.Offers.Select(o => OfferOutlook.Of(o, assumed.Under(o, months), inForce, first, count)),
            ])
        );
    }
}
