using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What all buckets of a projection are charged, by region, tier and charge, month by month.</summary>
internal sealed class ChargeTable
{
    private const int LeastAtOnce = 64;
    private const int MostParts = 16;
    private static readonly int Charges = Enum.GetValues<Charge>().Length;

    private readonly PriceBook prices;
    private readonly int months;
    private readonly double[] quantities;
    private readonly double[] amounts;

    private ChargeTable(PriceBook prices, int months)
    {
        (this.prices, this.months) = (prices, months);
        quantities = new double[prices.Regions.Count * prices.Tiers.Count * Charges * months];
        amounts = new double[quantities.Length];
    }

    public static ChargeTable Of(Projection projection)
    {
        var (prices, months, buckets) = (projection.Estate.PriceBook, projection.Calendar.Months, projection.Usages.Count);
        var places = prices.Regions.Select((r, i) => (r.Id, i)).ToDictionary(r => r.Id, r => r.i);
        // Always the same buckets together, in the same order: the sums are the same to the last digit, whoever adds them up.
        var atOnce = Math.Max(LeastAtOnce, (buckets + MostParts - 1) / MostParts);
        var parts = new ChargeTable[(buckets + atOnce - 1) / atOnce];
        Parallel.For(0, parts.Length, part => parts[part] = OfSome(part * atOnce));
        var sum = new ChargeTable(prices, months);
        foreach (var part in parts)
        {
            Sums.Add(part.quantities, sum.quantities);
            Sums.Add(part.amounts, sum.amounts);
        }
        return sum;

        ChargeTable OfSome(int first)
        {
            var (own, rows) = (new ChargeTable(prices, months), new List<BillRow>());
            for (var b = first; b < Math.Min(first + atOnce, buckets); b++)
            {
                var region = places[projection.Usages[b].Bucket.Region];
                rows.Clear();
                for (var m = 0; m < months; m++)
                    projection.Bill.AddRows(b, m, rows);
                foreach (var row in rows)
                {
                    var cell = own.Cell(region, row.Tier, row.Charge, row.Month);
                    own.quantities[cell] += row.Quantity;
                    own.amounts[cell] += row.Amount;
                }
            }
            return own;
        }
    }

    /// <summary>What is charged in a month, in the order of regions, tiers and charges.</summary>
    public IEnumerable<UsedCharge> Of(int month)
    {
        for (var region = 0; region < prices.Regions.Count; region++)
        {
            for (var tier = 0; tier < prices.Tiers.Count; tier++)
            {
                for (var charge = 0; charge < Charges; charge++)
                {
                    var cell = Cell(region, tier, (Charge)charge, month);
                    if (quantities[cell] != 0 || amounts[cell] != 0)
                        yield return new(prices.Regions[region].Id, prices.Tiers[tier].Id, (Charge)charge, quantities[cell], amounts[cell]);
                }
            }
        }
    }

    private int Cell(int region, int tier, Charge charge, int month) =>
        ((((region * prices.Tiers.Count) + tier) * Charges) + (int)charge) * months + month;
}
