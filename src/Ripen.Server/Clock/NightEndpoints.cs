using System.ComponentModel;
using System.Globalization;
using System.Text.Json;
using CsvHelper;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Server.Http;

namespace Ripen.Server.Clock;

internal static class NightEndpoints
{
    private const int MostAtOnce = 1000;
    private const string MonthsWords = "How many, from today's on.";
    private const string BucketWords = "Only this bucket; left out: all.";
    private const string FromWords = "The number of the first one.";
    private const string MostWords = "At most so many, 1 to 1,000.";

    public static void MapNights(this RouteGroupBuilder api)
    {
        var nights = api.MapGroup("").WithTags("Clock");
        nights
            .MapGet("/tonight", Tonight)
            .WithName("readTonight")
            .WithSummary("What rules will do in the run that closes today, if nothing comes or goes until then: in sums, and one by one.");
        nights.MapGet("/last-night", LastNight).WithName("readLastNight").WithSummary("What rules did in the last run.");
        nights
            .MapGet("/tonight.csv", TonightCsv)
            .WithName("readTonightCsv")
            .WithSummary("All of it as CSV.")
            .Produces<string>(200, "text/csv");
        nights
            .MapGet("/last-night.csv", LastNightCsv)
            .WithName("readLastNightCsv")
            .WithSummary("All of it as CSV.")
            .Produces<string>(200, "text/csv");
        nights
            .MapGet("/rules-ahead", Ahead)
            .WithName("readRulesAhead")
            .WithSummary(
                "What rules will do, month by month and in expectation, with what arrives meanwhile; without packs of backup plans."
            );
        nights
            .MapGet("/rules-ahead.csv", AheadCsv)
            .WithName("readRulesAheadCsv")
            .WithSummary("The same as CSV.")
            .Produces<string>(200, "text/csv");
    }

    private static async Task<Results<Ok<RulesAheadReading>, ProblemHttpResult>> Ahead(
        CurrentEstate current,
        CancellationToken cancel,
        [Description(MonthsWords)] int months = 12,
        [Description(BucketWords)] string? bucket = null,
        [Description(MostWords)] int most = 200
    )
    {
        if (most is < 1 or > MostAtOnce)
            return Problems.Invalid("out-of-range", "$.most", $"Ask for 1 to {MostAtOnce}.");
        var (view, wrong) = await Horizon.Look(current, months, bucket, cancel);
        if (wrong is not null)
            return wrong;
        var estate = view!.Estate;
        return TypedResults.Ok(RulesAheadReading.Of(RulesAhead.Of(estate, months, bucket), estate.Today, months, most));
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> AheadCsv(
        CurrentEstate current,
        CancellationToken cancel,
        [Description(MonthsWords)] int months = 12,
        [Description(BucketWords)] string? bucket = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, bucket, cancel);
        if (wrong is not null)
            return wrong;
        return Streams.Text(
            writer =>
            {
                using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
                csv.WriteHeader("month", "bucket", "deed", "rule", "fromTier", "toTier", "objects", "bytes", "charge");
                foreach (var d in RulesAhead.Of(view!.Estate, months, bucket))
                    csv.WriteRecord([
                        d.Month.ToString(),
                        d.Bucket,
                        NameOf(d.Deed),
                        d.Rule ?? "",
                        d.From,
                        d.To ?? "",
                        .. Numbers(d.Objects, d.Bytes, d.Charge),
                    ]);
            },
            "text/csv",
            "rules-ahead.csv"
        );
    }

    private static string NameOf(NightDeed deed) => JsonNamingPolicy.KebabCaseLower.ConvertName($"{deed}");

    private static string[] Numbers(params ReadOnlySpan<double> numbers)
    {
        var texts = new string[numbers.Length];
        for (var i = 0; i < texts.Length; i++)
            texts[i] = numbers[i].ToString("R", CultureInfo.InvariantCulture);
        return texts;
    }

    private static Results<Ok<NightReading>, ProblemHttpResult> Tonight(
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketWords)] string? bucket = null,
        [Description(FromWords)] long from = 0,
        [Description(MostWords)] int most = 100
    ) => Wrong(provider, bucket, from, most) is { } wrong ? wrong : TypedResults.Ok(provider.Tonight(bucket, from, most, cancel));

    private static Results<Ok<NightReading>, ProblemHttpResult> LastNight(
        SimulatedProvider provider,
        [Description(BucketWords)] string? bucket = null,
        [Description(FromWords)] long from = 0,
        [Description(MostWords)] int most = 100
    ) =>
        Wrong(provider, bucket, from, most) is { } wrong ? wrong
        : provider.LastNight(bucket, from, most) is { } night ? TypedResults.Ok(night)
        : NoNight();

    private static Results<PushStreamHttpResult, ProblemHttpResult> TonightCsv(
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketWords)] string? bucket = null
    ) => Wrong(provider, bucket, 0, 1) is { } wrong ? wrong : Csv(provider.Tonight(bucket, cancel), "tonight.csv");

    private static Results<PushStreamHttpResult, ProblemHttpResult> LastNightCsv(
        SimulatedProvider provider,
        [Description(BucketWords)] string? bucket = null
    ) =>
        Wrong(provider, bucket, 0, 1) is { } wrong ? wrong
        : provider.LastNight(bucket, 0, 1) is null ? NoNight()
        : Csv(provider.LastNight(bucket), "last-night.csv");

    private static ProblemHttpResult? Wrong(SimulatedProvider provider, string? bucket, long from, int most) =>
        !provider.HasPlan ? Problems.NoEstate()
        : bucket is not null && !provider.HasBucket(bucket) ? Problems.NoBucket(bucket)
        : from < 0 ? Problems.Invalid("out-of-range", "$.from", "The first one has the number 0 or more.")
        : most is < 1 or > MostAtOnce ? Problems.Invalid("out-of-range", "$.most", $"Ask for 1 to {MostAtOnce}.")
        : null;

    private static ProblemHttpResult NoNight() => Problems.NotFound("no-night", "No night has passed yet.");

    private static PushStreamHttpResult Csv(IEnumerable<NightAct> acts, string name) =>
        Streams.Text(
            writer =>
            {
                using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
                csv.WriteHeader("day", "bucket", "key", "deed", "rule", "fromTier", "toTier", "objects", "bytes", "charge");
                foreach (var a in acts)
                    csv.WriteRecord([
                        a.Day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                        a.Bucket,
                        a.Key,
                        NameOf(a.Deed),
                        a.Rule ?? "",
                        a.From,
                        a.To ?? "",
                        .. Numbers(a.Objects, a.Bytes, a.Charge),
                    ]);
            },
            "text/csv",
            name
        );
}
