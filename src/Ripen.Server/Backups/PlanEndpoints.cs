using System.ComponentModel;
using System.Globalization;
using System.Text;
using System.Text.Json.Serialization;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Plans;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>A branch of a plan, which is one workload in one target, as it stands today.</summary>
/// <param name="Target">Its id.</param>
/// <param name="Workload">Its id.</param>
/// <param name="Points">That are there.</param>
/// <param name="Newest">The day of the newest; null for none.</param>
/// <param name="Next">The next day on which it is due; null when none comes within a year.</param>
/// <param name="NeededBytes">What its points need of all that its runs stored.</param>
/// <param name="IsReal">Whether its runs read a source: what they stored is among the target's objects.</param>
public sealed record BranchReading(
    string Target,
    string Workload,
    int Points,
    DateOnly? Newest,
    DateOnly? Next,
    double NeededBytes,
    bool IsReal
);

/// <summary>A plan as it stands.</summary>
/// <param name="Plan">As it was made, with the runs that were done.</param>
/// <param name="Branches">In the plan's order.</param>
/// <param name="Missed">Runs that took no point in the last 30 days.</param>
public sealed record PlanReading(BackupPlan Plan, IReadOnlyList<BranchReading> Branches, int Missed);

/// <summary>All plans.</summary>
/// <param name="Today">The provider's day.</param>
/// <param name="Plans">In the estate's order.</param>
/// <param name="PacksAge">By the target's id, for targets in buckets: the steps by which what plans store there ages, where a plan says
/// so.</param>
public sealed record PlansReading(
    DateOnly Today,
    IReadOnlyList<PlanReading> Plans,
    IReadOnlyDictionary<string, IReadOnlyList<Step>> PacksAge
);

/// <summary>What follows from a plan before it is stored.</summary>
/// <param name="Problems">Why it cannot be stored so; then there is no outlook.</param>
/// <param name="Outlook">What follows.</param>
public sealed record PlanDraft(IReadOnlyList<Problem> Problems, PlanOutlook? Outlook);

/// <summary>The life of one point.</summary>
/// <param name="Taken">The day of its run.</param>
/// <param name="KeptUntil">The first day on which it is kept no more, unless it is the newest then.</param>
/// <param name="Gone">The first day on which it is not there; null where that is beyond the calendar.</param>
/// <param name="IsDone">Whether it was really taken.</param>
public sealed record PointLife(DateOnly Taken, DateOnly KeptUntil, DateOnly? Gone, bool IsDone);

/// <summary>A run that took no point.</summary>
public sealed record MissedRun(DateOnly Day, string Why);

/// <summary>One row of the calendar of points.</summary>
/// <param name="Plan">Its id.</param>
/// <param name="Target">Its id.</param>
/// <param name="Workload">Its id.</param>
/// <param name="Points">There on some day of the span, by day.</param>
/// <param name="Missed">In the span.</param>
public sealed record CalendarRow(
    string Plan,
    string Target,
    string Workload,
    IReadOnlyList<PointLife> Points,
    IReadOnlyList<MissedRun> Missed
);

/// <summary>Every point's life over a span of days.</summary>
/// <param name="Today">The provider's day.</param>
/// <param name="From">The first day.</param>
/// <param name="To">The day after the last.</param>
/// <param name="Rows">One for each workload of a plan or copy, in its target.</param>
/// <param name="Gaps">Stretches in which a workload's newest point is older than was agreed.</param>
public sealed record PointCalendar(
    DateOnly Today,
    DateOnly From,
    DateOnly To,
    IReadOnlyList<CalendarRow> Rows,
    IReadOnlyList<PointGap> Gaps
);

/// <summary>Which point somebody wants to know the restore of, on the provider's day or a later one.</summary>
public sealed record RestoreQuery
{
    [JsonRequired]
    public required string Plan { get; init; }

    [JsonRequired]
    public required string Workload { get; init; }

    [JsonRequired]
    public required string Target { get; init; }

