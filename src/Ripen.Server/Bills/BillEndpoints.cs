using System.ComponentModel;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Billing;
using Ripen.Core.Bills;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Inventory;
using Ripen.Server.Http;

namespace Ripen.Server.Bills;

/// <summary>A resource of a bill.</summary>
/// <param name="Resource">As the bill calls it.</param>
/// <param name="Bucket">Which bucket it is; null for none.</param>
/// <param name="Amount">Money.</param>
public sealed record BilledResource(string Resource, string? Bucket, double Amount);

/// <summary>An item of a bill.</summary>
/// <param name="Item">As the bill calls it.</param>
/// <param name="Unit">As the bill calls it.</param>
/// <param name="Tier">What it is here.</param>
/// <param name="Charge">What for, here.</param>
/// <param name="Times">How many units of ours one of its is, as somebody said.</param>
/// <param name="NamedTimes">The same as the name of the unit says, in the bill's first month; null where it does not.</param>
/// <param name="Way">The id of a recall's speed, or of the region that a transfer leads to, as somebody said or its name does.</param>
/// <param name="Quantity">In the bill's unit.</param>
/// <param name="Amount">Money.</param>
public sealed record BilledItem(
    string Item,
    string Unit,
    string? Tier,
    Charge? Charge,
    double? Times,
    double? NamedTimes,
    string? Way,
    double Quantity,
    double Amount
);

/// <summary>A month of a bill. Money.</summary>
/// <param name="Month">Which.</param>
/// <param name="Billed">All of it.</param>
/// <param name="Mapped">What is known as something of this estate.</param>
/// <param name="Metered">What buckets were metered here in that month; 0 where nothing was.</param>
public sealed record BilledMonth(Month Month, double Billed, double Mapped, double Metered);

/// <summary>A bill from elsewhere, how it is read, and the prices that meet it.</summary>
/// <param name="Card">What it is.</param>
/// <param name="Billed">Money in all: <paramref name="Mapped"/> and <paramref name="Aside"/>.</param>
/// <param name="Mapped">Money that is known as something of this estate.</param>
/// <param name="Aside">Money that is not.</param>
/// <param name="Months">In their order.</param>
/// <param name="Resources">The dearest first.</param>
/// <param name="Items">The dearest first.</param>
/// <param name="Fit">Prices that meet it.</param>
public sealed record BillReading(
    BillCard Card,
    double Billed,
    double Mapped,
    double Aside,
    IReadOnlyList<BilledMonth> Months,
    IReadOnlyList<BilledResource> Resources,
    IReadOnlyList<BilledItem> Items,
    PriceFit Fit
);

/// <summary>Some rows of a bill, in its order of months, resources and items.</summary>
/// <param name="InAll">How many there are of those that were asked for.</param>
/// <param name="Rows">From the asked one on.</param>
public sealed record BilledRows(int InAll, IReadOnlyList<BilledRow> Rows);

/// <summary>Bills from elsewhere: brought, mapped, and prices fitted to them. Nothing of the estate is changed.</summary>
internal static class BillEndpoints
{
    private const int MostRows = 10_000;

    public static void MapBills(this RouteGroupBuilder api)
    {
        var bills = api.MapGroup("/bills").WithTags("Bills");
        bills.MapGet("", ReadAll).WithName("readBills").WithSummary("All bills from elsewhere, the newest first.");
        bills
            .MapPost("", Bring)
            .WithName("bringBill")
            .WithSummary(
                "Takes a bill as CSV or Parquet. FOCUS columns are known by their names; others are named in the address. The body is the file."
            )
            .TakesBytes();
        bills.MapGet("/{id:int}", Read).WithName("readBill").WithSummary("A bill, how it is read, and the prices that meet it.");
        bills
            .MapPut("/{id:int}/mapping", Map)
            .WithName("mapBill")
            .WithSummary("Says which bucket a resource is and what an item is; what is not named stays as it is.");
        bills
            .MapGet("/{id:int}/rows", ReadRows)
            .WithName("readBillRows")
            .WithSummary("What a bill says, row by row, and how each is read; rows that say the same of a month are one.");
        bills.MapDelete("/{id:int}", Remove).WithName("removeBill").WithSummary("Forgets a bill.");
        bills
            .MapGet("/{id:int}/prices", ReadPrices)
            .WithName("readBillPrices")
            .WithSummary("The price book with the prices that meet the bill in the place of its own. Nothing is stored.");
    }

