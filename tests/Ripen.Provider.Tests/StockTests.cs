using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;

namespace Ripen.Provider.Tests;

/// <summary>What lies in buckets, folded into lots: less to compute with, and the same bill.</summary>
public sealed class StockTests
{
    private static readonly LifecycleRule[] Rules =
    [
        new() { Id = "mid-name", Prefix = "logs/cam-1", Steps = [new Step { Age = 1, Tier = "pantry" }], ExpireAt = 40 },
        new() { Id = "large", Prefix = "logs/", SmallestBytes = 30_000, Steps = [new Step { Age = 3, Tier = "cave" }] },
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
            single.Add(new Lot { Prefix = key, Created = estate.Today, InTierSince = estate.Today, Tier = "counter", Objects = 1, BytesPerObject = bytes });
        }
        var lots = provider.Inside.Stock(null).Buckets["harbour"].Lots;
        Assert.InRange(lots.Count, 1, 150);
        Assert.Equal(260, lots.Sum(l => l.Count));
        Assert.Equal(single.Sum(l => (double)l.BytesPerObject), lots.Sum(l => l.Count * l.BytesPerObject));
        Assert.Null(Compare.Difference(Bill(estate, single), Bill(estate, lots)));

        // A rule that is only drafted, with a prefix that ends in the middle of names, is matched exactly as well.
        LifecycleRule[] drafted = [new LifecycleRule { Id = "draft", Prefix = "logs/cam-2/1", SmallestBytes = 77_777, Steps = [new Step { Age = 2, Tier = "cave" }], ExpireAt = 9 }];
        var withDraft = estate with { Buckets = [estate.Buckets[0] with { Rules = drafted }] };
        Assert.Null(Compare.Difference(Bill(withDraft, single), Bill(withDraft, provider.Inside.StockFor("harbour", withDraft.Buckets[0]))));

        static List<ForecastRow> Bill(Estate estate, IReadOnlyList<Lot> stock) =>
            [.. Projection.Of(estate with { Buckets = [estate.Buckets[0] with { Stock = stock }] }, 6).Rows()];
    }

    [Fact]
    public void An_estates_lots_come_back_as_they_were_brought()
    {
        using var provider = new TestProvider(TestProvider.Demo);
        var stock = provider.Inside.Stock(null);
        foreach (var bucket in TestProvider.Demo.Buckets) Assert.Equal(bucket.Stock, stock.Buckets[bucket.Name].Lots);
        Assert.Same(stock.Buckets["port-sonar"], provider.Inside.Stock(stock).Buckets["port-sonar"]);
    }

    [Fact]
    public void An_import_begins_anew_and_adopting_the_same_plan_twice_does_nothing_more()
    {
        using var provider = new TestProvider(TestProvider.Demo);
        provider.PassDays(3);
        provider.Adopt(TestProvider.Demo);
        Assert.Equal(TestProvider.Demo.Today.AddDays(3), provider.Inside.Clock.Today);
        var rows = provider.Inside.Stock(null).Buckets["deck-cameras"].Lots.Count;
        provider.Adopt(TestProvider.Demo);
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
        Assert.Equal(1000 / 1e9 * 0.0214, untouched[0].For[0].CostPerMonth, 15);
    }
}
