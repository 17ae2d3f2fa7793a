using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>What lies in buckets, folded into lots: less to compute with, and the same bill.</summary>
public sealed class StockTests
{
    private static readonly LifecycleRule[] Rules =
    [
        new()
        {
            Id = "mid-name",
            Prefix = "logs/cam-1",
            Steps = [new Step { Age = 1, Tier = "pantry" }],
            ExpireAt = 40,
        },
        new()
        {
            Id = "large",
            Prefix = "logs/",
            SmallestBytes = 30_000,
            Steps = [new Step { Age = 3, Tier = "cave" }],
        },
    ];

    [Fact]
    public async Task Many_sizes_fold_into_few_lots_that_cost_what_the_objects_cost()
    {
        var estate = TestProvider.OneBucket(b => b with { Rules = Rules });
        using var provider = new TestProvider(estate);
        var random = new Random(7);
        var single = new List<Lot>();
        for (var i = 0; i < 260; i++)
        {
            var key = $"logs/cam-{i % 3}/{i}.bin";
            var bytes = random.Next(0, 200_000);
            await provider.Put(key, new byte[bytes]);
            single.Add(
                new Lot
                {
                    Prefix = key,
                    Created = estate.Today,
                    InTierSince = estate.Today,
                    Tier = "counter",
                    Objects = 1,
                    BytesPerObject = bytes,
                }
            );
        }
        var lots = provider.Inside.Stock(null).Buckets["harbour"].Lots;
        Assert.InRange(lots.Count, 1, 150);
        Assert.Equal(260, lots.Sum(l => l.Count));
        Assert.Equal(single.Sum(l => (double)l.BytesPerObject), lots.Sum(l => l.Count * l.BytesPerObject));
        Assert.Null(Compare.Difference(Bill(estate, single), Bill(estate, lots)));

        // A rule that is only drafted, with a prefix that ends in the middle of names, is matched exactly as well.
        LifecycleRule[] drafted =
        [
            new LifecycleRule
            {
                Id = "draft",
                Prefix = "logs/cam-2/1",
                SmallestBytes = 77_777,
                Steps = [new Step { Age = 2, Tier = "cave" }],
                ExpireAt = 9,
            },
        ];
        var withDraft = estate with { Buckets = [estate.Buckets[0] with { Rules = drafted }] };
        Assert.Null(
            Compare.Difference(Bill(withDraft, single), Bill(withDraft, provider.Inside.StockFor("harbour", withDraft.Buckets[0])))
        );

        static List<ForecastRow> Bill(Estate estate, IReadOnlyList<Lot> stock) =>
            [.. Projection.Of(estate with { Buckets = [estate.Buckets[0] with { Stock = stock }] }, 6).Rows()];
    }

    [Fact]
    public async Task A_rule_that_asks_for_tags_finds_exactly_what_carries_them_also_while_it_is_drafted()
    {
        var estate = TwoPlaces.Estate(null);
        using var provider = new TestProvider(estate);
        var log = new Dictionary<string, string> { ["kind"] = "log", ["voyage"] = "12" };
        await provider.Put("a/1", new byte[100], new WriteConditions(Tags: log));
        await provider.Put("a/2", new byte[100], new WriteConditions(Tags: new Dictionary<string, string> { ["kind"] = "film" }));
        await provider.Put("a/3", new byte[100]);
        // Tags that no rule asks for do not split lots.
        Assert.Equal(3, provider.Inside.Stock(null).Buckets["harbour"].Lots.Single().Count);
        var rule = TwoPlaces.Plain with
        {
            Tags = new Dictionary<string, string> { ["kind"] = "log" },
            CatchUp = true,
        };
        var draft = estate.Buckets[0] with { CopyTo = [rule] };
        var taken = provider.Inside.StockFor("harbour", draft).Where(l => rule.Scope.Takes(l.Prefix, l.Tags)).ToList();
        Assert.Equal((1, 100), (taken.Single().Count, taken.Single().BytesPerObject));
        Assert.Equal("kind", taken.Single().Tags!.Keys.Single());

        provider.Adopt(estate with { Buckets = [draft, estate.Buckets[1]] }, version: 2);
        Assert.Equal(1, provider.Inside.Stock(null).Buckets["harbour"].Copies.Single().Waiting.Sum(w => w.Count));
        provider.PassHours(1);
        Assert.Equal("a/1", provider.Objects.List("far-away", "", null, null, 10).Objects.Single().Key);
        Assert.Equal(log, provider.Objects.Find("far-away", "a/1", null)!.Tags);
    }

    [Fact]
    public void An_estates_lots_come_back_as_they_were_brought()
    {
        using var provider = new TestProvider(TestProvider.Demo);
        var stock = provider.Inside.Stock(null);
        foreach (var bucket in TestProvider.Demo.Buckets)
            Assert.Equal(bucket.Stock, stock.Buckets[bucket.Name].Lots);
        Assert.Same(stock.Buckets["port-sonar"], provider.Inside.Stock(stock).Buckets["port-sonar"]);
    }

    [Fact]
    public void An_import_begins_anew_and_adopting_the_same_plan_twice_does_nothing_more()
    {
        var demo = TestProvider.Demo with { Buckets = [.. TestProvider.Demo.Buckets.Select(b => b with { Keep = null })] };
        using var provider = new TestProvider(demo);
        provider.PassDays(3);
        provider.Adopt(demo);
        Assert.Equal(demo.Today.AddDays(3), provider.Inside.Clock.Today);
        var rows = provider.Inside.Stock(null).Buckets["deck-cameras"].Lots.Count;
        provider.Adopt(demo);
        Assert.Equal(rows, provider.Inside.Stock(null).Buckets["deck-cameras"].Lots.Count);

        provider.Adopt(TestProvider.Small, version: 2, import: 2);
        Assert.Equal(TestProvider.Small.Today, provider.Inside.Clock.Today);
        Assert.Empty(provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null));
        Assert.Equal(TestProvider.Small.Buckets[0].Stock, provider.Inside.Stock(null).Buckets["deck-cameras"].Lots);
    }

    [Fact]
    public async Task What_was_read_counts_as_touched_from_then_on()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("a/old", new byte[1000]);
        await provider.Put("b/read", new byte[2000]);
        provider.PassDays(60);
        await provider.Get("b/read");
        provider.PassDays(40);
        var untouched = provider.Inside.Untouched("harbour", "");
        Assert.Equal(["a/", "b/"], untouched.Select(u => u.Prefix));
        Assert.Equal([1000, 1000, 1000, 0, 0], untouched[0].For.Select(f => f.Bytes));
        Assert.Equal([2000, 2000, 0, 0, 0], untouched[1].For.Select(f => f.Bytes));
        Assert.Equal(1000 / 1e9 * 0.0312, untouched[0].For[0].CostPerMonth, 15);
    }
}