    private static async Task<Ok<IReadOnlyList<BillCard>>> ReadAll(BillStore store, CancellationToken cancel) =>
        TypedResults.Ok(await store.All(cancel));

    private static async Task<Results<Created<BillReading>, ProblemHttpResult>> Bring(
        HttpContext context,
        CurrentEstate current,
        SimulatedProvider provider,
        BillStore store,
        [Description("For people.")] string name,
        CancellationToken cancel,
        [Description("The column that says the day or month.")] string? date = null,
        [Description("The column that says what it is charged for.")] string? resource = null,
        [Description("The column that says what is charged.")] string? item = null,
        [Description("The column with the unit.")] string? unit = null,
        [Description("The column with the quantity.")] string? quantity = null,
        [Description("The column with the money.")] string? amount = null,
        [Description("The column with the currency.")] string? currency = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (name.Trim().Length is < 1 or > 100)
            return Problems.Invalid("out-of-range", "?name", "Name it, in a hundred characters at most.");
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = null;
        var said = new BillColumns(date, resource, item, unit, quantity, amount, currency);
        var charges = await ForeignTable.Read(
            context.Request.Body,
            "bill",
            (columns, rows) => said.Among(columns).Read(columns, rows, view.Estate.PriceBook.Currency),
            cancel
        );
        if (!charges.Ok)
            return Problems.Invalid(charges.Problems);
        var id = await store.Add(
            name.Trim(),
            view.Estate.PriceBook.Currency,
            charges.Value,
            BillMapping.Propose(charges.Value, view.Estate),
            cancel
        );
        return TypedResults.Created($"/api/bills/{id}", Look((await store.Find(id, cancel))!, view, provider));
    }

    private static async Task<Results<Ok<BillReading>, ProblemHttpResult>> Read(
        int id,
        CurrentEstate current,
        SimulatedProvider provider,
        BillStore store,
        CancellationToken cancel
    ) =>
        await current.Get(cancel) is not { } view ? Problems.NoEstate()
        : await store.Find(id, cancel) is { } bill ? TypedResults.Ok(Look(bill, view, provider))
        : NoBill(id);

    private static async Task<Results<Ok<BilledRows>, ProblemHttpResult>> ReadRows(
        int id,
        CurrentEstate current,
        BillStore store,
        CancellationToken cancel,
        [Description("Only what is left aside.")] bool aside = false,
        [Description("How many to pass over.")] int offset = 0,
        [Description("At most so many, 1 to 10,000.")] int limit = 100
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (offset < 0)
            return Problems.Invalid("out-of-range", "?offset", "The offset is 0 or more.");
        if (limit is < 1 or > MostRows)
            return Problems.Invalid("out-of-range", "?limit", $"The limit is from 1 to {MostRows}.");
        if (await store.Find(id, cancel) is not { } bill)
            return NoBill(id);
        var rows = MappedBill
            .Read(bill.Charges, bill.Mapping, view.Estate)
            .Where(r => !aside || r.Aside is not null)
            .OrderBy(r => r.Billed.Month.FirstDay)
            .ThenBy(r => r.Billed.Resource, StringComparer.Ordinal)
            .ThenBy(r => r.Billed.Item, StringComparer.Ordinal)
            .ToList();
        return TypedResults.Ok(new BilledRows(rows.Count, [.. rows.Skip(offset).Take(limit)]));
    }

    private static async Task<Results<Ok<BillReading>, ProblemHttpResult>> Map(
        int id,
        BillMapping mapping,
        CurrentEstate current,
        SimulatedProvider provider,
        BillStore store,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (await store.Find(id, cancel) is not { } bill)
            return NoBill(id);
        var problems = new List<Problem>();
        var (resources, items) = (
            bill.Mapping.Resources.Select(r => r.Resource).ToHashSet(),
            bill.Mapping.Items.Select(i => (i.Item, i.Unit)).ToHashSet()
        );
        foreach (var (named, i) in mapping.Resources.Select((r, i) => (r, i)))
        {
            Require(
                resources.Remove(named.Resource),
                $"$.resources[{i}].resource",
                $"The bill has no resource '{named.Resource}', or it is named twice."
            );
            Require(
                named.Bucket is null || view.Estate.Find(named.Bucket) is not null,
                $"$.resources[{i}].bucket",
                $"There is no bucket '{named.Bucket}'."
            );
        }
        foreach (var (named, i) in mapping.Items.Select((r, i) => (r, i)))
        {
            Require(
                items.Remove((named.Item, named.Unit)),
                $"$.items[{i}].item",
                $"The bill has no '{named.Item}' in '{named.Unit}', or it is named twice."
            );
            Require(
                named.Tier is null || view.Estate.PriceBook.Coldness(named.Tier) >= 0,
                $"$.items[{i}].tier",
                $"There is no tier '{named.Tier}'."
            );
            Require(
                named.Way is null || ItemMapping.Ways(named.Charge, view.Estate.PriceBook).Any(w => w.Id == named.Way),
                $"$.items[{i}].way",
                $"There is no {(named.Charge == Charge.Recall ? "speed" : "region")} '{named.Way}' that it could be."
            );
            Require(named.Times is null or (> 0 and <= 1e15), $"$.items[{i}].times", "One of its units is more than 0 of ours.");
        }
        if (problems.Count > 0)
            return Problems.Invalid(problems);
        await store.Map(id, mapping, cancel);
        return TypedResults.Ok(Look((await store.Find(id, cancel))!, view, provider));

        void Require(bool holds, string path, string message)
        {
            if (!holds)
                problems.Add(new Problem("unknown-reference", path, message));
        }
    }

