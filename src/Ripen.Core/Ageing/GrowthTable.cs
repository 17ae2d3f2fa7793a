namespace Ripen.Core.Ageing;

/// <summary>
/// Sums of a geometric series by length. With r = (1 + yearly growth)^(1/365):
/// Power[i] = r^i, Sum[n] = Σ r^i and Ramp[n] = Σ i·r^i for i &lt; n.
/// All terms are positive and every window is scaled from its own first term, so nothing cancels:
/// a sum over one day in the thirtieth year is as exact as one over the first month.
/// </summary>
internal sealed class GrowthTable
{
    // A power is taken afresh this often, so that rounding cannot add up over decades.
    private const int Refresh = 64;

    private readonly double[]? power;
    private readonly double[]? sum;
    private readonly double[]? ramp;

    /// <summary>Steady arrivals: r = 1, in closed form.</summary>
    public static GrowthTable Steady { get; } = new();

    private GrowthTable()
    {
    }

    private GrowthTable(double yearlyGrowth, int days)
    {
        power = new double[days + 1];
        sum = new double[days + 1];
        ramp = new double[days + 1];
        var daily = Math.Pow(1 + yearlyGrowth, 1 / 365.0);
        for (var i = 0; i <= days; i++)
        {
            power[i] = i % Refresh == 0 ? Math.Pow(1 + yearlyGrowth, i / 365.0) : power[i - 1] * daily;
            if (i == days) break;
            sum[i + 1] = sum[i] + power[i];
            ramp[i + 1] = ramp[i] + i * power[i];
        }
    }

    /// <summary>The table for windows of up to <paramref name="days"/> days that begin within as many days from the series' first.</summary>
    public static GrowthTable For(double yearlyGrowth, int days) => yearlyGrowth == 0 ? Steady : new GrowthTable(yearlyGrowth, days);

    public double Power(int i) => power is null ? 1 : power[i];

    public double Sum(int n) => sum is null ? n : sum[n];

    public double Ramp(int n) => ramp is null ? n * (n - 1.0) / 2 : ramp[n];
}
