using System.ComponentModel;
using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Files;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Scenarios;

namespace Ripen.Server.Budgets;

/// <summary>What is to be fixed.</summary>
/// <param name="Name">For people.</param>
/// <param name="Months">Calendar months from this one on, 1 to <see cref="Budget.MostMonths"/>; the rest of this one is the first.</param>
/// <param name="Headroom">By so much a month may end above the plan: 0.05 is five per cent; 0 to 10.</param>
/// <param name="Scenario">The id of the scenario that is planned; the estate as it stands without it.</param>
public sealed record BudgetOrder(string Name, int Months, double Headroom = 0, string? Scenario = null);

/// <summary>What is to be changed of a budget; what is left out stays.</summary>
public sealed record BudgetChange(string? Name = null, double? Headroom = null, bool? PutAway = null);

/// <summary>The running month against a budget.</summary>
public sealed record RunningBudget(int Id, string Name, BudgetMonth Month);

/// <summary>A budget as it stands today.</summary>
/// <param name="Card">What it is, and what was told of it.</param>
/// <param name="Today">The provider's day.</param>
/// <param name="Months">All of its months: those over in fact, the running one charged and to come, others as projected.</param>
/// <param name="InAll">The same over all of them.</param>
/// <param name="Opens">Where the amounts of each month open, and last those in all.</param>
public sealed record BudgetReading(
    BudgetCard Card,
    DateOnly Today,
    IReadOnlyList<BudgetMonth> Months,
    BudgetMonth InAll,
    IReadOnlyList<BudgetOpens> Opens
);

/// <summary>Months from the first to the last.</summary>
public sealed record MonthSpan(Month From, Month To);

/// <summary>Over which months the amounts of a budget open.</summary>
/// <param name="Planned">What was planned.</param>
/// <param name="Charged">What was charged; null for nothing, and where the month is among them in which the budget was fixed: what was charged
/// before takes no part.</param>
/// <param name="ToCome">What is to come; null for nothing.</param>
public sealed record BudgetOpens(MonthSpan Planned, MonthSpan? Charged, MonthSpan? ToCome)
{
    internal static BudgetOpens Of(Budget budget, BudgetMonth of, Month last, Month running)
    {
        var (first, isRunning) = (of.Month, last.Since(running) >= 0);
        return new(
            new(first, last),
            of.Charged == 0 || first.Since(budget.WholeFrom) < 0 ? null : new(first, isRunning ? running : last),
            of.ToCome == 0 ? null : new(first.Since(running) > 0 ? first : running, last)
        );
    }
}

/// <summary>What makes one line of a variance.</summary>
/// <param name="Charged">The month in which all that came was charged, so that it opens there; null over several, one that is not over, or one
/// in which the budget was fixed: what was charged before has no part in it.</param>
/// <param name="Details">Add up to the line.</param>
public sealed record VarianceLine(Month? Charged, IReadOnlyList<VarianceDetail> Details);

/// <summary>Forecasts that were fixed on a day, held against what is charged.</summary>
internal static class BudgetEndpoints
{
    private const int MostMonthsAway = 120;

    public static void MapBudgets(this RouteGroupBuilder api)
    {
        var budgets = api.MapGroup("/budgets").WithTags("Budgets");
        budgets.MapGet("", ReadAll).WithName("readBudgets").WithSummary("All budgets, the newest first, with what was told of them.");
        budgets
            .MapGet("/running", ReadRunning)
            .WithName("readRunningBudgets")
            .WithSummary("How the running month stands now against every budget that holds for it.");
        budgets.MapPost("", Fix).WithName("fixBudget").WithSummary("Fixes the forecast of today as a budget.");
        budgets
            .MapPost("/file", FixFile)
            .WithName("fixBudgetFile")
            .WithSummary("Fixes a budget that was made elsewhere: CSV in the columns that `ripen forecast` writes.")
            .TakesBytes();
        budgets.MapGet("/{id:int}", Read).WithName("readBudget").WithSummary("A budget month by month: planned, charged, to come.");
        budgets
            .MapPatch("/{id:int}", Change)
            .WithName("changeBudget")
            .WithSummary("Renames a budget, changes its headroom, or puts it away. What was planned stays as it is.");
        budgets
            .MapGet("/{id:int}/variance", ReadVariance)
            .WithName("readVariance")
            .WithSummary("Why the money is another than planned: volume, mix, timing and price, which add up to the difference.");
        budgets
            .MapGet("/{id:int}/variance/line", ReadVarianceLine)
            .WithName("readVarianceLine")
            .WithSummary(
                "What makes one line of a variance: quantities planned and in fact, and what they cost, by bucket, tier and charge."
            );
        budgets
            .MapGet("/{id:int}/rows.csv", Csv)
            .WithName("readBudgetCsv")
            .WithSummary("Every line and month of a budget beside the fact, with its variance, as RFC 4180 CSV.")
            .Produces<string>(contentType: "text/csv");
    }

