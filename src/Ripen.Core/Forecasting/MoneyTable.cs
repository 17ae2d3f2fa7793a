using Ripen.Core.Billing;

namespace Ripen.Core.Forecasting;

/// <summary>Money of a whole estate by month, summed up three ways; each way adds up to the same.</summary>
/// <param name="ByCharge">In the order of <see cref="Charge"/>, then by month.</param>
/// <param name="ByTier">By the tier's id, then by month; empty for what is agreed for no tier.</param>
/// <param name="ByRegion">By the region's id, then by month; empty for what is agreed for no region.</param>
public sealed record MoneyTable(
    double[][] ByCharge,
    IReadOnlyDictionary<string, double[]> ByTier,
    IReadOnlyDictionary<string, double[]> ByRegion
)
{
    internal static MoneyTable Of(Projection projection)
    {
        var (months, prices) = (projection.Calendar.Months, projection.Estate.PriceBook);
        var table = new MoneyTable(
            [.. Enum.GetValues<Charge>().Select(_ => new double[months])],
            prices.Tiers.Select(t => t.Id).Append("").ToDictionary(t => t, _ => new double[months]),
            prices.Regions.Select(r => r.Id).Append("").ToDictionary(r => r, _ => new double[months])
        );
        for (var m = 0; m < months; m++)
        {
            foreach (var used in projection.Charges.Of(m))
                Add(used.Charge, used.Tier, used.Region, used.Amount);
            foreach (var line in projection.Agreed(m))
                Add(line.Charge, line.Tier, line.Region, line.Amount);

            void Add(Charge charge, string tier, string region, double amount)
            {
                table.ByCharge[(int)charge][m] += amount;
                table.ByTier[tier][m] += amount;
                table.ByRegion[region][m] += amount;
            }
        }
        return table;
    }
}
