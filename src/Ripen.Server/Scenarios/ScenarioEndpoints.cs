using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using Ripen.Data;
using Ripen.Files;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Scenarios;

/// <summary>All scenarios, as the document has them.</summary>
public sealed record ScenariosDocument(IReadOnlyList<Scenario> Scenarios);

/// <summary>What the estate costs under one scenario, or as it stands where <see cref="Id"/> is empty.</summary>
/// <param name="Id">Of the scenario.</param>
/// <param name="Name">For people.</param>
/// <param name="Problems">Why it cannot be computed; what follows is then empty.</param>
/// <param name="Money">By month.</param>
/// <param name="Years">Twelve months each.</param>
public sealed record ScenarioOutlook(
    string Id,
    string Name,
    IReadOnlyList<Problem> Problems,
    IReadOnlyList<double> Money,
    IReadOnlyList<ForecastYear> Years
);

/// <summary>The estate as it stands and under each scenario, over the same months.</summary>
public sealed record ScenarioComparison(IReadOnlyList<Month> Months, IReadOnlyList<ScenarioOutlook> Outlooks);

/// <summary>A scenario looked at: where its difference comes from, or why there is none; and the same by month.</summary>
public sealed record ScenarioReading(IReadOnlyList<Problem> Problems, Difference? Difference, ScenarioOutlook? Outlook);

/// <summary>Named variants of the estate, side by side. Nothing of them is done.</summary>
internal static class ScenarioEndpoints
{
    private const string Span = "The first month of the difference, counted from 0.";

    public static void MapScenarios(this RouteGroupBuilder api)
    {
        var scenarios = api.MapGroup("/scenarios").WithTags("Scenarios");
        scenarios.MapGet("", ReadAll).WithName("readScenarios").WithSummary("All scenarios. The ETag is the estate's.");
        scenarios
            .MapPut("", PutAll)
            .WithName("putScenarios")
            .WithSummary("Puts a list of scenarios in the place of the one there is. If-Match: the estate's ETag.")
            .Accepts<ScenariosDocument>("application/json");
        scenarios
            .MapGet("/comparison", Compare)
            .WithName("compareScenarios")
            .WithSummary("What the estate costs as it stands and under each scenario.");
        scenarios
            .MapPost("/difference", ReadDraft)
            .WithName("readScenarioDraft")
            .WithSummary("Where the difference of a scenario comes from, which need not be stored.")
            .Accepts<Scenario>("application/json");
        scenarios
            .MapGet("/{id}/difference", ReadDifference)
            .WithName("readDifference")
            .WithSummary("Where the difference of a stored scenario comes from.");
        scenarios
            .MapPost("/parts", ReadParts)
            .WithName("readScenarioParts")
            .WithSummary("What would have to be changed to make assumptions come true: drafts of buckets and of the price book.")
            .Accepts<Scenario>("application/json");
        scenarios
            .MapGet("/{id}/rows.{format}", File)
            .WithName("readScenarioFile")
            .WithSummary("Every row of the bill under a scenario: csv, xlsx, parquet, or focus.csv.")
            .Produces<byte[]>(contentType: "application/octet-stream");
    }

    private static Task<Results<Ok<ScenariosDocument>, ProblemHttpResult>> ReadAll(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    ) => WholeList.Read(current, response, e => new ScenariosDocument(e.Scenarios), cancel);

    private static Task<Results<NoContent, ProblemHttpResult>> PutAll(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) =>
        WholeList.Put(
            request,
            current,
            (json, _) => EstateDocument.ReadScenarios(json),
            (estate, scenarios) => estate with { Scenarios = scenarios },
            (view, scenarios) => store.ChangeScenarios(view.Estate.Scenarios, scenarios, view.Version, cancel),
            cancel
        );

