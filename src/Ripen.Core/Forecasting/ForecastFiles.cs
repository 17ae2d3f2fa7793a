using System.Globalization;
using System.Text.Json;
using Ripen.Core.Billing;
using Ripen.Core.Estates;

namespace Ripen.Core.Forecasting;

/// <summary>Forecast rows as files: RFC 4180 CSV, or a JSON list of the same rows. Numbers read back to the very same double.</summary>
public static class ForecastFiles
{
    private const string Header = "month,bucket,region,tier,charge,quantity,unit,amount";

    /// <summary>Writes the header and a line a row, ended by CRLF. No field ever needs quotes: all are ids, numbers and units.</summary>
    public static void WriteCsv(IEnumerable<ForecastRow> rows, TextWriter writer)
    {
        writer.Write($"{Header}\r\n");
        foreach (var row in rows)
        {
            writer.Write(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{row.Month},{row.Bucket},{row.Region},{row.Tier},{row.Charge.Name()},{row.Quantity:R},{row.Unit},{row.Amount:R}\r\n"
                )
            );
        }
    }

    private static readonly JsonSerializerOptions Compact = new(EstateDocument.Json) { WriteIndented = false };

    public static void WriteJson(IEnumerable<ForecastRow> rows, TextWriter writer)
    {
        // Row by row: a forecast may have millions.
        var between = "[\n";
        foreach (var row in rows)
        {
            writer.Write(between);
            writer.Write(JsonSerializer.Serialize(row, Compact));
            between = ",\n";
        }
        writer.Write(between.StartsWith('[') ? "[]\n" : "\n]\n");
    }
}
