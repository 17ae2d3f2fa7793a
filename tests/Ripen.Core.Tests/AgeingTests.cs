using Ripen.Core.Ageing;
using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

public class AgeingTests
{
    [Fact]
    public void A_snapshot_holds_what_the_day_loop_holds() =>
        RandomEstates.Check(
            60,
            estate =>
            {
                foreach (var days in new[] { 0, 1, 47, 30 * RandomEstates.Months(estate, 7) })
                {
                    var day = estate.Today.AddDays(days);
                    var expected = DayLoop.Contents(estate, day);
                    foreach (var bucket in estate.Buckets)
                    {
                        var contents = Snapshot.Of(bucket, estate, day).Tiers.ToDictionary(t => t.Tier);
                        foreach (var tier in estate.PriceBook.Tiers)
                        {
                            var byAge = new double[AgeBins.Starts.Count];
                            // Catch-up copies arrive on the first day: on its morning they are not there yet.
                            foreach (
                                var (age, bytes) in days == 0 ? Counted(bucket, tier.Id, estate.Today) : expected[(bucket.Name, tier.Id)]
                            )
                                byAge[BinOf(age)] += bytes;
                            var actual = contents.TryGetValue(tier.Id, out var found) ? found.BytesByAge : new double[byAge.Length];
                            for (var bin = 0; bin < byAge.Length; bin++)
                            {
                                if (!Compare.Close(byAge[bin], actual[bin]))
                                    return $"{bucket.Name} {tier.Id} on day {days}, age {AgeBins.Starts[bin]}: {byAge[bin]}, not "
                                        + $"{actual[bin]}";
                            }
                        }
                    }
                }
                return null;
            }
        );

    [Fact]
    public void Bins_rise_from_the_first_day_to_the_axis_end()
    {
        Assert.Equal(0, AgeBins.Starts[0]);
        Assert.Equal(AgeBins.Starts.Order().Distinct(), AgeBins.Starts);
        Assert.InRange(AgeBins.Starts[^1], 3650, AgeBins.Oldest);
    }

    [Fact]
    public void A_strip_has_a_lane_for_each_prefix_with_rules_and_one_for_the_rest()
    {
        var strip = AgeStrip.Of(Samples.Demo().Find("deck-cameras")!, Samples.Demo().PriceBook, Samples.Demo().Today);
        Assert.Equal(["bow/", "stern/", "incidents/"], strip.Lanes.Select(l => l.Prefix));
        Assert.Equal([new StripBand("counter", 0, 9), new StripBand("pantry", 9, 31)], strip.Lanes[0].Bands);
        Assert.Empty(strip.Lanes[0].ShortStays);
        // Stern footage moves at 12 days, and its 19 in the pantry are short of 21.
        Assert.Equal(new ShortStay("pantry", 31, 33, 19, 21), Assert.Single(strip.Lanes[1].ShortStays));
        Assert.Equal(31, strip.KeepDays);
        Assert.Equal(
            "",
            Assert.Single(AgeStrip.Of(Samples.Demo().Find("port-sonar")!, Samples.Demo().PriceBook, Samples.Demo().Today).Lanes).Prefix
        );
    }

    [Fact]
    public void Overdue_stock_makes_one_move_to_the_coldest_step_it_is_old_enough_for()
    {
        var bucket = Samples.Bucket([], [new Step { Age = 30, Tier = "pantry" }, new Step { Age = 60, Tier = "cave" }], 500) with
        {
            Stock =
            [
                Lot(100, objects: 7, inTier: 10),
                Lot(40, objects: 5, inTier: 40),
                Lot(10, objects: 3, inTier: 10),
                Lot(600, objects: 2, inTier: 600),
            ],
        };
        var run = TodaysRun.Of(bucket, Samples.Around(bucket));
        Assert.Equal([(null, 2.0), ("pantry", 5.0), ("cave", 7.0)], run.Select(m => (m.ToTier, m.Objects)));
        Assert.All(run, m => Assert.Equal(0, m.EarlyLeaveByteDays));
    }

    [Fact]
    public void Leaving_early_today_is_counted_from_when_the_stock_came_into_its_tier()
    {
        var bucket = Samples.Bucket([], [new Step { Age = 60, Tier = "cave" }], null) with
        {
            Stock = [Lot(100, objects: 4, inTier: 12) with { Tier = "pantry" }],
        };
        var move = Assert.Single(TodaysRun.Of(bucket, Samples.Around(bucket)));
        Assert.Equal(4 * 1_000_000.0 * (20 - 12), move.EarlyLeaveByteDays, 1e-6);
    }

    [Fact]
    public void The_next_step_goes_to_the_next_tier_on_offer_after_the_minimum_stay()
    {
        var prices = Samples.Small().PriceBook;
        var bucket = Samples.Bucket([], [], null);
        Assert.Equal(new Step { Age = 30, Tier = "pantry" }, NextStep.After([], bucket, prices));
        Assert.Equal(
            new Step { Age = 135, Tier = "cave" },
            NextStep.After([new Step { Age = 60, Tier = "cellar" }, new Step { Age = 20, Tier = "pantry" }], bucket, prices)
        );
        Assert.Null(NextStep.After([new Step { Age = 60, Tier = "cave" }], bucket, prices));
        Assert.Equal("cave", NextStep.After([], bucket with { Region = "kestrel-sound" }, prices)!.Tier);
    }

    private static Lot Lot(int age, long objects, int inTier) =>
        new()
        {
            Created = Samples.Small().Today.AddDays(-age),
            InTierSince = Samples.Small().Today.AddDays(-inTier),
            Tier = "counter",
            Objects = objects,
            BytesPerObject = 1_000_000,
        };

    private static IEnumerable<(int Age, double Bytes)> Counted(Bucket bucket, string tier, DateOnly today) =>
        bucket.Stock.Where(l => l.Tier == tier).Select(l => (today.DayNumber - l.Created.DayNumber, (double)l.Objects * l.BytesPerObject));

    private static int BinOf(int age) => AgeBins.Starts.Select((start, i) => (start, i)).Last(b => b.start <= age).i;
}
