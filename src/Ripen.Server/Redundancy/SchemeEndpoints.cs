using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Redundancy;
using Ripen.Server.Http;

namespace Ripen.Server.Redundancy;

/// <summary>A scheme that is being considered, with the file whose writing is timed and the lines it is written over; lines may be left
/// out.</summary>
public sealed record SchemeQuestion
{
    public required Scheme Scheme { get; init; }
    public double FileBytes { get; init; } = SchemeEndpoints.OneGigabyte;
    public Lines? Lines { get; init; }
}

/// <summary>What to compare the price book's schemes by: the file whose writing is timed, and the lines it is written over; lines may be
/// left out.</summary>
public sealed record ComparisonQuestion
{
    public double FileBytes { get; init; } = SchemeEndpoints.OneGigabyte;
    public Lines? Lines { get; init; }
}

internal static class SchemeEndpoints
{
    public const double OneGigabyte = 1e9;

    public static void MapSchemes(this RouteGroupBuilder api)
    {
        api.MapGet("/schemes", Read)
            .WithTags("Redundancy")
            .WithName("readSchemes")
            .WithSummary("What every redundancy scheme of the price book promises, for a file of 1 GB over ordinary lines.");
        api.MapPost("/schemes/comparison", Compare)
            .WithTags("Redundancy")
            .WithName("compareSchemes")
            .WithSummary("The same for a file and lines of your own.");
        api.MapPost("/schemes/draft", Draft)
            .WithTags("Redundancy")
            .WithName("readSchemeDraft")
            .WithSummary("What a scheme would promise that is in no price book yet.");
        api.MapGet("/devices", Devices)
            .WithTags("Redundancy")
            .WithName("readDevices")
            .WithSummary("How full the devices of places of one's own are, by class, and when the projection has them full.");
    }

    private static Task<Results<Ok<IReadOnlyList<SchemePromise>>, ProblemHttpResult>> Read(
        CurrentEstate current,
        CancellationToken cancel
    ) => Compare(new ComparisonQuestion(), current, cancel);

    private static async Task<Results<Ok<IReadOnlyList<SchemePromise>>, ProblemHttpResult>> Compare(
        ComparisonQuestion question,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var lines = question.Lines ?? Lines.Ordinary;
        if (Wrong(question.FileBytes, lines) is { } wrong)
            return wrong;
        return TypedResults.Ok<IReadOnlyList<SchemePromise>>([
            .. view.Estate.PriceBook.Schemes.Select(s => SchemePromise.Of(s, question.FileBytes, lines)),
        ]);
    }

    private static async Task<Results<Ok<IReadOnlyList<DeviceUse>>, ProblemHttpResult>> Devices(
        CurrentEstate current,
        CancellationToken cancel
    ) => await current.Get(cancel) is { } view ? TypedResults.Ok(DeviceUse.Of(view.Project(DeviceMonths))) : Problems.NoEstate();

    /// <summary>Ten years.</summary>
    private const int DeviceMonths = 120;

    private static Results<Ok<SchemePromise>, ProblemHttpResult> Draft(SchemeQuestion question)
    {
        var scheme = EstateDocument.CheckScheme(question.Scheme);
        if (scheme.Count > 0)
            return Problems.Invalid(scheme);
        var lines = question.Lines ?? Lines.Ordinary;
        return Wrong(question.FileBytes, lines) is { } wrong
            ? wrong
            : TypedResults.Ok(SchemePromise.Of(question.Scheme, question.FileBytes, lines));
    }

    private static ProblemHttpResult? Wrong(double fileBytes, Lines lines)
    {
        if (fileBytes is < 0 or > 1e15)
            return Problems.Invalid("out-of-range", "$.fileBytes", "The file must have from 0 to 10^15 bytes.");
        foreach (
            var (line, name) in new[]
            {
                (lines.Uplink, "uplink"),
                (lines.BetweenZones, "betweenZones"),
                (lines.BetweenRegions, "betweenRegions"),
            }
        )
        {
            if (line.MegabitsPerSecond is not (> 0 and <= 1e9))
                return Problems.Invalid(
                    "out-of-range",
                    $"$.lines.{name}.megabitsPerSecond",
                    "A line must carry more than 0 and at most 10^9 Mbit/s."
                );
            if (line.RoundTripMilliseconds is not (>= 0 and <= 1e6))
                return Problems.Invalid("out-of-range", $"$.lines.{name}.roundTripMilliseconds", "There and back takes from 0 to 10^6 ms.");
        }
        return null;
    }
}
