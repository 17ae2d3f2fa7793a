using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What all buckets of a projection are charged, by region, tier and charge, month by month. It is the sum of parts of some buckets each: a
/// draft changes one bucket, and the other parts stand. Of storage a part has units alone, since the estate's bands make their price.
/// </summary>
internal sealed class ChargeTable
{
    private const int LeastAtOnce = 64;
    private const int MostParts = 16;

    private readonly Bill bill;
    private readonly Part[] parts;
    private readonly List<(UsedCharge Of, Line Line)> lines;

    private ChargeTable(Projection projection, Part[] parts)
    {
        (bill, this.parts) = (projection.Bill, parts);
        var prices = projection.Estate.PriceBook;
        lines =
        [
            .. prices.Regions.SelectMany(r => prices.Tiers.Select((t, i) => (Region: r.Id, Tier: t.Id, Place: i))).SelectMany(Charged),
        ];

        IEnumerable<(UsedCharge, Line)> Charged((string Region, string Tier, int Place) at)
        {
            foreach (var charge in Enum.GetValues<Charge>())
            {
                var own = parts.Select(p => p.Find(at.Region, at.Place, charge)).OfType<Line>().ToList();
                if (own.Count > 0)
                    yield return (new(at.Region, at.Tier, charge, 0, 0), Sum(own, at.Region, at.Place, charge));
            }
        }

        Line Sum(List<Line> some, string region, int tier, Charge charge)
        {
            var (calendar, sum) = (projection.Calendar, new Line(some[0].Quantities.Length, some[0].Amounts.Length));
            foreach (var line in some)
            {
                Sums.Add(line.Quantities, sum.Quantities);
                Sums.Add(line.Amounts, sum.Amounts);
            }
            if (charge != Charge.Storage)
                return sum;
            var priced = new Line(sum.Quantities, new double[calendar.Months]);
            for (var s = 0; s < sum.Amounts.Length; s++)
                priced.Amounts[calendar.MonthOfStretch(s)] += sum.Amounts[s] * bill.UnitPrice(region, tier, s);
            return priced;
        }
    }

    /// <param name="projection">Of the estate.</param>
    /// <param name="before">Over the same months: parts of buckets that use and cost the very same are taken over from there.</param>
    public static ChargeTable Of(Projection projection, ChargeTable? before = null)
    {
        var buckets = projection.Usages.Count;
        var atOnce = LeastAtOnce;
        while (atOnce * MostParts < buckets)
            atOnce *= 2;
        // Always the same buckets together, in the same order: the sums are the same to the last digit, whoever adds them up.
        var parts = new Part[(buckets + atOnce - 1) / atOnce];
        Parallel.For(
            0,
            parts.Length,
            i =>
            {
                var (first, count) = (i * atOnce, Math.Min(atOnce, buckets - (i * atOnce)));
                parts[i] = before?.Unchanged(i, projection.Bill, first, count) ?? Part.Of(projection, first, count);
            }
        );
        return new ChargeTable(projection, parts);
    }

    /// <summary>What is charged in a month, in the order of regions, tiers and charges.</summary>
    public IEnumerable<UsedCharge> Of(int month) =>
        lines
            .Select(l => l.Of with { Quantity = l.Line.Quantities[month], Amount = l.Line.Amounts[month] })
            .Where(u => u.Quantity != 0 || u.Amount != 0);

    private Part? Unchanged(int part, Bill now, int first, int count) =>
        part < parts.Length
        && (parts[part].First, parts[part].Count) == (first, count)
        && Enumerable.Range(first, count).All(b => now.Costs(b, bill, b))
            ? parts[part]
            : null;

    /// <param name="Quantities">By month.</param>
    /// <param name="Amounts">Money by month; of storage in a part, units times their schemes' factors by stretch.</param>
    private sealed record Line(double[] Quantities, double[] Amounts)
    {
        public Line(int months, int amounts)
            : this(new double[months], new double[amounts]) { }
    }

    /// <param name="First">The place of its first bucket.</param>
    /// <param name="Count">Of buckets.</param>
    /// <param name="Lines">By region; in each by tier and charge, null for what nothing is charged for.</param>
    private sealed record Part(int First, int Count, Dictionary<string, Line?[]> Lines)
    {
        private static readonly int Charges = Enum.GetValues<Charge>().Length;

        public Line? Find(string region, int tier, Charge charge) =>
            Lines.TryGetValue(region, out var own) ? own[Place(tier, charge)] : null;

        private static int Place(int tier, Charge charge) => (tier * Charges) + (int)charge;

        public static Part Of(Projection projection, int first, int count)
        {
            var (prices, calendar) = (projection.Estate.PriceBook, projection.Calendar);
            var (part, rows) = (new Part(first, count, []), new List<BillRow>());
            for (var b = first; b < first + count; b++)
            {
                var usage = projection.Usages[b];
                if (!part.Lines.TryGetValue(usage.Bucket.Region, out var lines))
                    part.Lines[usage.Bucket.Region] = lines = new Line?[prices.Tiers.Count * Charges];
                rows.Clear();
                for (var m = 0; m < calendar.Months; m++)
                    projection.Bill.AddRows(b, m, rows);
                foreach (var row in rows)
                {
                    var line = lines[Place(row.Tier, row.Charge)] ??= New(row.Charge, calendar);
                    line.Quantities[row.Month] += row.Quantity;
                    if (row.Charge != Charge.Storage)
                        line.Amounts[row.Month] += row.Amount;
                }
                var factor = prices.FindScheme(usage.Bucket.Scheme)!.StorageFactor / prices.Unit.Bytes();
                for (var tier = 0; tier < prices.Tiers.Count; tier++)
                {
                    if (lines[Place(tier, Charge.Storage)] is not { } line)
                        continue;
                    var stored = usage.Of(tier, Measure.StoredByteDays);
                    for (var s = 0; s < stored.Length; s++)
                        line.Amounts[s] += stored[s] / calendar.BilledDays(s) * factor;
                }
            }
            return part;
        }

        private static Line New(Charge charge, BillingCalendar calendar) =>
            new(calendar.Months, charge == Charge.Storage ? calendar.Stretches : calendar.Months);
    }
}
