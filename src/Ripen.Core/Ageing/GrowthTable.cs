namespace Ripen.Core.Ageing;

/// <summary>
/// Sums of a geometric series by length. With r = (1 + yearly growth)^(1/365): Power[i] = r^i, Sum[n] = Σ r^i and Ramp[n] = Σ i·r^i for i
/// &lt; n. All terms are positive and every window is scaled from its own first term, so nothing cancels: a sum over one day in the
/// thirtieth year is as exact as one over the first month.
/// </summary>
internal sealed class GrowthTable
{
    // A power is taken afresh this often, so that rounding cannot add up over decades.
    private const int Refresh = 64;

    private readonly double[] power;
    private readonly double[] sum;
    private readonly double[] ramp;

    private GrowthTable(int days)
    {
        power = new double[days + 1];
        sum = new double[days + 1];
        ramp = new double[days + 1];
    }

    public double Power(int i) => power[i];

    public double Sum(int n) => sum[n];

    public double Ramp(int n) => ramp[n];

    private void Fill(double yearlyGrowth)
    {
        var daily = Math.Pow(1 + yearlyGrowth, 1 / 365.0);
        var (p, s, q) = (1.0, 0.0, 0.0);
        for (var i = 0; i < power.Length; i++)
        {
            if (i % Refresh == 0)
                p = Math.Pow(1 + yearlyGrowth, i / 365.0);
            power[i] = p;
            sum[i] = s;
            ramp[i] = q;
            s += p;
            q += i * p;
            p *= daily;
        }
    }

    /// <summary>
    /// The tables of one computation. Most estates have few growths, which are kept; beyond that the oldest table is filled anew, so that
    /// a thousand growths cost the memory of a few. A table therefore holds only while no more than <see cref="Kept"/> others are asked
    /// for.
    /// </summary>
    public sealed class Shelf(int days)
    {
        private const int Kept = 16;

        private readonly (double Growth, GrowthTable Table)[] tables = new (double, GrowthTable)[Kept];
        private int next;

        /// <summary>Null for no growth, where every sum has a closed form.</summary>
        public GrowthTable? For(double yearlyGrowth)
        {
            if (yearlyGrowth == 0)
                return null;
            foreach (var (growth, known) in tables)
            {
                if (known is not null && growth == yearlyGrowth)
                    return known;
            }
            var table = tables[next].Table ?? new GrowthTable(days);
            table.Fill(yearlyGrowth);
            tables[next] = (yearlyGrowth, table);
            next = (next + 1) % Kept;
            return table;
        }
    }
}
