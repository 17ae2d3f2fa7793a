using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

internal static class SearchEndpoints
{
    private const int MostLetters = 200;
    private const int Most = 200;

    public static void MapPointSearch(this RouteGroupBuilder api) =>
        api.MapGet("/found-paths", Find)
            .WithTags("Backups")
            .WithName("findPaths")
            .WithSummary("Looks for a name in all restore points of all pools: where it is, in which versions, from when to when.");

    private static async Task<Results<Ok<FoundReading>, ProblemHttpResult>> Find(
        [Description("Words that a path has, all of them, whatever their case.")] string text,
        CurrentEstate current,
        PointSearch search,
        CancellationToken cancel,
        [Description("A target's id: only in its pool.")] string? target = null,
        [Description("Only in points of this workload.")] string? workload = null,
        [Description("Paths from each target, 1 to 200.")] int most = Most
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (text.Trim().Length is 0 or > MostLetters)
            return Problems.Invalid("out-of-range", "$.text", $"Say what to look for, in 1 to {MostLetters} letters.");
        if (most is < 1 or > Most)
            return Problems.Invalid("out-of-range", "$.most", $"From 1 to {Most} paths are told.");
        var targets = target is null ? view.Estate.Targets : [(await TargetEndpoints.Find(current, target, cancel)).Target];
        return TypedResults.Ok(await search.Find(targets, text, workload, most, cancel));
    }
}
