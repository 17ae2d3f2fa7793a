using System.ComponentModel;
using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Server.Http;

namespace Ripen.Server.Clock;

internal static class NightEndpoints
{
    private const int MostAtOnce = 1000;
    private const int AllAtOnce = 10_000;
    private const string Header = "day,bucket,key,deed,rule,fromTier,toTier,objects,bytes,charge";
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

    private static Results<FileContentHttpResult, ProblemHttpResult> TonightCsv(
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketWords)] string? bucket = null
    ) => Wrong(provider, bucket, 0, 1) is { } wrong ? wrong : Csv(from => provider.Tonight(bucket, from, AllAtOnce, cancel), "tonight.csv");

    private static Results<FileContentHttpResult, ProblemHttpResult> LastNightCsv(
        SimulatedProvider provider,
        [Description(BucketWords)] string? bucket = null
    ) =>
        Wrong(provider, bucket, 0, 1) is { } wrong ? wrong
        : provider.LastNight(bucket, 0, 1) is null ? NoNight()
        : Csv(from => provider.LastNight(bucket, from, AllAtOnce)!, "last-night.csv");

    private static ProblemHttpResult? Wrong(SimulatedProvider provider, string? bucket, long from, int most) =>
        !provider.HasPlan ? Problems.NoEstate()
        : bucket is not null && !provider.HasBucket(bucket) ? Problems.NoBucket(bucket)
        : from < 0 ? Problems.Invalid("out-of-range", "$.from", "The first one has the number 0 or more.")
        : most is < 1 or > MostAtOnce ? Problems.Invalid("out-of-range", "$.most", $"Ask for 1 to {MostAtOnce}.")
        : null;

    private static ProblemHttpResult NoNight() => Problems.NotFound("no-night", "No night has passed yet.");

    private static FileContentHttpResult Csv(Func<long, NightReading> page, string name)
    {
        var text = new StringBuilder(Header + "\r\n");
        long? from = 0;
        while (from is { } at)
        {
            var read = page(at);
            foreach (var a in read.Acts)
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"{read.Day:yyyy-MM-dd},{a.Bucket},{Field(a.Key)},{a.Deed.ToString().ToLowerInvariant()},{a.Rule},{a.From},{a.To},{a.Objects:R},{a.Bytes:R},{a.Charge:R}\r\n"
                );
            from = read.Next;
        }
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text.ToString()), "text/csv", name);
    }

    /// <summary>RFC 4180.</summary>
    private static string Field(string text) =>
        text.AsSpan().IndexOfAny(",\"\r\n") < 0 ? text : $"\"{text.Replace("\"", "\"\"", StringComparison.Ordinal)}\"";
}