    [JsonRequired]
    public required DateOnly Taken { get; init; }

    /// <summary>Null for the provider's day.</summary>
    public DateOnly? On { get; init; }

    /// <summary>The region into which it is restored; null for the target's own.</summary>
    public string? To { get; init; }

    /// <summary>Bytes a second, above 0; null for no line's limit.</summary>
    public double? LineBytesPerSecond { get; init; }
}

/// <summary>A run outside a plan's times.</summary>
/// <param name="Workload">One of the plan's, with a source.</param>
/// <param name="KeptUntil">The first day on which its point is kept no more; null for what the plan says.</param>
public sealed record PlanRunOrder([property: JsonRequired] string Workload, DateOnly? KeptUntil = null);

/// <summary>A restore at one speed; the first is the ordinary one, which has no id.</summary>
public sealed record RestoreAtSpeed(string? Speed, string Name, RestoreEstimate Estimate);

internal static class PlanEndpoints
{
    private const int DaysAYear = 365;
    private const int MissedDays = 30;

    /// <summary>As far as anybody can look.</summary>
    private const int MostYears = 100;

    public static void MapPlans(this RouteGroupBuilder api)
    {
        var plans = api.MapGroup("/plans").WithTags("Backups");
        plans.MapGet("", ReadAll).WithName("readPlans").WithSummary("All backup plans as they stand. The ETag is the estate's.");
        plans
            .MapPost("/draft", Draft)
            .WithName("readPlanDraft")
            .WithSummary("What follows from a plan: points, bytes, money by month, run times, judgements. Nothing is done.")
            .Accepts<PlanBody>("application/json");
        plans
            .MapPut("/{id}", Put)
            .WithName("putPlan")
            .WithSummary("Makes a backup plan, or puts it in the place of the one of this id. If-Match: the estate's ETag.")
            .Accepts<PlanBody>("application/json");
        plans
            .MapDelete("/{id}", Remove)
            .WithName("removePlan")
            .WithSummary(
                "Removes a backup plan. Where it has points, ?discardPoints=true gives them up; what a bucket keeps stays there until it may "
                    + "go. If-Match: the estate's ETag."
            );
        api.MapGet("/time-zones", () => TypedResults.Ok(PlanTimes.AllZones))
            .WithTags("Backups")
            .WithName("readTimeZones")
            .WithSummary("Names of time zones that a plan may have, by the IANA database.");
        plans
            .MapGet("/points", ReadPoints)
            .WithName("readPlannedPoints")
            .WithSummary("The restore points of all plans: now, or after a day's runs.");
        plans.MapGet("/points.csv", PointsCsv).WithName("exportPlannedPoints").WithSummary("The same as a file (RFC 4180).");
        plans.MapGet("/runs", ReadRuns).WithName("readRuns").WithSummary("Runs of plans that were done or missed, newest first.");
        plans
            .MapPost("/{id}/runs", RunNow)
            .WithName("runPlanNow")
            .WithSummary("Takes a point of a workload with a source now, outside the plan's times, in the background.");
        plans.MapGet("/calendar", ReadCalendar).WithName("readCalendar").WithSummary("Every point's life over a span of days.");
        plans
            .MapGet("/calendar.ics", Ics)
            .WithName("exportCalendar")
            .WithSummary("What becomes deletable when, in the coming year, as iCalendar (RFC 5545).");
        plans
            .MapPost("/restore-estimates", Estimate)
            .WithName("readRestoreEstimates")
            .WithSummary("What the restore of a point takes and costs, at every speed that the price book names. Nothing is done.");
    }

    /// <summary>The day that was asked for, or the estate's today.</summary>
    /// <exception cref="RefusalException">It lies before the estate's today, or too far away.</exception>
    internal static DateOnly LastDay(Estate estate, DateOnly? on) =>
        on is not { } day ? estate.Today
        : day >= estate.Today && day <= estate.Today.AddYears(MostYears) ? day
        : throw new RefusalException(
            RefusalKind.Invalid,
            "out-of-range",
            $"Choose a day from {estate.Today:yyyy-MM-dd} on, within {MostYears} years.",
            "$.on"
        );

