using System.Globalization;
using CsvHelper;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Files;

/// <summary>Rows of a forecast out of a CSV file, such as <c>ripen forecast</c> writes.</summary>
public static class ForecastCsv
{
    /// <summary>So many problems are told of a file; it has been read no further.</summary>
    private const int MostProblems = 20;

    private static readonly string[] Columns = ["month", "bucket", "region", "tier", "charge", "quantity", "amount"];

    private static readonly Dictionary<string, Charge> Charges = Enum.GetValues<Charge>().ToDictionary(c => c.Name());

    /// <param name="text">With a header; columns in any order, others are left out.</param>
    /// <returns>The rows, or what is wrong with which line, by its number from 1 for the header on.</returns>
    public static Checked<IReadOnlyList<ForecastRow>> Read(TextReader text)
    {
        using var csv = CsvReader.Create(
            text,
            new CsvReaderOptions
            {
                HasHeader = false,
                SkipEmptyLines = true,
                FieldCountMismatch = CsvFieldCountHandling.Allow,
                MalformedData = CsvMalformedDataHandling.Recover,
            }
        );
        var header = csv.Read() ? Fields(csv) : [];
        var at = Columns.ToDictionary(c => c, c => Array.FindIndex(header, h => h.Trim().Equals(c, StringComparison.OrdinalIgnoreCase)));
        if (at.Where(c => c.Value < 0).Select(c => c.Key).ToList() is { Count: > 0 } missing)
            return new([
                new Problem(
                    "missing-column",
                    "line 1",
                    $"The first line has to name the columns {string.Join(", ", Columns)}; it lacks {string.Join(", ", missing)}."
                ),
            ]);
        var rows = new List<ForecastRow>();
        var problems = new List<Problem>();
        for (var line = 2; csv.Read() && problems.Count < MostProblems; line++)
        {
            var fields = Fields(csv);
            string Of(string column) => at[column] < fields.Length ? fields[at[column]].Trim() : "";
            var month =
                DateOnly.TryParseExact(Of("month"), "yyyy-MM", CultureInfo.InvariantCulture, DateTimeStyles.None, out var first)
                && first.Year is >= 1970 and < 2200;
            var charge = Charges.TryGetValue(Of("charge"), out var known);
            var isAgreed = charge && known.IsAgreed();
            var isTakenOff = charge && known is Charge.Allowance or Charge.Discount;
            var quantity = Number(Of("quantity"), 1, out var units);
            var amount = Number(Of("amount"), isTakenOff ? -1 : 1, out var money);
            Require(month, "month", $"'{Of("month")}' is no month of these times; write yyyy-MM.");
            Require(charge, "charge", $"'{Of("charge")}' is no charge; write one of {string.Join(", ", Charges.Keys)}.");
            Require(quantity, "quantity", $"'{Of("quantity")}' is no quantity: a number that is not below 0, with a decimal point.");
            Require(
                amount,
                "amount",
                $"'{Of("amount")}' is no amount: a number that is not {(isTakenOff ? "above" : "below")} 0, with a decimal point."
            );
            var bucket = Of("bucket").Length > 0 || isAgreed;
            Require(bucket, "bucket", "Which bucket?");
            if (month && charge && quantity && amount && bucket)
                rows.Add(new ForecastRow(Month.Of(first), Of("bucket"), Of("region"), Of("tier"), known, units, "", money));

            void Require(bool holds, string column, string message)
            {
                if (!holds)
                    problems.Add(new Problem("invalid-row", $"line {line}, {column}", message));
            }
        }
        if (problems.Count == 0 && rows.Count == 0)
            problems.Add(new Problem("no-rows", "line 2", "There is no row below the first line."));
        return problems.Count > 0 ? new(problems) : new(rows);
    }

    /// <summary>Whether it is a number of that sign, or 0.</summary>
    private static bool Number(string text, int sign, out double number) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out number) && (sign * number) is >= 0 and <= 1e15;

    private static string[] Fields(CsvReader csv) => [.. Enumerable.Range(0, csv.FieldCount).Select(csv.GetString)];
}