    private static async Task<Results<Ok<IReadOnlyList<BudgetCard>>, ProblemHttpResult>> ReadAll(
        BudgetStore store,
        CancellationToken cancel
    ) => TypedResults.Ok(await store.All(cancel));

    private static async Task<Results<Ok<IEnumerable<RunningBudget>>, ProblemHttpResult>> ReadRunning(
        CurrentEstate current,
        BudgetWatch watch,
        CancellationToken cancel
    ) =>
        await current.Get(cancel) is { } view
            ? TypedResults.Ok((await watch.Running(view, cancel)).Select(b => new RunningBudget(b.Card.Id, b.Card.Name, b.Month)))
            : Problems.NoEstate();

    private static async Task<Results<Created<BudgetReading>, ProblemHttpResult>> Fix(
        BudgetOrder order,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel
    )
    {
        var problems = Check(order.Name, order.Headroom, "$.");
        if (order.Months is < 1 or > Budget.MostMonths)
            problems.Add(new Problem("out-of-range", "$.months", $"Fix from 1 to {Budget.MostMonths} months."));
        if (problems.Count > 0)
            return Problems.Invalid(problems);
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var (projection, source) = (view.Project(order.Months), "the estate as it stood");
        if (order.Scenario is { } id)
        {
            if (ScenarioEndpoints.Find(view, id) is not { } scenario)
                return Problems.Invalid("unknown-reference", "$.scenario", $"There is no scenario '{id}'.");
            var assumed = view.Assumed(current).Project(scenario, order.Months);
            if (!assumed.Ok)
                return Problems.Conflict(assumed.Problems[0].Code, assumed.Problems[0].Message);
            (projection, source) = (assumed.Value, $"the scenario '{scenario.Name}'");
        }
        var today = view.Estate.Today;
        return await Keep(
            new Budget
            {
                Id = 0,
                Name = order.Name.Trim(),
                FixedOn = today,
                Headroom = order.Headroom,
                Source = source,
                Currency = view.Estate.PriceBook.Currency,
                Planned = new MonthlyCharges(Month.Of(today), order.Months, BudgetLook.Plan(view, projection, provider)),
            },
            current,
            provider,
            store,
            cancel
        );
    }

    private static async Task<Results<Created<BudgetReading>, ProblemHttpResult>> FixFile(
        HttpRequest request,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        [Description("For people.")] string name,
        CancellationToken cancel,
        [Description("By so much a month may end above the plan: 0.05 is five per cent.")] double headroom = 0
    )
    {
        if (Check(name, headroom, "?") is { Count: > 0 } problems)
            return Problems.Invalid(problems);
        var rows = ForecastCsv.Read(new StringReader(await request.ReadText(cancel)));
        if (!rows.Ok)
            return Problems.Invalid(rows.Problems);
        var first = rows.Value.MinBy(r => r.Month.FirstDay).Month;
        var months = rows.Value.MaxBy(r => r.Month.FirstDay).Month.Since(first) + 1;
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (first.Since(Month.Of(view.Estate.Today)) is > MostMonthsAway or < -MostMonthsAway)
            return Problems.Invalid("out-of-range", "month", $"The file begins in {first}, more than ten years from today.");
        if (months > Budget.MostMonths)
            return Problems.Invalid(
                "out-of-range",
                "month",
                $"The file is over {months} months, from {first} on; {Budget.MostMonths} are the most."
            );
        return await Keep(
            new Budget
            {
                Id = 0,
                Name = name.Trim(),
                FixedOn = first.FirstDay,
                Headroom = headroom,
                Source = "a file",
                Currency = view.Estate.PriceBook.Currency,
                Planned = new MonthlyCharges(first, months, rows.Value),
            },
            current,
            provider,
            store,
            cancel
        );
    }