    private static async Task<Results<Ok<PlansReading>, ProblemHttpResult>> ReadAll(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var estate = view.Estate;
        var branches = Branch.All(estate, estate.Today.AddDays(DaysAYear)).ToLookup(b => b.Plan.Id);
        var missed = view.Stock.Runs.Where(r => r.Missed is not null && r.Day > estate.Today.AddDays(-MissedDays)).ToLookup(r => r.Plan);
        return TypedResults.Ok(
            new PlansReading(
                estate.Today,
                [
                    .. estate.Plans.Select(p => new PlanReading(
                        p,
                        [.. branches[p.Id].Select(b => Of(b, estate.Today))],
                        missed[p.Id].Count()
                    )),
                ],
                estate.Targets.Where(t => PackSteps.Of(estate, t).Count > 0).ToDictionary(t => t.Id, t => PackSteps.Of(estate, t))
            )
        );
    }

    private static BranchReading Of(Branch branch, DateOnly today)
    {
        // A simulated run of today is not done before the day is over.
        var day = branch.Runs.Any(r => r.Day == today && r.IsInStock) ? today : today.AddDays(-1);
        var newest = branch.NewestOn(day);
        return new BranchReading(
            branch.Target.Id,
            branch.Workload.Id,
            branch.PointsOn(day),
            newest < 0 ? null : branch.Runs[newest].Day,
            newest + 1 < branch.Runs.Count ? branch.Runs[newest + 1].Day : null,
            branch.NeededBytesOn(day),
            branch.Workload.Source is not null
        );
    }

    private static async Task<Results<Ok<PlanDraft>, ProblemHttpResult>> Draft(
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var read = PlanOrder.Read(await request.ReadText(cancel), view.Estate);
        if (!read.Ok)
            return TypedResults.Ok(new PlanDraft(read.Problems, null));
        var order = read.Value.WithStock(current, view.Estate);
        return TypedResults.Ok(new PlanDraft([], PlanOutlook.Of(view.Project(Consequences.Months), order.After, order.Plan)));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel,
        [Description("Whether points of a workload or copy that the plan loses may be given up.")] bool discardPoints = false
    )
    {
        var json = await request.ReadText(cancel);
        return await Replication.Plans.Change(
            current,
            request,
            async view =>
            {
                var read = PlanOrder.Read(json, view.Estate);
                if (!read.Ok)
                    return Problems.Invalid(read.Problems);
                var order = read.Value.WithStock(current, view.Estate);
                if (order.Plan.Id != id)
                    return Problems.Invalid("renamed", "$.id", $"A plan keeps its id; write '{id}'.");
                if (!discardPoints && WouldGo(view, order.After) is { } lost)
                    return lost;
                var aged = order.Bucket is { } bucket
                    ? new ChangedBucket(view.Estate.Find(bucket.Name)!, bucket, view.Estate.Today, view.VersionOf(bucket.Name))
                    : null;
                await current.Apply(
                    new PlannedChange(order.After),
                    () => store.ChangePlan(view.Estate.Plans.FirstOrDefault(p => p.Id == id), order.Plan, view.Version, aged, cancel)
                );
                return null;
            },
            cancel
        );
    }

    private static Task<Results<NoContent, ProblemHttpResult>> Remove(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel,
        [Description("Whether its points may be given up.")] bool discardPoints = false
    ) =>
        Replication.Plans.Change(
            current,
            request,
            async view =>
            {
                if (view.Estate.Plans.FirstOrDefault(p => p.Id == id) is not { } plan)
                    return Problems.NotFound("no-plan", $"There is no backup plan '{id}'.");
                var after = view.Estate with { Plans = [.. view.Estate.Plans.Where(p => p.Id != id)] };
                if (!discardPoints && WouldGo(view, after) is { } lost)
                    return lost;
                await current.Apply(new PlannedChange(after), () => store.ChangePlan(plan, null, view.Version, null, cancel));
                return null;
            },
            cancel
        );

