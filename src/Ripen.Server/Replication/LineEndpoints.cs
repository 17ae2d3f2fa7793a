using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Buckets;
using Ripen.Server.Http;
using Ripen.Server.Prices;

namespace Ripen.Server.Replication;

/// <summary>For how many hours of the provider's clock a line is cut; null until somebody restores it.</summary>
public sealed record CutOrder
{
    public double? Hours { get; init; }
}

/// <summary>A line's terms: money for a unit, 10^6 bits a second (null without a limit), milliseconds there and back.</summary>
public sealed record LineTerms
{
    public required double Price { get; init; }
    public double? MegabitsPerSecond { get; init; }
    public double? RoundTripMilliseconds { get; init; }

    internal Transfer Between(string from, string to) =>
        new()
        {
            From = from,
            To = to,
            Price = new UnitPrice(Price),
            MegabitsPerSecond = MegabitsPerSecond,
            RoundTripMilliseconds = RoundTripMilliseconds,
        };
}

/// <summary>A line's terms looked at and not stored: what they change in the estate's bill (of no bucket by itself), the mark of those figures,
/// and what to assume so that they come true.</summary>
public sealed record LineDraftReading(IReadOnlyList<YearChange> Cost, string Seen, IReadOnlyList<Assumption> Assume);

internal static class LineEndpoints
{
    public static void MapLines(this RouteGroupBuilder copies)
    {
        var line = copies.MapGroup("/lines/{from}/{to}");
        line.MapPut("", Set)
            .WithName("changeLine")
            .WithSummary("Sets the price, bandwidth and latency between two regions. If-Match: the estate's ETag.");
        line.MapPost("/draft", ReadDraft)
            .WithName("readLineDraft")
            .WithSummary("What other terms of a line would change in the bill. Nothing is stored.");
        line.MapPut("/cut", Cut).WithName("cutLine").WithSummary("Cuts the line between two regions, in both directions.");
        line.MapDelete("/cut", Restore)
            .WithName("restoreLine")
            .WithSummary("Restores the line; what waits is tried at once when time passes.");
    }

    private static async Task<Results<Ok<LineDraftReading>, ProblemHttpResult>> ReadDraft(
        string from,
        string to,
        LineTerms terms,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Wrong(from, to, terms, view.Estate.PriceBook) is { } wrong)
            return wrong;
        var after = view.Estate.PriceBook.With(terms.Between(from, to));
        var cost = PriceEndpoints.Cost(view, after);
        return TypedResults.Ok(new LineDraftReading(cost, Seen.Mark(cost), [Assumption.Of(after)]));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Set(
        string from,
        string to,
        LineTerms terms,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel,
        [Description(BucketEndpoints.SeenWords)] string? seen = null
    )
    {
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var prices = view!.Estate.PriceBook;
                if (Wrong(from, to, terms, prices) is { } wrong)
                    return wrong;
                var transfer = terms.Between(from, to);
                var written = prices.With(transfer);
                var shown = PriceEndpoints.Cost(view, written);
                if (Seen.Refusal(seen, shown) is { } otherwise)
                    return otherwise;
                var after = PriceAmendment.Of(prices, written, view.Estate.Today);
                await current.Apply(
                    new PlannedChange(view.Estate),
                    () => store.ChangePrices(prices, after, view.Version, shown, transfer, cancel)
                );
                return null;
            },
            cancel
        );
        return refused is not null ? refused : TypedResults.NoContent();
    }

    private static ProblemHttpResult? Wrong(string from, string to, LineTerms terms, PriceBook prices)
    {
        foreach (var region in new[] { from, to })
        {
            if (prices.FindRegion(region) is null)
                return Problems.NotFound("no-region", $"There is no region '{region}'.");
        }
        if (terms.Price is not (>= 0 and <= 1e15))
            return Problems.Invalid("out-of-range", "$.price", "The price of a unit is 0 or more.");
        if (terms.MegabitsPerSecond is not (null or (> 0 and <= 1e9)))
        {
            return Problems.Invalid(
                "out-of-range",
                "$.megabitsPerSecond",
                "The bandwidth is above 0 and at most 1000000000 Mbit/s; leave it out for no limit."
            );
        }
        if (terms.RoundTripMilliseconds is not (null or (>= 0 and <= 1e6)))
            return Problems.Invalid("out-of-range", "$.roundTripMilliseconds", "The latency lies between 0 and 1000000 ms.");
        return null;
    }

    private static Results<Ok<IReadOnlyList<LineStatus>>, ProblemHttpResult> Cut(
        string from,
        string to,
        CutOrder order,
        SimulatedProvider provider
    )
    {
        if (order.Hours is not (null or (> 0 and <= 876_600)))
            return Problems.Invalid(
                "out-of-range",
                "$.hours",
                "A cut lasts more than 0 and at most 876600 hours; leave it out to restore the line by hand."
            );
        provider.Copies.Cut(from, to, order.Hours is { } hours ? provider.Clock.Now.AddHours(hours) : null);
        return TypedResults.Ok(provider.Copies.LinesBetweenRegions());
    }

    private static Ok<IReadOnlyList<LineStatus>> Restore(string from, string to, SimulatedProvider provider)
    {
        provider.Copies.Restore(from, to);
        return TypedResults.Ok(provider.Copies.LinesBetweenRegions());
    }
}