    private static async Task<Results<Ok<ScenarioComparison>, ProblemHttpResult>> Compare(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, null, cancel);
        if (wrong is not null)
            return wrong;
        var assumed = view!.Assumed(current);
        var asItStands = assumed.Of(new Scenario { Id = "", Name = "As it stands" }, months);
        return TypedResults.Ok(
            new ScenarioComparison(
                [.. Enumerable.Range(0, months).Select(m => Month.Of(asItStands.Chain[0].Calendar.Date(m)))],
                [
                    Outlook("", "As it stands", asItStands),
                    .. view.Estate.Scenarios.Select(s => Outlook(s.Id, s.Name, assumed.Of(s, months))),
                ]
            )
        );
    }

    private static async Task<Results<Ok<ScenarioReading>, ProblemHttpResult>> ReadDraft(
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description(Span)] int first = 0,
        [Description("How many months the difference is summed over; 0 for all from the first.")] int count = 0,
        [Description("bucket, charge, tier, region, tenant, year or month.")] string by = "bucket"
    )
    {
        var scenario = EstateDocument.ReadScenario(await request.ReadText(cancel));
        return scenario.Ok
            ? await Read(scenario.Value, current, months, first, count, by, cancel)
            : TypedResults.Ok(new ScenarioReading(scenario.Problems, null, null));
    }

    private static async Task<Results<Ok<ScenarioReading>, ProblemHttpResult>> ReadDifference(
        string id,
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default,
        [Description(Span)] int first = 0,
        [Description("How many months the difference is summed over; 0 for all from the first.")] int count = 0,
        [Description("bucket, charge, tier, region, tenant, year or month.")] string by = "bucket"
    ) =>
        await current.Get(cancel) is not { } view ? Problems.NoEstate()
        : Find(view, id) is not { } scenario ? NoScenario(id)
        : await Read(scenario, current, months, first, count, by, cancel);

    private static async Task<Results<Ok<ScenarioReading>, ProblemHttpResult>> Read(
        Scenario scenario,
        CurrentEstate current,
        int months,
        int first,
        int count,
        string by,
        CancellationToken cancel
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, null, cancel);
        if (wrong is not null)
            return wrong;
        if (!Enum.TryParse<TellBy>(by, ignoreCase: true, out var told) || !Enum.IsDefined(told))
            return Problems.Invalid(
                "unknown-choice",
                "?by",
                $"'{by}' is not known; write one of: bucket, charge, tier, region, tenant, year, month."
            );
        if (first < 0 || first >= months)
            return Problems.Invalid("out-of-range", "?first", $"The first month must be from 0 to {months - 1}.");
        if (count < 0 || first + count > months)
            return Problems.Invalid("out-of-range", "?count", $"There are {months - first} months from there on; ask for no more.");
        var assumed = view!.Assumed(current).Of(scenario, months);
        return TypedResults.Ok(
            assumed.Problems.Count > 0
                ? new ScenarioReading(assumed.Problems, null, null)
                : new ScenarioReading(
                    [],
                    Difference.Of(assumed.Chain, first, count == 0 ? months - first : count, told),
                    Outlook(scenario.Id, scenario.Name, assumed)
                )
        );
    }

    private static async Task<Results<Ok<ScenarioParts>, ProblemHttpResult>> ReadParts(
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var scenario = EstateDocument.ReadScenario(await request.ReadText(cancel));
        if (!scenario.Ok)
            return Problems.Invalid(scenario.Problems);
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var parts = view.Assumed(current).Parts(scenario.Value);
        return parts.Ok ? TypedResults.Ok(parts.Value) : Problems.Invalid(parts.Problems);
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> File(
        string id,
        string format,
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default
    )
    {
        var (view, wrong) = await Horizon.Look(current, months, null, cancel);
        if (wrong is not null)
            return wrong;
        var (projected, unfit) = Under(view!, current, id, months);
        if (projected is not { } projection)
            return unfit!;
        var name = $"{id}-{months}-months";
        return format == "csv"
            ? Streams.Bytes(to => ForecastFiles.WriteCsv(projection, to), "text/csv", $"{name}.csv")
            : BillFiles.Of(
                format,
                () => projection.Rows().Select(BillLine.Of),
                new BillOf($"{view!.Estate.Name}: {Find(view, id)!.Name}", projection.Estate, IsProjected: true),
                name
            );
    }

    private static ScenarioOutlook Outlook(string id, string name, AssumedEstate assumed) =>
        assumed.Problems.Count > 0
            ? new ScenarioOutlook(id, name, assumed.Problems, [], [])
            : new ScenarioOutlook(id, name, [], assumed.Chain[^1].InAll, assumed.Chain[^1].Years);

    /// <summary>The estate projected as it stands, or under a scenario; or why it cannot be.</summary>
    internal static (Projection? Projection, ProblemHttpResult? Wrong) Under(
        EstateView view,
        CurrentEstate current,
        string? scenario,
        int months
    )
    {
        if (scenario is null)
            return (view.Project(months), null);
        return Find(view, scenario) is { } found ? Under(view, current, found, months) : (null, NoScenario(scenario));
    }

    /// <summary>The same under a scenario that need not be stored.</summary>
    internal static (Projection? Projection, ProblemHttpResult? Wrong) Under(
        EstateView view,
        CurrentEstate current,
        Scenario scenario,
        int months
    )
    {
        var assumed = view.Assumed(current).Project(scenario, months);
        return assumed.Ok ? (assumed.Value, null) : (null, Problems.Conflict(assumed.Problems[0].Code, assumed.Problems[0].Message));
    }

    internal static Scenario? Find(EstateView view, string id) => view.Estate.Scenarios.FirstOrDefault(s => s.Id == id);

    internal static ProblemHttpResult NoScenario(string id) =>
        Problems.NotFound("no-scenario", $"There is no scenario '{id}'; `ripen scenarios` lists them.");
}
