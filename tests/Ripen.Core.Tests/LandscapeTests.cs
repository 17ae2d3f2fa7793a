using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

/// <summary>The picture of what lies where at which age: against the day by day count, and by hand.</summary>
public sealed class LandscapeTests
{
    [Fact]
    public void It_holds_what_a_day_by_day_count_has_on_those_mornings() =>
        RandomEstates.Check(
            15,
            estate =>
            {
                const int months = 4;
                var landscape = Landscape.Of(estate, Projection.Of(estate, months + 1).Copies, months);
                for (var d = 0; d < landscape.Days.Count; d++)
                {
                    var there = DayLoop.Contents(estate, landscape.Days[d]);
                    foreach (var tier in estate.PriceBook.Tiers.Select(t => t.Id))
                    {
                        var counted = new double[AgeBins.Starts.Count];
                        foreach (var (age, bytes) in estate.Buckets.SelectMany(b => there[(b.Name, tier)]))
                            counted[AgeBins.Starts.ToList().FindLastIndex(s => s <= age)] += bytes;
                        var drawn = landscape.Tiers.FirstOrDefault(t => t.Tier == tier)?.Bytes[d] ?? new double[counted.Length];
                        for (var bin = 0; bin < counted.Length; bin++)
                        {
                            if (Math.Abs(counted[bin] - drawn[bin]) > 1e-6 * Math.Max(1, counted[bin]))
                                return $"{landscape.Days[d]} {tier} bin {bin}: {drawn[bin]} drawn, {counted[bin]} counted";
                        }
                    }
                }
                return null;
            }
        );

    [Fact]
    public void Its_days_are_in_equal_steps_and_never_too_many()
    {
        var estate = Samples.Single(Samples.Steady(2, 1_000_000), [new Step { Age = 30, Tier = "pantry" }], 90);
        foreach (var (months, days, last) in new[] { (1, 2, 1), (60, 61, 60), (61, 31, 60), (120, 61, 120), (360, 61, 360) })
        {
            var landscape = Landscape.Of(estate, Projection.Of(estate, months + 1).Copies, months);
            Assert.Equal((days, estate.Today.AddMonths(last)), (landscape.Days.Count, landscape.Days[^1]));
            if (months < 12)
                continue;
            // Settled: thirty days of arrivals in the one tier, sixty in the other.
            Assert.Equal(["counter", "pantry"], landscape.Tiers.Select(t => t.Tier));
            Assert.Equal([60e6, 120e6], landscape.Tiers.Select(t => t.Bytes[^1].Sum()), (a, b) => Math.Abs(a - b) <= 2e6);
        }
    }
}
