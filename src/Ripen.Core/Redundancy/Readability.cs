using Ripen.Core.Pricing;

namespace Ripen.Core.Redundancy;

/// <summary>The share of time in which an object can be read: enough fragments are on devices, in zones and in regions that are
/// up.</summary>
public static class Readability
{
    /// <summary>
    /// Exact for parts that fail independently: the distribution of reachable fragments is built up from devices to zones to regions.
    /// A device is up for MTTF / (MTTF + MTTR) of the time, a zone or region for 1 − outages × hours / 8766.
    /// </summary>
    public static double ShareOfTime(Placement placement, Hazards hazards)
    {
        var device = 1 / (1 + (Durability.FailureRate(hazards.DeviceFailuresPerYear) * hazards.RepairHours));
        var zone = Up(hazards.ZoneOutagesPerYear, hazards.ZoneOutageHours);
        var region = Up(hazards.RegionOutagesPerYear, hazards.RegionOutageHours);
        double[] reachable = [1];
        foreach (var inRegion in placement.Fragments.GroupBy(f => f.Region))
        {
            double[] ofRegion = [1];
            foreach (var inZone in inRegion.GroupBy(f => f.Zone))
                ofRegion = Convolution.Of(ofRegion, OrNone(Devices(inZone.Count(), device), zone));
            reachable = Convolution.Of(reachable, OrNone(ofRegion, region));
        }
        return Math.Min(1, reachable.Skip(placement.Needed).Sum());
    }

    private static double Up(double outagesPerYear, double hours) => Math.Max(0, 1 - (outagesPerYear * hours / Durability.HoursPerYear));

    private static double[] Devices(int count, double up)
    {
        double[] reachable = [1];
        for (var i = 0; i < count; i++)
            reachable = Convolution.Of(reachable, [1 - up, up]);
        return reachable;
    }

    /// <summary>The same distribution while the place is up, and nothing while it is down.</summary>
    private static double[] OrNone(double[] reachable, double up)
    {
        var shares = reachable.Select(p => p * up).ToArray();
        shares[0] += 1 - up;
        return shares;
    }
}
