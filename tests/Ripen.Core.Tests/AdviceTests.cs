using Ripen.Core.Advice;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

public sealed class AdviceTests
{
    private static readonly Estate Demo = Samples.Demo();

    private static readonly StorageQuestions Recordings = new()
    {
        Use = DataUse.WholeObjects,
        ObjectsPerDay = 40,
        BytesPerObject = 700_000_000,
        GoneAfterDays = 2557,
        ShareReadPerMonth = 0.0001,
        MostWaitHours = 24,
        Survives = Spread.Zone,
    };

    [Fact]
    public void What_is_rarely_read_and_can_wait_goes_to_the_coldest_tier_and_what_cannot_wait_does_not()
    {
        Assert.Equal("cave", StorageAdvice.Of(Demo, Recordings).Draft!.Tier);
        var atOnce = StorageAdvice.Of(Demo, Recordings with { MostWaitHours = 0 });
        Assert.Contains(atOnce.Draft!.Tier, new[] { "counter", "pantry" });
        Assert.Contains(atOnce.Reasons, r => r.Contains("Cave would be cheaper", StringComparison.Ordinal));
    }

    [Fact]
    public void What_is_read_all_the_time_stays_warm() =>
        Assert.Equal("counter", StorageAdvice.Of(Demo, Recordings with { ShareReadPerMonth = 30 }).Draft!.Tier);

    [Fact]
    public void The_draft_is_valid_meets_the_demands_and_costs_what_was_said()
    {
        foreach (var part in Enum.GetValues<Spread>())
        {
            var advice = StorageAdvice.Of(Demo, Recordings with { Survives = part });
            var draft = advice.Draft!;
            var json = System.Text.Json.JsonSerializer.Serialize(draft, EstateDocument.Json);
            Assert.True(EstateDocument.ReadBucket(json, Demo, null).Ok);
            Assert.Equal(advice.Choices.Min(c => c.CostAYear), advice.Choices[0].CostAYear);
            // Advice goes by list prices: what is agreed is of the estate as a whole.
            var rows = Projection.Of(Demo with { PriceBook = Demo.PriceBook.ListPrices(), Buckets = [draft] }, 60).Rows().ToList();
            Assert.Equal(
                advice.Choices[0].CostAYear,
                rows.Where(r => string.CompareOrdinal(r.Month.ToString(), "2030-11") >= 0).Sum(r => r.Amount),
                6
            );
            foreach (var choice in advice.Choices)
                Assert.Equal(choice.CostAYear, choice.Terms.Sum(t => t.Quantity / t.Per * t.Price * t.Factor), 1e-11 * choice.CostAYear);
        }
        Assert.Equal("two-regions", StorageAdvice.Of(Demo, Recordings with { Survives = Spread.Region }).Draft!.Scheme);
    }

    [Fact]
    public void A_scheme_over_three_zones_is_not_advised_where_there_is_one()
    {
        var advice = StorageAdvice.Of(Demo, Recordings with { Region = "quarrydown", MostWaitHours = 0 });
        Assert.Null(advice.Draft);
        Assert.NotNull(StorageAdvice.Of(Demo, Recordings with { Region = "quarrydown", MostWaitHours = 0, Survives = Spread.Rack }).Draft);
    }

    [Fact]
    public void What_is_edited_in_place_is_told_so() =>
        Assert.Contains(
            StorageAdvice.Of(Demo, Recordings with { Use = DataUse.MachineDisk }).Reasons,
            r => r.Contains("backups, not for the volume", StringComparison.Ordinal)
        );

    [Fact]
    public void Impossible_answers_are_refused_with_their_path()
    {
        var problems = StorageAdvice.Check(
            Recordings with
            {
                ObjectsPerDay = -1,
                ShareReadPerMonth = double.NaN,
                GoneAfterDays = 0,
                Region = "atlantis",
            },
            Demo.PriceBook
        );
        Assert.Equal(["$.goneAfterDays", "$.objectsPerDay", "$.region", "$.shareReadPerMonth"], problems.Select(p => p.Path).Order());
    }
}
