using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Budgets;

/// <summary>One line of the bill in a variance: quantities that were planned and that came, and what they cost.</summary>
/// <param name="Bucket">Its name; empty for what is agreed for the estate.</param>
/// <param name="Region">Where it is.</param>
/// <param name="Tier">The id of the tier; empty for none.</param>
/// <param name="Charge">For what.</param>
/// <param name="Unit">Of the quantities.</param>
/// <param name="Planned">Quantity of the plan.</param>
/// <param name="Actual">Quantity in fact.</param>
/// <param name="Parts">Money.</param>
public sealed record VarianceDetail(
    string Bucket,
    string Region,
    string Tier,
    Charge Charge,
    string Unit,
    double Planned,
    double Actual,
    VarianceParts Parts
)
{
    /// <summary>Money that a unit was planned to cost; null where none was planned.</summary>
    public double? PlannedPrice => Planned == 0 ? null : Parts.Planned / Planned;

    /// <summary>Money that a unit cost in fact; null where there was none.</summary>
    public double? ActualPrice => Actual == 0 ? null : Parts.Actual / Actual;

    /// <summary>All that make one line of a <see cref="VarianceTable"/>, the largest variances first; they add up to it.</summary>
    /// <param name="variance">Line by line, over the same months.</param>
    /// <param name="first">The first of them.</param>
    /// <param name="by">What lines of the table stand for.</param>
    /// <param name="key">Which of them.</param>
    /// <param name="estate">Knows whose a bucket is.</param>
    public static IReadOnlyList<VarianceDetail> Of(
        IEnumerable<LineVariance> variance,
        Month first,
        VarianceBy by,
        string key,
        Estate estate
    )
    {
        return
        [
            .. variance
                .Select(l => (Of: l, Months: Enumerable.Range(0, l.Months.Count).Where(m => IsMeant(l.Line, m)).ToList()))
                .Select(l => new VarianceDetail(
                    l.Of.Line.Bucket,
                    l.Of.Line.Region,
                    l.Of.Line.Tier,
                    l.Of.Line.Charge,
                    Units.Of(l.Of.Line.Charge, estate.PriceBook.Unit),
                    l.Months.Sum(m => l.Of.Planned[m]),
                    l.Months.Sum(m => l.Of.Actual[m]),
                    l.Months.Aggregate(VarianceParts.Nothing, (sum, m) => sum + l.Of.Months[m])
                ))
                .Where(d => !d.Parts.IsNothing)
                .OrderByDescending(d => Math.Abs(d.Parts.Actual - d.Parts.Planned))
                .ThenByDescending(d => d.Parts.Actual),
        ];

        bool IsMeant(ChargeLine line, int month) => VarianceTable.Key(line, first.Plus(month), by, estate) == key;
    }
}
