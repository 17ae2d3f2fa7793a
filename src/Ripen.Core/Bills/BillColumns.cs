using System.Globalization;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Bills;

/// <summary>Which columns of a bill say what; null for none. FOCUS 1.0 is known by the names of its columns (from memory of the specification),
/// and so is what this product writes.</summary>
/// <param name="Date">A day or month that the row is for.</param>
/// <param name="Resource">What it is charged for.</param>
/// <param name="Item">What is charged.</param>
/// <param name="Unit">Of the quantity.</param>
/// <param name="Quantity">How much; empty is none.</param>
/// <param name="Amount">Money.</param>
/// <param name="Currency">ISO 4217.</param>
public sealed record BillColumns(
    string? Date = null,
    string? Resource = null,
    string? Item = null,
    string? Unit = null,
    string? Quantity = null,
    string? Amount = null,
    string? Currency = null
)
{
    /// <summary>The most months that a bill is for, from the first to the last.</summary>
    public const int MostMonths = 240;

    /// <summary>A row's quantity and money are no more than this.</summary>
    private const double Most = 1e15;

    private const int MostProblems = 20;

    private static readonly string[] Dates = ["ChargePeriodStart", "BillingPeriodStart", "month", "from", "day", "date"];
    private static readonly string[] Resources = ["ResourceId", "ResourceName", "bucket", "resource"];
    private static readonly string[] Items = ["SkuId", "SkuPriceId", "ChargeDescription", "charge", "item", "description"];
    private static readonly string[] UnitNames = ["ConsumedUnit", "PricingUnit", "unit"];
    private static readonly string[] Quantities = ["ConsumedQuantity", "PricingQuantity", "quantity"];
    private static readonly string[] Amounts = ["EffectiveCost", "BilledCost", "amount", "cost"];
    private static readonly string[] Currencies = ["BillingCurrency", "currency"];

    /// <summary>The same with what is not said told by the names of a bill's columns.</summary>
    public BillColumns Among(IReadOnlyList<string> columns)
    {
        return new BillColumns(
            Date ?? Find(Dates),
            Resource ?? Find(Resources),
            Item ?? Find(Items),
            Unit ?? Find(UnitNames),
            Quantity ?? Find(Quantities),
            Amount ?? Find(Amounts),
            Currency ?? Find(Currencies)
        );

        string? Find(string[] names) =>
            names
                .Select(n => columns.FirstOrDefault(c => c.Trim().Equals(n, StringComparison.OrdinalIgnoreCase)))
                .FirstOrDefault(c => c is not null);
    }

    /// <summary>Rows summed up by month, resource, item and unit.</summary>
    /// <param name="columns">The bill's, in their order.</param>
    /// <param name="rows">The bill's.</param>
    /// <param name="currency">Of the price book; money of another is not taken.</param>
    /// <returns>The charges, or what is wrong with which row, counted from 1 for the first below the names.</returns>
    public async Task<Checked<IReadOnlyList<ForeignCharge>>> Read(
        IReadOnlyList<string> columns,
        IAsyncEnumerable<string[]> rows,
        string currency
    )
    {
        var problems = new List<Problem>();
        var (date, resource, item) = (Column(Date, "date"), Column(Resource, "resource"), Column(Item, "item"));
        var (unit, quantity, amount) = (Column(Unit, "unit"), Column(Quantity, "quantity"), Column(Amount, "amount"));
        var money = Currency is null ? -1 : Column(Currency, "currency");
        // What this product writes tells tier and charge in two columns.
        var tier = columns.ToList().FindIndex(c => c.Equals("tier", StringComparison.OrdinalIgnoreCase));
        if (problems.Count > 0)
            return new(problems);
        var sums = new Dictionary<(Month, string, string, string), (double Quantity, double Amount)>();
        var number = 0;
        await foreach (var row in rows)
        {
            number++;
            var units = 0.0;
            var day = Day(Of(row, date));
            Require(day is not null, Date!, $"'{Of(row, date)}' is no day or month of these times; write yyyy-MM-dd or yyyy-MM.");
            Require(
                Of(row, quantity).Length == 0 || Number(Of(row, quantity), out units),
                Quantity!,
                $"'{Of(row, quantity)}' is no number; write it with a decimal point."
            );
            Require(Number(Of(row, amount), out var cost), Amount!, $"'{Of(row, amount)}' is no number; write it with a decimal point.");
            Require(
                money < 0 || Of(row, money) == currency,
                Currency ?? "",
                $"It is in {Of(row, Math.Max(0, money))}, and the price book in {currency}: currencies are not mixed."
            );
            if (problems.Count >= MostProblems)
                break;
            if (day is not { } of)
                continue;
            var name = tier >= 0 && Of(row, tier).Length > 0 ? $"{Of(row, tier)}/{Of(row, item)}" : Of(row, item);
            var key = (Month.Of(of), Of(row, resource), name, Of(row, unit));
            var known = sums.GetValueOrDefault(key);
            sums[key] = (known.Quantity + units, known.Amount + cost);
        }
        if (problems.Count == 0 && sums.Count == 0)
            problems.Add(new Problem("no-rows", "row 1", "There is no row below the names of the columns."));
        if (
            sums.Count > 0
            && sums.Keys.Min(k => k.Item1.FirstDay) is var first
            && sums.Keys.Max(k => k.Item1.Since(Month.Of(first))) >= MostMonths
        )
            problems.Add(new Problem("out-of-range", Date!, $"A bill is for {MostMonths} months at most, from its first to its last."));
        return problems.Count > 0
            ? new(problems)
            : new([
                .. sums.Select(s => new ForeignCharge(
                    s.Key.Item1,
                    s.Key.Item2,
                    s.Key.Item3,
                    s.Key.Item4,
                    s.Value.Quantity,
                    s.Value.Amount
                )),
            ]);

        int Column(string? named, string role)
        {
            var at = named is null ? -1 : columns.ToList().IndexOf(named);
            if (at < 0)
                problems.Add(
                    new Problem(
                        "missing-column",
                        $"?{role}",
                        named is null
                            ? $"Which column says the {role}? There are {string.Join(", ", columns)}."
                            : $"There is no column '{named}'; there are {string.Join(", ", columns)}."
                    )
                );
            return at;
        }

        void Require(bool holds, string column, string message)
        {
            if (!holds)
                problems.Add(new Problem("invalid-row", $"row {number}, {column}", message));
        }
    }

    private static string Of(string[] row, int column) => column < row.Length ? row[column].Trim() : "";

    private static bool Number(string text, out double number) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out number) && Math.Abs(number) <= Most;

    private static DateOnly? Day(string text) => Read(text) is { Year: >= 1970 and < 2200 } day ? day : null;

    private static DateOnly? Read(string text)
    {
        if (DateOnly.TryParseExact(text, "yyyy-MM", CultureInfo.InvariantCulture, DateTimeStyles.None, out var month))
            return month;
        return
            text.Length >= 10
            && DateOnly.TryParseExact(text[..10], "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? day
            : null;
    }
}
