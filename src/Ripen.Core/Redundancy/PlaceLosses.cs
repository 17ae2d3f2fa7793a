using Ripen.Core.Pricing;

namespace Ripen.Core.Redundancy;

/// <summary>
/// How often an object is lost because a whole zone or region is destroyed, alone or together with failed devices. Devices, zones and
/// regions fail and are made good independently, each part whole or gone; an object is lost when an event leaves fewer fragments than are
/// needed. The frequency of such events in the steady state is the sum over events of their rate times the chance that the event is the one
/// too many (frequency of failure of a repairable system: Singh and Billinton, "System Reliability Modelling and Evaluation", 1977; from
/// memory). Losses to devices alone are <see cref="Durability"/>'s and not counted here.
/// </summary>
public static class PlaceLosses
{
    /// <summary>Losses a year; fragments of a destroyed place are whole again elsewhere after the hazards' repair hours.</summary>
    public static double PerYear(Placement placement, Hazards hazards)
    {
        var repairYears = hazards.RepairHours / Durability.HoursPerYear;
        var deviceRate = Durability.FailureRate(hazards.DeviceFailuresPerYear) * Durability.HoursPerYear;
        var (device, zone, region) = (
            Up(deviceRate, repairYears),
            Up(hazards.ZonesDestroyedPerYear, repairYears),
            Up(hazards.RegionsDestroyedPerYear, repairYears)
        );
        var regions = placement
            .Fragments.GroupBy(f => f.Region)
            .Select(r => r.GroupBy(f => f.Zone).Select(z => Left.OfDevices(z.Count(), device)).ToList())
            .ToList();
        var whole = regions.ConvertAll(zones => zones.Aggregate(Left.Nothing, (sum, z) => sum.And(z.OrGone(zone))));
        var total = 0.0;
        // Fragments are dealt in turn, so that most places are alike: one stands for all of its kind.
        foreach (var alike in Enumerable.Range(0, regions.Count).GroupBy(r => string.Join(',', regions[r].Select(z => z.Most))))
        {
            var r = alike.First();
            var elsewhere = AllBut(whole, r, w => w.OrGone(region));
            total += alike.Count() * hazards.RegionsDestroyedPerYear * region * elsewhere.IsLostWithout(whole[r], placement.Needed);
            foreach (var zones in Enumerable.Range(0, regions[r].Count).GroupBy(z => regions[r][z].Most))
            {
                // The zone is there, and so is its region; the rest of the region and the other regions are as they are.
                var z = zones.First();
                var others = elsewhere.And(AllBut(regions[r], z, d => d.OrGone(zone)));
                total +=
                    alike.Count()
                    * zones.Count()
                    * hazards.ZonesDestroyedPerYear
                    * zone
                    * region
                    * others.IsLostWithout(regions[r][z], placement.Needed);
            }
        }
        var all = whole.Aggregate(Left.Nothing, (sum, w) => sum.And(w.OrGone(region)));
        // Each of the fragments that are just enough may be the next to fail, while a place is gone.
        return total + (deviceRate * placement.Needed * all.WhileGone(placement.Needed));
    }

    private static double Up(double ratePerYear, double repairYears) => 1 / (1 + (ratePerYear * repairYears));

    private static Left AllBut(IReadOnlyList<Left> parts, int without, Func<Left, Left> each) =>
        parts.Where((_, i) => i != without).Aggregate(Left.Nothing, (sum, part) => sum.And(each(part)));

    /// <summary>How many fragments are left, by chance: with every place there, and with one gone at least.</summary>
    private sealed record Left(double[] There, double[] Gone)
    {
        public static readonly Left Nothing = new([1], [0]);

        /// <summary>Fragments when nothing failed.</summary>
        public int Most => There.Length - 1;

        public static Left OfDevices(int count, double up)
        {
            double[] left = [1];
            for (var i = 0; i < count; i++)
                left = Convolution.Of(left, [1 - up, up]);
            return new Left(left, new double[left.Length]);
        }

        public Left And(Left other)
        {
            var all = Convolution.Of(Gone, Sum(other.There, other.Gone));
            return new Left(Convolution.Of(There, other.There), Sum(all, Convolution.Of(There, other.Gone)));
        }

        /// <summary>The same while a place around it is there, and nothing while that is gone.</summary>
        public Left OrGone(double up)
        {
            var gone = Gone.Select(p => p * up).ToArray();
            gone[0] += 1 - up;
            return new Left([.. There.Select(p => p * up)], gone);
        }

        /// <summary>The chance that with <paramref name="part"/> there is enough, and without it there is not.</summary>
        public double IsLostWithout(Left part, int needed)
        {
            var (rest, of) = (Sum(There, Gone), Sum(part.There, part.Gone));
            var enough = of.Reverse()
                .Aggregate(
                    new List<double> { 0 },
                    (sums, p) =>
                    {
                        sums.Add(sums[^1] + p);
                        return sums;
                    }
                );
            enough.Reverse();
            // enough[i] is the chance that the part has i fragments or more.
            return rest.Take(needed).Select((p, n) => needed - n < enough.Count ? p * enough[needed - n] : 0).Sum();
        }

        public double WhileGone(int fragments) => fragments < Gone.Length ? Gone[fragments] : 0;

        private static double[] Sum(double[] a, double[] b) => [.. a.Zip(b, (x, y) => x + y)];
    }
}

/// <summary>The distribution of the sum of two independent whole numbers.</summary>
internal static class Convolution
{
    public static double[] Of(double[] a, double[] b)
    {
        var sum = new double[a.Length + b.Length - 1];
        for (var i = 0; i < a.Length; i++)
        {
            for (var j = 0; j < b.Length; j++)
                sum[i + j] += a[i] * b[j];
        }
        return sum;
    }
}
