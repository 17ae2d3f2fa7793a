using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Advice;
using Ripen.Core.Forecasting;
using Ripen.Server.Http;

namespace Ripen.Server.Advice;

internal static class AdviceEndpoints
{
    private const double MostReads = 1_000_000;
    private const double MostHours = 8_760;
    private const int MostAtOnce = 1000;

    public static void MapAdvice(this RouteGroupBuilder api)
    {
        api.MapGet("/cheapest", ReadCheapest)
            .WithTags("Buckets")
            .WithName("readCheapest")
            .WithSummary("For every bucket the cheapest schedule, what it would save a year, and a draft of it. Nothing is stored.");
        api.MapGet("/cheapest/why", ReadWhy)
            .WithTags("Buckets")
            .WithName("readCheapestWhy")
            .WithSummary("What makes the money of one schedule, now and at best: quantities and prices.");
        api.MapGet("/break-even", ReadBreakEven)
            .WithTags("Buckets")
            .WithName("readBreakEven")
            .WithSummary("For every pair of tiers, from which size on it pays to move an object that then stays so many days.");
        api.MapPost("/advice", Advise)
            .WithTags("Buckets")
            .WithName("adviseStorage")
            .WithSummary(
                "What kind of storage, tier, region and scheme data needs, with reasons and a filled-in draft. Nothing is stored."
            );
    }

    private static async Task<Results<Ok<EstateAdvice>, ProblemHttpResult>> ReadCheapest(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("Hours that readers accept to wait, 0 to 8,760; left out: as long as each bucket's rules make them wait now.")]
            double? longestWait = null,
        [Description("At most so many buckets, what saves most first: 1 to 1,000.")] int most = 200
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (longestWait is not (null or (>= 0 and <= MostHours)))
            return Problems.Invalid("out-of-range", "$.longestWait", $"Say 0 to {MostHours:#,0} hours.");
        return most is < 1 or > MostAtOnce
            ? Problems.Invalid("out-of-range", "$.most", $"Ask for 1 to {MostAtOnce}.")
            : TypedResults.Ok(CheapestSchedules.Of(view.Estate, longestWait, most));
    }

    private static async Task<Results<Ok<ScheduleReasons>, ProblemHttpResult>> ReadWhy(
        string bucket,
        CurrentEstate current,
        CancellationToken cancel,
        [Description("Of what arrives there.")] string prefix = "",
        [Description("Hours that readers accept to wait, 0 to 8,760; left out: as long as the bucket's rules make them wait now.")]
            double? longestWait = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (longestWait is not (null or (>= 0 and <= MostHours)))
            return Problems.Invalid("out-of-range", "$.longestWait", $"Say 0 to {MostHours:#,0} hours.");
        return CheapestSchedules.Why(view.Estate, bucket, prefix, longestWait) is { } reasons
            ? TypedResults.Ok(reasons)
            : Problems.NotFound("no-schedule", $"No schedule is worked out for what arrives in '{bucket}' under '{prefix}'.");
    }

    private static async Task<Results<Ok<IReadOnlyList<BreakEvenCurve>>, ProblemHttpResult>> ReadBreakEven(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The id of a region; left out: the first.")] string? region = null,
        [Description("The id of a redundancy scheme; left out: the first.")] string? scheme = null,
        [Description("How often each object is read in a year, 0 to 1,000,000.")] double readsAYear = 0
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var prices = view.Estate.PriceBook;
        if ((region is null ? prices.Regions[0] : prices.FindRegion(region)) is not { } where)
            return Problems.Invalid("unknown-reference", "$.region", $"There is no region '{region}'.");
        if ((scheme is null ? prices.Schemes[0] : prices.FindScheme(scheme)) is not { } how)
            return Problems.Invalid("unknown-reference", "$.scheme", $"There is no scheme '{scheme}'.");
        if (readsAYear is not (>= 0 and <= MostReads))
            return Problems.Invalid("out-of-range", "$.readsAYear", $"Say 0 to {MostReads:#,0} readings a year.");
        var landing = prices.Tiers.First(t => where.PriceOf(t.Id) is not null).Id;
        return TypedResults.Ok(BreakEven.Of(prices, where.Id, how.Id, landing, readsAYear));
    }

    private static async Task<Results<Ok<StorageAdvice>, ProblemHttpResult>> Advise(
        StorageQuestions asked,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var problems = StorageAdvice.Check(asked, view.Estate.PriceBook);
        return problems.Count > 0 ? Problems.Invalid(problems) : TypedResults.Ok(StorageAdvice.Of(view.Estate, asked));
    }
}