    /// <summary>Points that would be given up without anybody having said so.</summary>
    private static ProblemHttpResult? WouldGo(EstateView view, Estate after)
    {
        var today = view.Estate.Today;
        var stay = Branch.All(after, today).Select(Key).ToHashSet();
        var lost = Branch.All(view.Estate, today).Where(b => !stay.Contains(Key(b))).ToList();
        var points = lost.Sum(b => b.PointsOn(today.AddDays(-1)));
        var inPools = lost.Any(b => b.Workload.Source is not null) ? " What lies in a pool stays there until somebody removes it." : "";
        return points == 0
            ? null
            : Problems.Conflict(
                "points-would-go",
                $"{points} restore {(points == 1 ? "point" : "points")} would be given up with it. Pause the plan to keep them, or say so "
                    + $"with ?discardPoints=true.{inPools}"
            );

        static (string, string, string) Key(Branch b) => (b.Plan.Id, b.Target.Id, b.Workload.Id);
    }

    private static async Task<Results<Ok<IReadOnlyList<RestorePoint>>, ProblemHttpResult>> ReadPoints(
        CurrentEstate current,
        CancellationToken cancel,
        DateOnly? on = null
    ) => await current.Get(cancel) is { } view ? TypedResults.Ok(PointsOn(view.Estate, on)) : Problems.NoEstate();

