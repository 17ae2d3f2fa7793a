using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Buckets;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Prices;

/// <summary>A price book and what to make of it.</summary>
/// <param name="Prices">As in the estate document, in force today.</param>
/// <param name="Today">The provider's day.</param>
/// <param name="Doubts">What is valid and probably not meant.</param>
/// <param name="Plain">What each tier costs in plain terms.</param>
public sealed record PricesReading(PriceBook Prices, DateOnly Today, IReadOnlyList<PriceDoubt> Doubts, IReadOnlyList<PlainPrice> Plain)
{
    internal static PricesReading Of(PriceBook prices, DateOnly today) =>
        new(prices, today, [.. PriceDoubts.Of(prices)], [.. PlainPrice.Of(prices)]);
}

/// <summary>A price book looked at and not stored: how it would stand, what it changes in the estate's bill (of no bucket by itself), the
/// mark of those figures, and what to assume so that they come true.</summary>
public sealed record PricesDraft(PricesReading Reading, IReadOnlyList<YearChange> Cost, string Seen, IReadOnlyList<Assumption> Assume);

/// <summary>What storage costs: amounts in force, and amounts of days to come.</summary>
internal static class PriceEndpoints
{
    public static void MapPrices(this RouteGroupBuilder api)
    {
        var prices = api.MapGroup("/prices").WithTags("Prices");
        prices.MapGet("", Read).WithName("readPrices").WithSummary("The price book in force. The ETag is the estate's.");
        prices
            .MapGet("/rows.csv", ReadCsv)
            .WithName("readPriceRows")
            .WithSummary("Every amount of the price book, a line each: from, region, to, tier, charge, speed, upTo, amount.");
        prices
            .MapPost("/draft", ReadDraft)
            .WithName("readPricesDraft")
            .WithSummary("What another price book would change in the bill. Nothing is stored.")
            .Accepts<PriceBook>("application/json");
        prices
            .MapPost("/rows", ReadRows)
            .WithName("readPricesWithRows")
            .WithSummary("The price book with the amounts of a table, as the CSV has them, in the place of its own. Nothing is stored.");
        prices
            .MapPut("", Put)
            .WithName("putPrices")
            .WithSummary("Puts a price book in the place of the one in force, from today on. If-Match: the estate's ETag.")
            .Accepts<PriceBook>("application/json");
    }

    private static async Task<Results<Ok<PricesReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(PricesReading.Of(view.Estate.PriceBook, view.Estate.Today));
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> ReadCsv(CurrentEstate current, CancellationToken cancel)
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        return Streams.Text(writer => PriceTable.Write(PriceRows.Of(view.Estate.PriceBook), writer), "text/csv", "prices.csv");
    }

    private static async Task<Results<Ok<PricesDraft>, ProblemHttpResult>> ReadDraft(
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var draft = EstateDocument.ReadPrices(json, view.Estate);
        if (!draft.Ok)
            return Problems.Invalid(draft.Problems);
        var cost = Cost(view, draft.Value);
        return TypedResults.Ok(
            new PricesDraft(PricesReading.Of(draft.Value, view.Estate.Today), cost, Seen.Mark(cost), [Assumption.Of(draft.Value)])
        );
    }

    private static async Task<Results<Ok<PriceBook>, ProblemHttpResult>> ReadRows(
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var csv = await request.ReadText(cancel);
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var rows = PriceTable.Read(csv);
        if (!rows.Ok)
            return Problems.Invalid(rows.Problems);
        var book = PriceRows.Apply(view.Estate.PriceBook, rows.Value);
        return book.Ok ? TypedResults.Ok(book.Value) : Problems.Invalid(book.Problems);
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel,
        [Description(BucketEndpoints.SeenWords)] string? seen = null
    )
    {
        var json = await request.ReadText(cancel);
        return await Plans.Change(
            current,
            request,
            async view =>
            {
                var draft = EstateDocument.ReadPrices(json, view.Estate);
                if (!draft.Ok)
                    return Problems.Invalid(draft.Problems);
                var cost = Cost(view, draft.Value);
                if (Seen.Refusal(seen, cost) is { } otherwise)
                    return otherwise;
                var after = view.Estate with { PriceBook = draft.Value };
                await current.Apply(
                    new PlannedChange(after),
                    () => store.ChangePrices(view.Estate.PriceBook, draft.Value, view.Version, cost, cancel: cancel)
                );
                return null;
            },
            cancel
        );
    }

    /// <summary>What other prices change in the estate's bill, of no bucket by itself.</summary>
    internal static IReadOnlyList<YearChange> Cost(EstateView view, PriceBook prices) =>
        Consequences.CostOf(view.Project(Consequences.Months), view.Estate with { PriceBook = prices }, bucket: "");
}
