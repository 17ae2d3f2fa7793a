using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Forecasts;

/// <summary>What having everything back takes and costs.</summary>
/// <param name="There">What is read, by region and tier.</param>
/// <param name="Restore">At each speed.</param>
public sealed record FullRestoreReading(IReadOnlyList<Resting> There, FullRestore Restore);

internal static class FullRestoreEndpoint
{
    public static void MapFullRestore(this RouteGroupBuilder api) =>
        api.MapGet("/full-restore", Read)
            .WithTags("Forecast")
            .WithName("readFullRestore")
            .WithSummary(
                "What it costs and takes to have everything back, of a bucket, or of a prefix: at each speed, to a region or out."
            );

    private static async Task<Results<Ok<FullRestoreReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("A bucket; left out: all that can be reached.")] string? bucket = null,
        [Description("Only what begins so.")] string prefix = "",
        [Description("A region; left out: out of all of them.")] string? to = null,
        [Description("10^6 bits a second of the line out; left out: no limit.")] double? megabitsPerSecond = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (megabitsPerSecond is not (null or (> 0 and < double.PositiveInfinity)))
            return Problems.Invalid("out-of-range", "$.megabitsPerSecond", "A line carries more than 0 bits a second.");
        var there = provider.Resting(bucket, prefix);
        var line = megabitsPerSecond * 1e6 / 8 ?? double.PositiveInfinity;
        return TypedResults.Ok(new FullRestoreReading(there, FullRestore.Of(there, view.Estate.PriceBook, to, line)));
    }
}
