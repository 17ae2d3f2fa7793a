using System.ComponentModel;
using System.Globalization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Files;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Provider.Metering;
using Ripen.Server.Http;

namespace Ripen.Server.Clock;

/// <summary>The provider's clock, what is passing on it, and its last midnight runs, newest first.</summary>
/// <param name="Interrupted">Where time was going to when the server ended under way; null when it was not.</param>
public sealed record ClockReading(
    DateTimeOffset Now,
    DateOnly Today,
    Passage? Passage,
    DateTimeOffset? Interrupted,
    IReadOnlyList<DayRun> Runs
);

public enum Span
{
    Hour,
    Day,
    Week,
    Month,
}

public static class Spans
{
    /// <summary>The instant that lies the span after <paramref name="start"/>.</summary>
    public static DateTimeOffset From(this Span span, DateTimeOffset start) =>
        span switch
        {
            Span.Hour => start.AddHours(1),
            Span.Day => start.AddDays(1),
            Span.Week => start.AddDays(7),
            _ => start.AddMonths(1),
        };
}

/// <summary>How much time to let pass: a span, or until an instant (a date is its first moment, UTC); one of the two.</summary>
public sealed record TimeOrder
{
    public Span? For { get; init; }
    public DateTimeOffset? Until { get; init; }

    /// <summary>The day until which time passes, typed (yyyy-MM-dd), when the keeping of something ends on the way and it is more than a
    /// year.</summary>
    public string? Confirm { get; init; }
}

internal static class ClockEndpoints
{
    public static void MapClock(this RouteGroupBuilder api)
    {
        var clock = api.MapGroup("/clock").WithTags("Clock");
        clock.MapGet("", Read).WithName("readClock").WithSummary("The provider's time, what is passing, and the last daily runs.");
        clock.MapPost("/passages", Start).WithName("passTime").WithSummary("Lets time pass in the background.");
        clock.MapDelete("/passages", Stop).WithName("stopTime").WithSummary("Stops the passing time; the day under way has not been.");
        api.MapGet("/ledger", Ledger)
            .WithTags("Clock")
            .WithName("readLedger")
            .WithSummary("What was metered, by day, bucket, tier and charge.");
        api.MapGet("/ledger/rows.csv", Csv)
            .WithTags("Clock")
            .WithName("readLedgerCsv")
            .WithSummary("The same as RFC 4180 CSV.")
            .Produces<string>(contentType: "text/csv");
        api.MapGet("/ledger/rows.{format}", File)
            .WithTags("Clock")
            .WithName("readLedgerFile")
            .WithSummary("The same as a workbook (xlsx), as Parquet, or in the columns of FOCUS 1.0 (focus.csv).")
            .Produces<byte[]>(contentType: "application/octet-stream");
    }

    private static async Task<Results<Ok<ClockReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        SimulatedProvider provider,
        ClockJob job,
        CancellationToken cancel,
        [Description("Runs to tell of, 0 to 1,000.")] int runs = 60
    )
    {
        if (!current.IsThere)
            return await NoEstate(current, cancel);
        return TypedResults.Ok(Reading(provider, job, runs));
    }

    private static async Task<Results<Accepted<ClockReading>, ProblemHttpResult>> Start(
        TimeOrder order,
        CurrentEstate current,
        SimulatedProvider provider,
        ClockJob job,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is null)
            return Problems.NoEstate();
        if (order.For is null == order.Until is null)
            return Problems.Invalid("time-order", "$", "Write either 'for' or 'until', one of the two.");
        var now = provider.Clock.Now;
        job.Start(order.Until?.ToUniversalTime() ?? order.For!.Value.From(now), order.Confirm);
        return TypedResults.Accepted("/api/clock", Reading(provider, job, 0));
    }

    private static Ok<ClockReading> Stop(SimulatedProvider provider, ClockJob job)
    {
        job.Stop();
        return TypedResults.Ok(Reading(provider, job, 0));
    }

    private static async Task<Results<Ok<IEnumerable<LedgerRow>>, ProblemHttpResult>> Ledger(
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        DateOnly? from = null,
        [Description("The day after the last.")] DateOnly? to = null,
        string? bucket = null
    ) =>
        await current.Get(cancel) is null
            ? Problems.NoEstate()
            : TypedResults.Ok(provider.Ledger(from ?? DateOnly.MinValue, to ?? DateOnly.MaxValue, bucket));

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> File(
        string format,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        DateOnly? from = null,
        [Description("The day after the last.")] DateOnly? to = null,
        string? bucket = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        return BillFiles.Of(
            format,
            () =>
                provider
                    .Ledger(from ?? DateOnly.MinValue, to ?? DateOnly.MaxValue, bucket)
                    .Select(r => new BillLine(r.Day, r.Day.AddDays(1), r.Bucket, r.Region, r.Tier, r.Charge, r.Quantity, r.Unit, r.Amount)),
            new BillOf(view.Estate.Name, view.Estate, IsProjected: false),
            "ledger"
        );
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> Csv(
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        DateOnly? from = null,
        DateOnly? to = null,
        string? bucket = null
    )
    {
        if (await current.Get(cancel) is null)
            return Problems.NoEstate();
        return Streams.Text(
            writer =>
            {
                writer.Write("day,bucket,region,tier,charge,quantity,unit,amount\r\n");
                foreach (var row in provider.Ledger(from ?? DateOnly.MinValue, to ?? DateOnly.MaxValue, bucket))
                {
                    writer.Write(
                        string.Create(
                            CultureInfo.InvariantCulture,
                            $"{row.Day:yyyy-MM-dd},{row.Bucket},{row.Region},{row.Tier},{Ripen.Core.Forecasting.Units.Name(row.Charge)},{row.Quantity:R},{row.Unit},{row.Amount:R}\r\n"
                        )
                    );
                }
            },
            "text/csv",
            "ledger.csv"
        );
    }

    /// <summary>The clock is asked for often: the stores are looked at only where there is nothing to tell.</summary>
    private static async Task<ProblemHttpResult> NoEstate(CurrentEstate current, CancellationToken cancel)
    {
        await current.Get(cancel);
        return Problems.NoEstate();
    }

    private static ClockReading Reading(SimulatedProvider provider, ClockJob job, int runs)
    {
        var now = provider.Clock.Now;
        return new ClockReading(
            now,
            DateOnly.FromDateTime(now.UtcDateTime),
            job.Passage,
            job.Passage is { Running: true } ? null : provider.Clock.Interrupted,
            provider.Clock.Runs(Math.Clamp(runs, 0, 1000))
        );
    }
}
