using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Files;
using Ripen.Server.Estates;
using Ripen.Server.Http;
using Ripen.Server.Scenarios;

namespace Ripen.Server.Forecasts;

/// <summary>Bytes by day, age and tier, and the axis of ages.</summary>
public sealed record LandscapeReading(Landscape Landscape, AgeAxis Axis);

internal static class ForecastEndpoints
{
    public static void MapForecast(this RouteGroupBuilder api)
    {
        var forecast = api.MapGroup("/forecast").WithTags("Forecast");
        forecast
            .MapGet("", Read)
            .WithName("readForecast")
            .WithSummary("Money and bytes by month, split by tier, charge, region, bucket or tenant.");
        forecast
            .MapGet("/landscape", ReadLandscape)
            .WithName("readLandscape")
            .WithSummary("Bytes by day, age and tier over a horizon, of the estate or a bucket.");
        forecast
            .MapGet("/fan", ReadFan)
            .WithName("readFan")
            .WithSummary(
                "How sure: money that is not exceeded with 10, 50 and 90 per cent, when growth, reading and prices are not known."
            );
        forecast.MapDerivation();
        forecast
            .MapGet("/rows.csv", Csv)
            .WithName("readForecastCsv")
            .WithSummary("Every row of the bill as RFC 4180 CSV: what `ripen forecast` prints.")
            .Produces<string>(contentType: "text/csv");
        forecast
            .MapGet("/rows.{format}", File)
            .WithName("readForecastFile")
            .WithSummary("The same as a workbook (xlsx), as Parquet, or in the columns of FOCUS 1.0 (focus.csv).")
            .Produces<byte[]>(contentType: "application/octet-stream");
    }

    private static async Task<Results<Ok<ForecastSeries>, ProblemHttpResult>> Read(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description("tier, charge, region, bucket or tenant.")] string by = "tier"
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Horizon.Check(months) is { } wrong)
            return wrong;
        if (!Enum.TryParse<SplitBy>(by, ignoreCase: true, out var split) || !Enum.IsDefined(split))
        {
            return Problems.Invalid("unknown-choice", "?by", $"'{by}' is not known; write one of: tier, charge, region, bucket, tenant.");
        }
        return TypedResults.Ok(ForecastSeries.Of(view.Project(months), split));
    }

    private static async Task<Results<Ok<LandscapeReading>, ProblemHttpResult>> ReadLandscape(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description("A bucket's name; all without it.")] string? bucket = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, bucket, cancel);
        if (wrong is not null)
            return wrong;
        // The morning after the last month is a day of the month after it.
        var copies = view!.Project(months + 1).Copies;
        return TypedResults.Ok(new LandscapeReading(Landscape.Of(view.Estate, copies, months, bucket), AgeAxis.OfAll));
    }

    private static async Task<Results<Ok<Fan>, ProblemHttpResult>> ReadFan(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("Added to the growth of everything in a year: at least, likely, at most; 0.1 is ten points.")] string growth = "0,0,0",
        [Description("So many times as often is everything read: at least, likely, at most.")] string reading = "1,1,1",
        [Description("By how much all prices rise in a year: at least, likely, at most; 0.1 is ten per cent.")] string prices = "0,0,0",
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description("How many futures are drawn, 1 to 100,000.")] int runs = 1000,
        [Description("Repeats the very same draws.")] int seed = 1,
        [Description("Under this scenario; the estate as it stands without it.")] string? scenario = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, null, cancel);
        if (wrong is not null)
            return wrong;
        var problems = new List<Problem>();
        var what = new Uncertainty(
            Ranges.Read(growth, "?growth", -2, 10, problems),
            Ranges.Read(reading, "?reading", 0, 1000, problems),
            Ranges.Read(prices, "?prices", -0.99, 10, problems)
        );
        if (runs is < 1 or > Fan.MostRuns)
            problems.Add(new Problem("out-of-range", "?runs", $"Draw from 1 to {Fan.MostRuns} futures."));
        if (problems.Count > 0)
            return Problems.Invalid(problems);
        var (projected, unfit) = ScenarioEndpoints.Under(view!, current, scenario, months);
        if (projected is not { } projection)
            return unfit!;
        var money = view!.Uncertain(projection, what.Growth, what.Reading);
        return money.Ok
            ? TypedResults.Ok(Fan.Of(projection.Calendar, money.Value, what, runs, seed))
            : Problems.Invalid(money.Problems[0].Code, "?growth", money.Problems[0].Message);
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> Csv(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Horizon.Check(months) is { } wrong)
            return wrong;
        var projection = view.Project(months);
        return Streams.Bytes(to => ForecastFiles.WriteCsv(projection, to), "text/csv", $"forecast-{months}-months.csv");
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> File(
        string format,
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Horizon.Check(months) is { } wrong)
            return wrong;
        return BillFiles.Of(
            format,
            () => view.Project(months).Rows().Select(BillLine.Of),
            new BillOf(view.Estate.Name, view.Estate, IsProjected: true),
            $"forecast-{months}-months"
        );
    }
}