    private static async Task<Results<Created<BudgetReading>, ProblemHttpResult>> Keep(
        Budget budget,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel
    )
    {
        var id = await store.Fix(budget, cancel);
        return TypedResults.Created($"/api/budgets/{id}", (await Look(id, current, provider, store, cancel))!);
    }

    private static async Task<Results<Ok<BudgetReading>, ProblemHttpResult>> Read(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel
    ) => await Look(id, current, provider, store, cancel) is { } reading ? TypedResults.Ok(reading) : NoBudget(id);

    private static async Task<BudgetReading?> Look(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel
    )
    {
        if ((await store.All(cancel)).FirstOrDefault(b => b.Id == id) is not { } card)
            return null;
        if (await BudgetLook.Of((await store.Find(id, cancel))!, current, provider, cancel) is not { } look)
            return null;
        var months = look.Months;
        var inAll = months.Aggregate(
            (sum, m) =>
                new BudgetMonth(sum.Month, sum.Planned + m.Planned, sum.Limit + m.Limit, sum.Charged + m.Charged, sum.ToCome + m.ToCome)
        );
        var today = look.View.Estate.Today;
        return new BudgetReading(card, today, months, inAll, [.. months.Select(m => Opens(m, m.Month)), Opens(inAll, months[^1].Month)]);

        BudgetOpens Opens(BudgetMonth of, Month last) => BudgetOpens.Of(look.Budget, of, last, Month.Of(today));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Change(
        int id,
        BudgetChange change,
        BudgetStore store,
        CancellationToken cancel
    )
    {
        if (Check(change.Name ?? "as it is", change.Headroom ?? 0, "$.") is { Count: > 0 } problems)
            return Problems.Invalid(problems);
        await store.Change(id, change.Name?.Trim(), change.Headroom, change.PutAway, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<VarianceTable>, ProblemHttpResult>> ReadVariance(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel,
        [Description("The first month, yyyy-MM; that of the budget without it.")] string? from = null,
        [Description("The last month, yyyy-MM; without it the last one that is over, or the running one. What is to come counts in it.")]
            string? to = null,
        [Description("bucket, charge, tier, region, tenant or month.")] string by = "bucket"
    )
    {
        var (asked, wrong) = await Ask(id, current, provider, store, from, to, by, cancel);
        return asked is null ? wrong! : TypedResults.Ok(VarianceTable.Of(asked.Lines, asked.First, asked.Months, asked.By, asked.Estate));
    }

    private static async Task<Results<Ok<VarianceLine>, ProblemHttpResult>> ReadVarianceLine(
        int id,
        [Description("Of the line of the variance: a bucket's name, a charge, an id or a month; * for what is agreed.")] string key,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel,
        [Description("The first month, yyyy-MM; that of the budget without it.")] string? from = null,
        [Description("The last month, yyyy-MM; without it the last one that is over, or the running one. What is to come counts in it.")]
            string? to = null,
        [Description("bucket, charge, tier, region, tenant or month.")] string by = "bucket"
    )
    {
        var (asked, wrong) = await Ask(id, current, provider, store, from, to, by, cancel);
        if (asked is null)
            return wrong!;
        var details = VarianceDetail.Of(asked.Lines, asked.First, asked.By, key, asked.Estate);
        return details.Count > 0
            ? TypedResults.Ok(new VarianceLine(asked.Charged, details))
            : Problems.NotFound("no-line", $"Neither plan nor fact has anything of '{key}' in those months.");
    }

    /// <param name="Lines">Of plan and fact.</param>
    /// <param name="First">The first month compared.</param>
    /// <param name="Months">How many.</param>
    /// <param name="By">What they are told by.</param>
    /// <param name="Estate">As it stands.</param>
    /// <param name="Charged">The one month that is compared, where it is over and the budget has all of it.</param>
    private sealed record Asked(IEnumerable<LineVariance> Lines, Month First, int Months, VarianceBy By, Estate Estate, Month? Charged);

    private static async Task<(Asked? Asked, ProblemHttpResult? Wrong)> Ask(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        string? from,
        string? to,
        string by,
        CancellationToken cancel
    )
    {
        if (!Enum.TryParse<VarianceBy>(by, ignoreCase: true, out var told) || !Enum.IsDefined(told))
            return (
                null,
                Problems.Invalid(
                    "unknown-choice",
                    "?by",
                    $"'{by}' is not known; write one of: bucket, charge, tier, region, tenant, month."
                )
            );
        if (await store.Find(id, cancel) is not { } budget)
            return (null, NoBudget(id));
        if (await BudgetLook.Of(budget, current, provider, cancel) is not { } look)
            return (null, Problems.NoEstate());
        var last = budget.Planned.First.Plus(budget.Planned.Months - 1);
        var problems = new List<Problem>();
        var first = Read(from, "?from", budget.Planned.First);
        var end = Read(to, "?to", budget.Planned.First.Plus(look.MonthsOver - 1));
        if (problems.Count == 0 && end.Since(first) < 0)
            problems.Add(new Problem("out-of-range", "?to", $"{end} is before {first}."));
        if (problems.Count > 0)
            return (null, Problems.Invalid(problems));
        var (skip, months) = (first.Since(budget.Planned.First), end.Since(first) + 1);
        var lines = Variance.Of(budget.Planned, look.Expected, skip, months);
        var isWhole = months == 1 && first.Since(Month.Of(look.View.Estate.Today)) < 0 && first.Since(budget.WholeFrom) >= 0;
        return (new Asked(lines, first, months, told, look.View.Estate, isWhole ? first : null), null);

        Month Read(string? text, string path, Month otherwise)
        {
            if (text is null)
                return otherwise;
            if (Month.TryParse(text) is { } month && month.Since(budget.Planned.First) >= 0 && month.Since(last) <= 0)
                return month;
            problems.Add(new Problem("out-of-range", path, $"Write a month of the budget, from {budget.Planned.First} to {last}."));
            return otherwise;
        }
    }

    private static async Task<Results<PushStreamHttpResult, ProblemHttpResult>> Csv(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BudgetStore store,
        CancellationToken cancel,
        [Description("Whether months that are not over are told too, with what is to come in them.")] bool expected = false
    )
    {
        if (await store.Find(id, cancel) is not { } budget)
            return NoBudget(id);
        if (await BudgetLook.Of(budget, current, provider, cancel) is not { } look)
            return Problems.NoEstate();
        var months = expected ? budget.Planned.Months : look.MonthsOver;
        return Streams.Text(
            writer => BudgetRows.WriteCsv(budget.Planned, look.Expected, months, look.View.Estate.PriceBook.Unit, writer),
            "text/csv",
            $"budget-{id}.csv"
        );
    }

    /// <param name="name">Null where an order left it out.</param>
    /// <param name="headroom">As it came.</param>
    /// <param name="at">Before each property's name.</param>
    private static List<Problem> Check(string? name, double headroom, string at)
    {
        var problems = new List<Problem>();
        if (name?.Trim().Length is not (>= 1 and <= 100))
            problems.Add(new Problem("out-of-range", $"{at}name", "Name it, in a hundred characters at most."));
        if (!(headroom is >= 0 and <= 10))
            problems.Add(new Problem("out-of-range", $"{at}headroom", "The headroom is from 0 to 10: 0.05 is five per cent."));
        return problems;
    }

    private static ProblemHttpResult NoBudget(int id) =>
        Problems.NotFound("no-budget", $"There is no budget {id}; `ripen budgets` lists them.");
}
