using System.Runtime.InteropServices;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Budgets;

/// <summary>What a line of a bill is for, and where.</summary>
public readonly record struct ChargeLine(string Bucket, string Region, string Tier, Charge Charge);

/// <summary>Quantities, in the unit of the charge, and money of one line by month.</summary>
public sealed record LineAmounts(double[] Quantities, double[] Amounts);

/// <summary>What is charged over some calendar months, planned or in fact, line by line.</summary>
public sealed class MonthlyCharges
{
    private readonly Dictionary<ChargeLine, LineAmounts> lines;

    /// <param name="first">The first month.</param>
    /// <param name="months">How many, at least 1.</param>
    /// <param name="lines">Of so many months each.</param>
    public MonthlyCharges(Month first, int months, Dictionary<ChargeLine, LineAmounts> lines)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(months, 1);
        if (lines.Values.Any(l => l.Quantities.Length != months || l.Amounts.Length != months))
            throw new ArgumentException("A line is of another number of months.", nameof(lines));
        (First, Months, this.lines) = (first, months, lines);
    }

    /// <param name="first">The first month.</param>
    /// <param name="months">How many, at least 1.</param>
    /// <param name="rows">Rows of one line and month are added up; rows of other months are left out.</param>
    public MonthlyCharges(Month first, int months, IEnumerable<ForecastRow> rows)
        : this(first, months, new Dictionary<ChargeLine, LineAmounts>())
    {
        foreach (var row in rows)
        {
            var month = row.Month.Since(first);
            if (month < 0 || month >= months)
                continue;
            var line = new ChargeLine(row.Bucket, row.Region, row.Tier, row.Charge);
            var own = CollectionsMarshal.GetValueRefOrAddDefault(lines, line, out _) ??= new LineAmounts(
                new double[months],
                new double[months]
            );
            own.Quantities[month] += row.Quantity;
            own.Amounts[month] += row.Amount;
        }
    }

    public Month First { get; }

    public int Months { get; }

    public IReadOnlyDictionary<ChargeLine, LineAmounts> Lines => lines;

    /// <summary>Both together.</summary>
    /// <exception cref="ArgumentException">The two are not over the same months.</exception>
    public MonthlyCharges And(MonthlyCharges other)
    {
        if ((First, Months) != (other.First, other.Months))
            throw new ArgumentException("The two are over different months.", nameof(other));
        var sum = new MonthlyCharges(First, Months, new Dictionary<ChargeLine, LineAmounts>());
        foreach (var (line, own) in lines.Concat(other.lines))
        {
            var of = CollectionsMarshal.GetValueRefOrAddDefault(sum.lines, line, out _) ??= new LineAmounts(
                new double[Months],
                new double[Months]
            );
            Ageing.Sums.Add(own.Quantities, of.Quantities);
            Ageing.Sums.Add(own.Amounts, of.Amounts);
        }
        return sum;
    }

    /// <summary>Money by month.</summary>
    public double[] InAll()
    {
        var sums = new double[Months];
        foreach (var own in lines.Values)
            Ageing.Sums.Add(own.Amounts, sums);
        return sums;
    }

    /// <summary>Every row there is, by month and line; months of nothing are left out.</summary>
    /// <param name="unit">Of the price book.</param>
    public IEnumerable<ForecastRow> Rows(Pricing.SizeUnit unit) =>
        from month in Enumerable.Range(0, Months)
        from line in lines
            .OrderBy(l => l.Key.Bucket, StringComparer.Ordinal)
            .ThenBy(l => l.Key.Region, StringComparer.Ordinal)
            .ThenBy(l => l.Key.Tier, StringComparer.Ordinal)
            .ThenBy(l => l.Key.Charge)
        let quantity = line.Value.Quantities[month]
        let amount = line.Value.Amounts[month]
        where quantity != 0 || amount != 0
        select new ForecastRow(
            First.Plus(month),
            line.Key.Bucket,
            line.Key.Region,
            line.Key.Tier,
            line.Key.Charge,
            quantity,
            Units.Of(line.Key.Charge, unit),
            amount
        );
}
