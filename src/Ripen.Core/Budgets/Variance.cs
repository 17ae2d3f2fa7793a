using Ripen.Core.Billing;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Budgets;

/// <summary>
/// Money that was planned, why it became another, and what it became: planned + volume + mix + timing + price = actual.
/// </summary>
/// <param name="Planned">Money of the plan.</param>
/// <param name="Volume">There was more or less than planned of what a bucket is charged for, at planned prices.</param>
/// <param name="Mix">It lay in other tiers or regions than planned, at planned prices.</param>
/// <param name="Timing">It came in other months than planned, at planned prices; nothing over all months where these prices do not differ
/// by month.</param>
/// <param name="Price">A unit of it cost another amount than planned.</param>
/// <param name="Actual">Money in fact.</param>
public sealed record VarianceParts(double Planned, double Volume, double Mix, double Timing, double Price, double Actual)
{
    public static readonly VarianceParts Nothing = new(0, 0, 0, 0, 0, 0);

    /// <summary>Whether there is nothing to tell: what cost nothing, planned and in fact, may still have moved to where something costs.</summary>
    public bool IsNothing =>
        this is { Planned: 0, Actual: 0 } && Math.Max(Math.Abs(Volume), Math.Max(Math.Abs(Mix), Math.Abs(Timing))) < 1e-9;

    public static VarianceParts operator +(VarianceParts a, VarianceParts b) =>
        new(a.Planned + b.Planned, a.Volume + b.Volume, a.Mix + b.Mix, a.Timing + b.Timing, a.Price + b.Price, a.Actual + b.Actual);
}

/// <summary>The variance of one line of the bill, by month.</summary>
/// <param name="Line">Which.</param>
/// <param name="Months">Money.</param>
/// <param name="Planned">Quantities, in the unit of the charge.</param>
/// <param name="Actual">Quantities in fact.</param>
public sealed record LineVariance(
    ChargeLine Line,
    IReadOnlyList<VarianceParts> Months,
    IReadOnlyList<double> Planned,
    IReadOnlyList<double> Actual
);

/// <summary>
/// Splits what plan and fact differ by, as management accounting does, over everything that a bucket pays one charge for: quantities of the
/// plan are first scaled to the whole quantity in fact (volume), then to that of each tier (mix), then moved to their months (timing); what
/// is left is price. Every line and every month adds up by itself.
/// </summary>
public static class Variance
{
    /// <param name="plan">What was planned.</param>
    /// <param name="fact">What became of it, over the same months.</param>
    /// <param name="first">The first month that is compared, from 0. What lies outside takes no part.</param>
    /// <param name="months">How many are compared, at least 1.</param>
    /// <returns>For every line of either, the months that were compared.</returns>
    /// <exception cref="ArgumentException">The two are not over the same months.</exception>
    /// <exception cref="ArgumentOutOfRangeException">The months compared are not among them.</exception>
    public static IEnumerable<LineVariance> Of(MonthlyCharges plan, MonthlyCharges fact, int first, int months)
    {
        if ((plan.First, plan.Months) != (fact.First, fact.Months))
            throw new ArgumentException("Plan and fact are over different months.", nameof(fact));
        ArgumentOutOfRangeException.ThrowIfNegative(first);
        ArgumentOutOfRangeException.ThrowIfLessThan(months, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(first + months, plan.Months, nameof(months));
        return plan
            .Lines.Keys.Union(fact.Lines.Keys)
            .GroupBy(l => (l.Bucket, l.Charge))
            .SelectMany(group => Split([.. group.Select(l => new Compared(l, plan, fact, first, months))]));
    }

    private static IEnumerable<LineVariance> Split(List<Compared> lines)
    {
        var (planned, actual) = (lines.Sum(l => l.Planned), lines.Sum(l => l.Actual));
        foreach (var line in lines)
        {
            var months = new VarianceParts[line.Plan.Quantities.Length];
            for (var m = 0; m < months.Length; m++)
            {
                var (was, now) = (line.Plan.Quantities[m], line.Fact.Quantities[m]);
                var price = PlannedPrice(line, m);
                // At each step the plan comes closer to what was; a line that was not planned comes in whole.
                var scaled = planned > 0 ? was * actual / planned : now;
                var mixed = line.Planned > 0 ? was * line.Actual / line.Planned : now;
                months[m] = new VarianceParts(
                    line.Plan.Amounts[m],
                    (scaled - was) * price,
                    (mixed - scaled) * price,
                    (now - mixed) * price,
                    line.Fact.Amounts[m] - line.Plan.Amounts[m] - ((now - was) * price),
                    line.Fact.Amounts[m]
                );
            }
            yield return new LineVariance(line.Line, months, line.Plan.Quantities, line.Fact.Quantities);
        }
    }

    /// <summary>One line in the months that are compared.</summary>
    private sealed class Compared
    {
        public Compared(ChargeLine line, MonthlyCharges plan, MonthlyCharges fact, int first, int months)
        {
            (Line, Plan, Fact) = (line, Cut(plan), Cut(fact));
            (Planned, Actual) = (Plan.Quantities.Sum(), Fact.Quantities.Sum());

            LineAmounts Cut(MonthlyCharges of) =>
                of.Lines.TryGetValue(line, out var own)
                    ? new LineAmounts(own.Quantities[first..(first + months)], own.Amounts[first..(first + months)])
                    : new LineAmounts(new double[months], new double[months]);
        }

        public ChargeLine Line { get; }
        public LineAmounts Plan { get; }
        public LineAmounts Fact { get; }

        /// <summary>Quantity over all months compared.</summary>
        public double Planned { get; }
        public double Actual { get; }
    }

    /// <summary>What a unit was planned to cost: as the line has it in that month, else over all months. What nobody planned has no other price
    /// than the one that it came to.</summary>
    private static double PlannedPrice(Compared line, int month) =>
        line.Plan.Quantities[month] > 0 ? line.Plan.Amounts[month] / line.Plan.Quantities[month]
        : line.Planned > 0 ? line.Plan.Amounts.Sum() / line.Planned
        : line.Fact.Quantities[month] > 0 ? line.Fact.Amounts[month] / line.Fact.Quantities[month]
        : 0;
}
