using System.ComponentModel;
using System.Globalization;
using System.Text;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Retention;
using Ripen.Server.Http;

namespace Ripen.Server.Retention;

/// <summary>What is kept until when, what goes, and what does not fit together.</summary>
public sealed record KeepingReading(KeepingCalendar Calendar, IReadOnlyList<KeepingConflict> Conflicts);

internal static class KeepingEndpoints
{
    private const string Header = "month,freedObjects,freedBytes,freedMonthly,expiringObjects,expiringBytes";
    private const string MonthsWords = "Months ahead, 1 to 360.";
    private const string BucketWords = "Only this bucket; left out: all.";

    public static void MapKeeping(this RouteGroupBuilder api)
    {
        var keeping = api.MapGroup("/keeping").WithTags("Retention");
        keeping
            .MapGet("", Read)
            .WithName("readKeeping")
            .WithSummary("By month what may go and what goes, the days on which keeping ends, and what does not fit together.");
        keeping.MapGet("/months.csv", Csv).WithName("readKeepingCsv").WithSummary("The months as CSV.").Produces<string>(200, "text/csv");
        keeping
            .MapGet("/days.ics", Ics)
            .WithName("readKeepingIcs")
            .WithSummary("The days on which keeping ends, as iCalendar (RFC 5545).")
            .Produces<string>(200, "text/calendar");
    }

    private static async Task<Results<Ok<KeepingReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        CancellationToken cancel,
        [Description(MonthsWords)] int months = 24,
        [Description(BucketWords)] string? bucket = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, bucket, cancel);
        if (wrong is not null)
            return wrong;
        var conflicts = KeepingConflicts.Of(view!.Estate);
        return TypedResults.Ok(
            new KeepingReading(
                KeepingCalendar.Of(view.Estate, months, bucket),
                [.. conflicts.Where(c => bucket is null || c.Bucket == bucket)]
            )
        );
    }

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Csv(
        CurrentEstate current,
        CancellationToken cancel,
        [Description(MonthsWords)] int months = 24,
        [Description(BucketWords)] string? bucket = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, bucket, cancel);
        if (wrong is not null)
            return wrong;
        var text = new StringBuilder(Header + "\r\n");
        foreach (var m in KeepingCalendar.Of(view!.Estate, months, bucket).Months)
            text.Append(
                CultureInfo.InvariantCulture,
                $"{m.Month},{m.FreedObjects:R},{m.FreedBytes:R},{m.FreedMonthly:R},{m.ExpiringObjects:R},{m.ExpiringBytes:R}\r\n"
            );
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text.ToString()), "text/csv", "keeping.csv");
    }

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Ics(
        CurrentEstate current,
        CancellationToken cancel,
        [Description(BucketWords)] string? bucket = null
    )
    {
        var (view, wrong) = await Horizon.Look(current, 1, bucket, cancel);
        if (wrong is not null)
            return wrong;
        var calendar = new Ical.Net.Calendar { ProductId = "-//Ripen//Keeping//EN" };
        var keeping = KeepingCalendar.Of(view!.Estate, 1, bucket);
        foreach (var e in keeping.Events)
        {
            calendar.Events.Add(
                new CalendarEvent
                {
                    Uid = $"{e.Kind}-{e.Bucket}-{e.About}-{e.Day:yyyyMMdd}@ripen",
                    Summary = Words(e),
                    Start = new CalDateTime(e.Day.Year, e.Day.Month, e.Day.Day),
                    End = new CalDateTime(e.Day.AddDays(1).Year, e.Day.AddDays(1).Month, e.Day.AddDays(1).Day),
                    DtStamp = new CalDateTime(keeping.Today.Year, keeping.Today.Month, keeping.Today.Day, 0, 0, 0, "UTC"),
                }
            );
        }
        var text = new CalendarSerializer().SerializeToString(calendar)!;
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text), "text/calendar", "keeping.ics");
    }

    private static string Words(KeepingEvent e) =>
        e.Kind switch
        {
            KeepingEventKind.HoldEnds => $"{e.Bucket}: the hold {e.About} ends",
            KeepingEventKind.RetentionEnds => $"{e.Bucket}: retention ends",
            _ => $"{e.Bucket}: what lies there now may all go",
        };
}
