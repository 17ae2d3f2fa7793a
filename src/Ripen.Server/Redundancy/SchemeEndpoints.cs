using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Redundancy;
using Ripen.Server.Http;

namespace Ripen.Server.Redundancy;

/// <summary>A scheme that is being considered, with the file whose writing is timed and the lines it is written over; lines may be left out.</summary>
public sealed record SchemeQuestion
{
    public required Scheme Scheme { get; init; }
    public double FileBytes { get; init; } = SchemeEndpoints.OneGigabyte;
    public Lines? Lines { get; init; }
}

internal static class SchemeEndpoints
{
    public const double OneGigabyte = 1e9;

    public static void MapSchemes(this RouteGroupBuilder api)
    {
        api.MapGet("/schemes", Read).WithTags("Redundancy").WithName("readSchemes").WithSummary("What every redundancy scheme of the price book promises.");
        api.MapPost("/schemes/draft", Draft).WithTags("Redundancy").WithName("readSchemeDraft").WithSummary("What a scheme would promise that is in no price book yet.");
    }

    private static async Task<Results<Ok<IReadOnlyList<SchemePromise>>, ProblemHttpResult>> Read(
        CurrentEstate current, CancellationToken cancel, [Description("The file whose writing is timed, in bytes.")] double fileBytes = OneGigabyte)
    {
        if (await current.Get(cancel) is not { } view) return Problems.NoEstate();
        return Wrong(fileBytes, Lines.Ordinary) ?? (Results<Ok<IReadOnlyList<SchemePromise>>, ProblemHttpResult>)TypedResults.Ok<IReadOnlyList<SchemePromise>>(
            [.. view.Estate.PriceBook.Schemes.Select(s => SchemePromise.Of(s, fileBytes, Lines.Ordinary))]);
    }

    private static Results<Ok<SchemePromise>, ProblemHttpResult> Draft(SchemeQuestion question)
    {
        var scheme = EstateDocument.CheckScheme(question.Scheme);
        if (scheme.Count > 0) return Problems.Invalid(scheme);
        var lines = question.Lines ?? Lines.Ordinary;
        return Wrong(question.FileBytes, lines) is { } wrong ? wrong : TypedResults.Ok(SchemePromise.Of(question.Scheme, question.FileBytes, lines));
    }

    private static ProblemHttpResult? Wrong(double fileBytes, Lines lines)
    {
        if (fileBytes is < 0 or > 1e15) return Problems.Invalid("out-of-range", "$.fileBytes", "The file must have from 0 to 10^15 bytes.");
        foreach (var (line, name) in new[] { (lines.Uplink, "uplink"), (lines.BetweenZones, "betweenZones"), (lines.BetweenRegions, "betweenRegions") })
        {
            if (line.MegabitsPerSecond is not (> 0 and <= 1e9)) return Problems.Invalid("out-of-range", $"$.lines.{name}.megabitsPerSecond", "A line must carry more than 0 and at most 10^9 Mbit/s.");
            if (line.RoundTripMilliseconds is not (>= 0 and <= 1e6)) return Problems.Invalid("out-of-range", $"$.lines.{name}.roundTripMilliseconds", "There and back takes from 0 to 10^6 ms.");
        }
        return null;
    }
}
