using System.Globalization;
using CsvHelper;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Files;

/// <summary>A budget beside the fact, line by line and month by month, as RFC 4180 CSV. Numbers read back to the very same double.</summary>
public static class BudgetRows
{
    /// <param name="plan">What was planned.</param>
    /// <param name="fact">What came, over the same months.</param>
    /// <param name="months">How many of them are compared, from the first on.</param>
    /// <param name="unit">Of the price book.</param>
    /// <param name="writer">Where they go.</param>
    public static void WriteCsv(MonthlyCharges plan, MonthlyCharges fact, int months, SizeUnit unit, TextWriter writer)
    {
        using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
        csv.WriteHeader([
            "month",
            "bucket",
            "region",
            "tier",
            "charge",
            "unit",
            "plannedQuantity",
            "planned",
            "volume",
            "mix",
            "timing",
            "price",
            "actualQuantity",
            "actual",
        ]);
        foreach (var (line, parts) in Variance.Of(plan, fact, 0, months).Select(v => (v.Line, v.Months)))
        {
            for (var m = 0; m < months; m++)
            {
                var of = parts[m];
                if (of.IsNothing)
                    continue;
                csv.WriteRecord([
                    plan.First.Plus(m).ToString(),
                    line.Bucket,
                    line.Region,
                    line.Tier,
                    line.Charge.Name(),
                    Units.Of(line.Charge, unit),
                    Quantity(plan, line, m),
                    Number(of.Planned),
                    Number(of.Volume),
                    Number(of.Mix),
                    Number(of.Timing),
                    Number(of.Price),
                    Quantity(fact, line, m),
                    Number(of.Actual),
                ]);
            }
        }
    }

    private static string Quantity(MonthlyCharges of, ChargeLine line, int month) =>
        Number(of.Lines.TryGetValue(line, out var own) ? own.Quantities[month] : 0);

    private static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);
}
