using MiniExcelLibs;
using MiniExcelLibs.Attributes;
using MiniExcelLibs.OpenXml;
using Ripen.Core.Forecasting;

namespace Ripen.Files;

/// <summary>Bill lines as a workbook (Office Open XML, ECMA-376): a sheet by month and charge, one by bucket and month, one by tenant where
/// there are any, one of all lines, with real numbers and dates. Money is not rounded; cells show two digits.</summary>
public static class Workbook
{
    private const string Money = "#,##0.00";

    /// <summary>Lines that a sheet holds, less its head (ECMA-376 leaves it to programs; all take so many).</summary>
    public const int MostLines = 1_048_575;

    /// <exception cref="RefusalException">There are more lines than a sheet holds.</exception>
    public static void Write(IReadOnlyList<BillLine> lines, BillOf of, Stream stream)
    {
        if (lines.Count > MostLines)
            throw new RefusalException(
                RefusalKind.TooLarge,
                "too-many-rows",
                $"{lines.Count:N0} lines are more than a sheet holds: take fewer months, or CSV or Parquet."
            );
        var months = lines.Select(l => new DateOnly(l.From.Year, l.From.Month, 1)).Distinct().Order().ToList();
        List<string> charges = [.. lines.Select(l => l.Charge).Distinct().Order().Select(c => c.Name())];
        var amount = $"amount, {of.Prices.Currency}";
        // Columns are known by their names, over all sheets.
        DynamicExcelColumn[] columns =
        [
            Shown("month", "yyyy-mm", 10),
            Shown("from", "yyyy-mm-dd", 12),
            Shown("to", "yyyy-mm-dd", 12),
            Shown("bucket", null, 28),
            Shown("tenant", null, 28),
            Shown("region", null, 16),
            Shown("quantity", "#,##0.######", 18),
            Shown("unit", null, 14),
            .. charges.Append("all").Append(amount).Concat(months.Select(Name)).Select(c => Shown(c, Money, 14)),
        ];
        var sheets = new Dictionary<string, object>
        {
            ["By month"] = months.Select(m => ByCharge(lines.Where(l => Name(l.From) == Name(m)).ToList(), m, charges)),
            ["By bucket"] = ByMonth("bucket", lines, l => l.Bucket, months),
        };
        if (of.Estate.Buckets.Any(b => b.Tenant is not null))
            sheets["By tenant"] = ByMonth("tenant", lines, l => of.TenantOf(l.Bucket) ?? "", months);
        sheets["Lines"] = lines.Select(l => Line(l, amount));
        sheets["About"] = new[]
        {
            new { what = "estate", says = of.Name },
            new { what = "currency", says = of.Prices.Currency },
            new { what = "amounts", says = of.IsProjected ? "projected" : "metered" },
        };
        MiniExcel.SaveAs(stream, sheets, configuration: new OpenXmlConfiguration { DynamicColumns = columns });
    }

    private static DynamicExcelColumn Shown(string name, string? format, double width) =>
        format is null ? new(name) { Width = width } : new(name) { Format = format, Width = width };

    private static string Name(DateOnly day) => Month.Of(day).ToString();

    private static DateTime Date(DateOnly day) => day.ToDateTime(TimeOnly.MinValue);

    private static Dictionary<string, object?> ByCharge(List<BillLine> lines, DateOnly month, List<string> charges)
    {
        var row = new Dictionary<string, object?> { ["month"] = Date(month) };
        foreach (var charge in charges)
            row[charge] = lines.Where(l => l.Charge.Name() == charge).Sum(l => l.Amount);
        row["all"] = lines.Sum(l => l.Amount);
        return row;
    }

    private static IEnumerable<Dictionary<string, object?>> ByMonth(
        string title,
        IReadOnlyList<BillLine> lines,
        Func<BillLine, string> key,
        List<DateOnly> months
    )
    {
        foreach (var own in lines.GroupBy(key).OrderBy(g => g.Key, StringComparer.Ordinal))
        {
            var by = own.GroupBy(l => Name(l.From)).ToDictionary(m => m.Key, m => m.Sum(l => l.Amount));
            var row = new Dictionary<string, object?> { [title] = own.Key };
            foreach (var month in months)
                row[Name(month)] = by.GetValueOrDefault(Name(month));
            row["all"] = own.Sum(l => l.Amount);
            yield return row;
        }
    }

    private static Dictionary<string, object?> Line(BillLine line, string amount) =>
        new()
        {
            ["from"] = Date(line.From),
            ["to"] = Date(line.To),
            ["bucket"] = line.Bucket,
            ["region"] = line.Region,
            ["tier"] = line.Tier,
            ["charge"] = line.Charge.Name(),
            ["quantity"] = line.Quantity,
            ["unit"] = line.Unit,
            [amount] = line.Amount,
        };
}
