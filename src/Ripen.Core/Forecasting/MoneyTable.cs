using Ripen.Core.Ageing;
using Ripen.Core.Billing;

namespace Ripen.Core.Forecasting;

/// <summary>Money of a whole estate by month, summed up three ways; each way adds up to the same.</summary>
/// <param name="ByCharge">In the order of <see cref="Charge"/>, then by month.</param>
/// <param name="ByTier">From warm to cold, then by month.</param>
/// <param name="ByRegion">By the region's id, then by month.</param>
public sealed record MoneyTable(double[][] ByCharge, double[][] ByTier, IReadOnlyDictionary<string, double[]> ByRegion)
{
    internal static MoneyTable Of(Projection projection)
    {
        var sum = Empty();
        Parallel.For(
            0,
            projection.Usages.Count,
            () => (Own: Empty(), Rows: new List<BillRow>()),
            (b, _, of) =>
            {
                of.Rows.Clear();
                for (var m = 0; m < projection.Calendar.Months; m++)
                    projection.Bill.AddRows(b, m, of.Rows);
                var region = of.Own.ByRegion[projection.Usages[b].Bucket.Region];
                foreach (var row in of.Rows)
                {
                    of.Own.ByCharge[(int)row.Charge][row.Month] += row.Amount;
                    of.Own.ByTier[row.Tier][row.Month] += row.Amount;
                    region[row.Month] += row.Amount;
                }
                return of;
            },
            of =>
            {
                lock (sum)
                {
                    Add(of.Own.ByCharge, sum.ByCharge);
                    Add(of.Own.ByTier, sum.ByTier);
                    foreach (var (region, own) in of.Own.ByRegion)
                        Sums.Add(own, sum.ByRegion[region]);
                }
            }
        );
        return sum;

        MoneyTable Empty()
        {
            var (months, prices) = (projection.Calendar.Months, projection.Estate.PriceBook);
            return new(
                [.. Enum.GetValues<Charge>().Select(_ => new double[months])],
                [.. prices.Tiers.Select(_ => new double[months])],
                prices.Regions.ToDictionary(r => r.Id, _ => new double[months])
            );
        }
    }

    private static void Add(double[][] some, double[][] to)
    {
        for (var i = 0; i < to.Length; i++)
            Sums.Add(some[i], to[i]);
    }
}
