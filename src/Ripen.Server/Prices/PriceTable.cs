using System.Globalization;
using CsvHelper;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Server.Prices;

/// <summary>A price book's amounts as CSV, both ways.</summary>
internal static class PriceTable
{
    private static readonly string[] Columns = ["from", "region", "to", "tier", "charge", "speed", "upTo", "amount"];

    /// <summary>Not there in tables of prices alone.</summary>
    private const string Agreement = "agreement";

    public static void Write(IEnumerable<PriceRow> rows, TextWriter writer)
    {
        using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
        csv.WriteHeader([.. Columns, Agreement]);
        foreach (var row in rows)
            csv.WriteRecord([
                row.From?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? "",
                row.Region,
                row.To ?? "",
                row.Tier ?? "",
                row.Charge,
                row.Speed ?? "",
                row.UpTo?.ToString("R", CultureInfo.InvariantCulture) ?? "",
                row.Amount.ToString("R", CultureInfo.InvariantCulture),
                row.Agreement ?? "",
            ]);
    }

    /// <summary>Columns by their names, in any order; further ones are not looked at.</summary>
    public static Checked<IReadOnlyList<PriceRow>> Read(string text)
    {
        var problems = new List<Problem>();
        var rows = new List<PriceRow>();
        var lines = Lines(text);
        var header = lines.FirstOrDefault() ?? [];
        foreach (var missing in Columns.Where(c => !header.Contains(c)))
            problems.Add(new Problem("no-column", "$", $"The first line names no column '{missing}'."));
        if (problems.Count > 0)
            return new(problems);
        foreach (var line in lines.Skip(1))
        {
            var at = $"$[{rows.Count}]";
            rows.Add(
                new PriceRow(
                    Field("from") is { } day ? Day(day, $"{at}.from") : null,
                    Field("region") ?? "",
                    Field("to"),
                    Field("tier"),
                    Field("charge") ?? "",
                    Field("speed"),
                    Field("upTo") is { } limit ? Number(limit, $"{at}.upTo") : null,
                    Number(Field("amount") ?? "", $"{at}.amount"),
                    Field(Agreement)
                )
            );

            string? Field(string column) =>
                Array.IndexOf(header, column) is var i && i < line.Length && line[i].Trim() is { Length: > 0 } found ? found : null;
        }
        return problems.Count > 0 ? new(problems) : new((IReadOnlyList<PriceRow>)rows);

        double Number(string written, string path)
        {
            var ok = double.TryParse(written, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number);
            if (!ok)
                problems.Add(new Problem("not-a-number", path, $"'{written}' is no number; write it with a point, like 0.023."));
            return number;
        }

        DateOnly Day(string written, string path)
        {
            var ok = DateOnly.TryParseExact(written, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day);
            if (!ok)
                problems.Add(new Problem("not-a-date", path, $"'{written}' is no date; write it like 2027-01-31."));
            return day;
        }
    }

    private static List<string[]> Lines(string text)
    {
        using var reader = CsvReader.Create(
            new StringReader(text),
            new CsvReaderOptions
            {
                HasHeader = false,
                SkipEmptyLines = true,
                FieldCountMismatch = CsvFieldCountHandling.Allow,
                MalformedData = CsvMalformedDataHandling.Recover,
            }
        );
        var lines = new List<string[]>();
        while (reader.Read())
            lines.Add([.. Enumerable.Range(0, reader.FieldCount).Select(i => reader.GetString(i))]);
        return lines;
    }
}