    private static async Task<NoContent> Remove(int id, BillStore store, CancellationToken cancel)
    {
        await store.Remove(id, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<PriceBook>, ProblemHttpResult>> ReadPrices(
        int id,
        CurrentEstate current,
        BillStore store,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (await store.Find(id, cancel) is not { } bill)
            return NoBill(id);
        DemandCurrency(bill, view);
        var book = PriceFit.Of(MappedBill.Of(bill.Charges, bill.Mapping, view.Estate), view.Estate).Apply(view.Estate.PriceBook);
        return book.Ok ? TypedResults.Ok(book.Value) : Problems.Invalid(book.Problems);
    }

    private static BillReading Look(BroughtBill bill, EstateView view, SimulatedProvider provider)
    {
        DemandCurrency(bill, view);
        var prices = view.Estate.PriceBook;
        var mapped = MappedBill.Of(bill.Charges, bill.Mapping, view.Estate);
        var first = bill.Charges.MinBy(c => c.Month.FirstDay)!.Month;
        var months = bill.Charges.Max(c => c.Month.Since(first)) + 1;
        var metered = provider
            .LedgerMonths(first.FirstDay, first.Plus(months).FirstDay)
            .Where(r => !r.Charge.IsAgreed())
            .GroupBy(r => r.Month)
            .ToDictionary(m => m.Key, m => m.Sum(r => r.Amount));
        var (ofResource, ofItem) = (bill.Charges.ToLookup(c => c.Resource), bill.Charges.ToLookup(c => (c.Item, c.Unit)));
        return new BillReading(
            bill.Card,
            bill.Charges.Sum(c => c.Amount),
            mapped.Lines.Sum(l => l.Row.Amount),
            mapped.Aside.Sum(c => c.Amount),
            [
                .. Enumerable
                    .Range(0, months)
                    .Select(first.Plus)
                    .Select(m => new BilledMonth(
                        m,
                        bill.Charges.Where(c => c.Month == m).Sum(c => c.Amount),
                        mapped.Lines.Where(l => l.Row.Month == m).Sum(l => l.Row.Amount),
                        metered.GetValueOrDefault(m)
                    )),
            ],
            [
                .. bill
                    .Mapping.Resources.Select(r => new BilledResource(r.Resource, r.Bucket, ofResource[r.Resource].Sum(c => c.Amount)))
                    .OrderByDescending(r => r.Amount),
            ],
            [
                .. bill
                    .Mapping.Items.Select(i => new BilledItem(
                        i.Item,
                        i.Unit,
                        i.Tier,
                        i.Charge,
                        i.Times,
                        i.Charge is { } charge ? ForeignUnit.Times(i.Unit, charge, prices, first) : null,
                        i.Way,
                        ofItem[(i.Item, i.Unit)].Sum(c => c.Quantity),
                        ofItem[(i.Item, i.Unit)].Sum(c => c.Amount)
                    ))
                    .OrderByDescending(i => i.Amount),
            ],
            PriceFit.Of(mapped, view.Estate)
        );
    }

    /// <exception cref="RefusalException">The price book has changed its currency since it was brought.</exception>
    private static void DemandCurrency(BroughtBill bill, EstateView view) =>
        Currencies.Demand(bill.Card.Currency, view.Estate.PriceBook, "bill");

    private static ProblemHttpResult NoBill(int id) => Problems.NotFound("no-bill", $"There is no bill {id}; `ripen bills` lists them.");
}
