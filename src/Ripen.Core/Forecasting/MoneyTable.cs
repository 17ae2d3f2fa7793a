using Ripen.Core.Ageing;
using Ripen.Core.Billing;

namespace Ripen.Core.Forecasting;

/// <summary>Money of a whole estate by month, summed up three ways; each way adds up to the same.</summary>
/// <param name="ByCharge">In the order of <see cref="Charge"/>, then by month.</param>
/// <param name="ByTier">From warm to cold, then by month.</param>
/// <param name="ByRegion">By the region's id, then by month.</param>
public sealed record MoneyTable(double[][] ByCharge, double[][] ByTier, IReadOnlyDictionary<string, double[]> ByRegion)
{
    private const int BucketsAtOnce = 64;

    internal static MoneyTable Of(Projection projection)
    {
        // Always the same buckets together, in the same order: the sums are the same to the last digit, whoever adds them up.
        var parts = new MoneyTable[(projection.Usages.Count + BucketsAtOnce - 1) / BucketsAtOnce];
        Parallel.For(0, parts.Length, part => parts[part] = OfSome(part * BucketsAtOnce));
        var sum = Empty();
        foreach (var own in parts)
        {
            Add(own.ByCharge, sum.ByCharge);
            Add(own.ByTier, sum.ByTier);
            foreach (var (region, money) in own.ByRegion)
                Sums.Add(money, sum.ByRegion[region]);
        }
        return sum;

        MoneyTable OfSome(int first)
        {
            var (own, rows) = (Empty(), new List<BillRow>());
            for (var b = first; b < Math.Min(first + BucketsAtOnce, projection.Usages.Count); b++)
            {
                rows.Clear();
                for (var m = 0; m < projection.Calendar.Months; m++)
                    projection.Bill.AddRows(b, m, rows);
                var region = own.ByRegion[projection.Usages[b].Bucket.Region];
                foreach (var row in rows)
                {
                    own.ByCharge[(int)row.Charge][row.Month] += row.Amount;
                    own.ByTier[row.Tier][row.Month] += row.Amount;
                    region[row.Month] += row.Amount;
                }
            }
            return own;
        }

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