    private static IReadOnlyList<RestorePoint> PointsOn(Estate estate, DateOnly? on) =>
        on is null ? RestorePoints.Now(estate) : RestorePoints.On(estate, LastDay(estate, on));

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> PointsCsv(
        CurrentEstate current,
        CancellationToken cancel,
        DateOnly? on = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var day = LastDay(view.Estate, on);
        var text = new StringWriter(CultureInfo.InvariantCulture);
        RestorePoints.WriteCsv(PointsOn(view.Estate, on), text);
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text.ToString()), "text/csv", $"points-{day:yyyy-MM-dd}.csv");
    }

    private static async Task<Results<Ok<IReadOnlyList<PlanRun>>, ProblemHttpResult>> ReadRuns(
        CurrentEstate current,
        CancellationToken cancel,
        string? plan = null,
        int most = 200
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        return TypedResults.Ok<IReadOnlyList<PlanRun>>([
            .. view.Stock.Runs.Where(r => plan is null || r.Plan == plan).OrderByDescending(r => r.Id).Take(Math.Clamp(most, 1, 10_000)),
        ]);
    }

    private static async Task<Accepted<BackupJob>> RunNow(
        string id,
        PlanRunOrder order,
        CurrentEstate current,
        PlannedBackups backups,
        CancellationToken cancel
    )
    {
        var plan =
            (await current.Get(cancel))?.Estate.Plans.FirstOrDefault(p => p.Id == id)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-plan", $"There is no backup plan '{id}'.");
        return TypedResults.Accepted($"/api/targets/{plan.Target}", await backups.RunNow(plan, order.Workload, order.KeptUntil, cancel));
    }

    private static async Task<Results<Ok<PointCalendar>, ProblemHttpResult>> ReadCalendar(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The first day; without it a year ago, or the first point where that is later.")] DateOnly? from = null,
        [Description("How many years from today, 1 to 100.")] int years = 1
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (years is < 1 or > MostYears)
            return Problems.Invalid("out-of-range", "$.years", $"Look 1 to {MostYears} years ahead.");
        var today = view.Estate.Today;
        var end = today.AddYears(years);
        var branches = Branch.All(view.Estate, end);
        var oldest = branches.SelectMany(b => b.Runs.Take(1)).Select(r => r.Day).DefaultIfEmpty(today).Min();
        var first = from ?? (oldest > today.AddYears(-1) ? oldest : today.AddYears(-1));
        if (first >= end)
            return Problems.Invalid("out-of-range", "$.from", $"The span ends on {end:yyyy-MM-dd}; begin before.");
        return TypedResults.Ok(
            new PointCalendar(today, first, end, Rows(view, branches, first), [.. PointGap.All(view.Estate, branches, end)])
        );
    }

    private static List<CalendarRow> Rows(EstateView view, IReadOnlyList<Branch> branches, DateOnly first)
    {
        var missed = view.Stock.Runs.Where(r => r.Missed is not null).ToLookup(r => (r.Plan, r.Target, r.Workload));
        return
        [
            .. branches.Select(b => new CalendarRow(
                b.Plan.Id,
                b.Target.Id,
                b.Workload.Id,
                [
                    .. b
                        .Runs.Select((r, i) => new PointLife(r.Day, r.KeptUntil, b.GoneOn(i), r.Day < view.Estate.Today || r.IsInStock))
                        .Where(p => !(p.Gone <= first)),
                ],
                [.. missed[(b.Plan.Id, b.Target.Id, b.Workload.Id)].Where(r => r.Day >= first).Select(r => new MissedRun(r.Day, r.Missed!))]
            )),
        ];
    }

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Ics(CurrentEstate current, CancellationToken cancel)
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var (today, end) = (view.Estate.Today, view.Estate.Today.AddDays(DaysAYear));
        var calendar = new Ical.Net.Calendar { ProductId = "-//Ripen//Restore points//EN" };
        foreach (var row in Rows(view, Branch.All(view.Estate, end), today))
        {
            foreach (var point in row.Points.Where(p => p.Gone is { } gone && gone >= today && gone < end))
            {
                var day = point.Gone!.Value;
                calendar.Events.Add(
                    new CalendarEvent
                    {
                        Uid = $"{row.Plan}.{row.Target}.{row.Workload}.{point.Taken:yyyy-MM-dd}@ripen",
                        Summary = $"{row.Workload}: the point of {point.Taken:yyyy-MM-dd} in {row.Target} goes",
                        Description = $"Plan {row.Plan}. Kept until {point.KeptUntil:yyyy-MM-dd}.",
                        Start = new CalDateTime(day.Year, day.Month, day.Day),
                        End = new CalDateTime(day.AddDays(1).Year, day.AddDays(1).Month, day.AddDays(1).Day),
                        DtStamp = new CalDateTime(today.Year, today.Month, today.Day, 0, 0, 0, "UTC"),
                    }
                );
            }
        }
        var text = new CalendarSerializer().SerializeToString(calendar)!;
        return TypedResults.Bytes(Encoding.UTF8.GetBytes(text), "text/calendar", "restore-points.ics");
    }

    private static async Task<Results<Ok<IReadOnlyList<RestoreAtSpeed>>, ProblemHttpResult>> Estimate(
        RestoreQuery order,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (order.LineBytesPerSecond is <= 0)
            return Problems.Invalid("out-of-range", "$.lineBytesPerSecond", "The line carries more than 0 bytes a second.");
        var estate = view.Estate;
        if (order.On is null && order.Taken >= estate.Today)
            return Problems.NotFound("no-point", $"The point of {order.Taken:yyyy-MM-dd} is not taken yet: its day is not over.");
        var speeds = estate.PriceBook.RecallSpeeds().Select(s => ((string?)s.Id, s.Name)).Prepend((null, "Ordinary"));
        return TypedResults.Ok<IReadOnlyList<RestoreAtSpeed>>([
            .. speeds.Select(s => new RestoreAtSpeed(
                s.Item1,
                s.Item2,
                RestoreEstimate.Of(
                    estate,
                    new RestoreQuestion
                    {
                        Plan = order.Plan,
                        Workload = order.Workload,
                        Target = order.Target,
                        Taken = order.Taken,
                        On = LastDay(estate, order.On),
                        Speed = s.Item1,
                        To = order.To,
                        LineBytesPerSecond = order.LineBytesPerSecond,
                    }
                )
            )),
        ]);
    }
}
