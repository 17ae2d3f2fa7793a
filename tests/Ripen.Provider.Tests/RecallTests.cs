using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>Copies of what rests where reading takes a wait: when they can be read, what becomes of the originals, and what is charged.</summary>
public sealed class RecallTests : IDisposable
{
    private const int Size = 3_000_000;

    private static readonly Estate Ageing = TestProvider.OneBucket(b =>
        b with
        {
            Rules =
            [
                new LifecycleRule { Id = "ages", Steps = [new Step { Age = 5, Tier = "cellar" }, new Step { Age = 30, Tier = "cave" }] },
            ],
        }
    );

    private readonly TestProvider provider = new(Ageing);

    public void Dispose() => provider.Dispose();

    private void PassHours(double hours) =>
        provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddHours(hours), null, CancellationToken.None);

    private async Task<string> Refusal(string key) => (await Assert.ThrowsAsync<RefusalException>(() => provider.Get(key))).Code;

    private double Charged(Charge charge, string tier) =>
        provider
            .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour")
            .Where(r => (r.Charge, r.Tier) == (charge, tier))
            .Sum(r => r.Amount);

    private async Task Aged()
    {
        await provider.Put("tides/2025.csv", TestProvider.Bytes(Size));
        await provider.Put("tides/2026.csv", TestProvider.Bytes(Size, 2));
        provider.PassDays(6);
        Assert.Equal("needs-recall", await Refusal("tides/2025.csv"));
    }

    private static RecallOrder Tides(string? speed = null, int days = 3) => new("harbour", "tides/", null, speed, days);

    [Fact]
    public async Task A_copy_can_be_read_from_its_hour_until_its_day_while_the_object_stays_and_ages_on()
    {
        await Aged();
        var foreseen = provider.Inside.Recalls.Foresee(Tides());
        var ordered = provider.Inside.Recalls.Order(Tides());
        Assert.Equal(foreseen with { Parts = ordered.Parts }, ordered);
        Assert.Equivalent(foreseen.Parts, ordered.Parts, strict: true);
        Assert.Equal((2, 2.0 * Size, 5), (ordered.Objects, ordered.Bytes, ordered.Parts.Single().WaitHours));
        Assert.Equal("recall-under-way", await Refusal("tides/2025.csv"));
        PassHours(4.9);
        Assert.Equal("recall-under-way", await Refusal("tides/2025.csv"));
        PassHours(0.1);
        Assert.Equal(TestProvider.Bytes(Size), await provider.Get("tides/2025.csv"));
        var found = provider.Objects.Find("harbour", "tides/2025.csv", null)!;
        Assert.Equal(("cellar", ordered.Until), (found.Tier, found.Recalled!.Until));
        PassHours((3 * 24) - 5.01);
        Assert.Equal(TestProvider.Bytes(Size), await provider.Get("tides/2025.csv"));
        PassHours(0.02);
        Assert.Equal("needs-recall", await Refusal("tides/2025.csv"));
        Assert.Null(provider.Objects.Find("harbour", "tides/2025.csv", null)!.Recalled);
        provider.PassDays(25);
        Assert.Equal("cave", provider.Objects.Find("harbour", "tides/2025.csv", null)!.Tier);
    }

    /// <summary>By the price book, worked by hand: 2 objects of 3 MB out of the cellar, their copies for 3 days of a month billed as its own
    /// days in the counter's first band, one reading of a copy in the counter.</summary>
    [Fact]
    public async Task It_is_charged_as_the_price_book_says()
    {
        await Aged();
        var (price, landing) = (Price("cellar"), Price("counter"));
        var before = (
            Recall: Charged(Charge.Recall, "cellar"),
            Reads: Charged(Charge.Reads, "cellar"),
            Storage: Charged(Charge.Storage, "counter")
        );
        var unit = Ageing.PriceBook.Unit == Ripen.Core.Pricing.SizeUnit.GB ? 1e9 : 1L << 30;
        var ordered = provider.Inside.Recalls.Order(Tides());
        var recall = (2 * Size / unit * price.Recall.PerUnit) + (2 / 1000.0 * price.RecallRequests.PerThousand);
        Assert.Equal(recall, Charged(Charge.Recall, "cellar") - before.Recall, 1e-12);
        Assert.Equal(2 / 1000.0 * price.Reads.PerThousand, Charged(Charge.Reads, "cellar") - before.Reads, 1e-12);
        Assert.Equal(recall + (2 / 1000.0 * price.Reads.PerThousand), ordered.OnceCharge, 1e-12);
        PassHours(6);
        await provider.Get("tides/2026.csv");
        provider.PassDays(10);
        Assert.Equal(1 / 1000.0 * landing.Reads.PerThousand, Charged(Charge.Reads, "counter"), 1e-12);
        Assert.Equal(ordered.StorageCharge, Charged(Charge.Storage, "counter") - before.Storage, 1e-12);
        var month = DateTime.DaysInMonth(Ageing.Today.Year, Ageing.Today.Month);
        var days = Ageing.PriceBook.Month == Ripen.Core.Pricing.BillingMonth.ThirtyDays ? 30 : month;
        Assert.Equal(2 * Size / unit * 3 / days * landing.Storage[0].Price.PerUnit, ordered.StorageCharge, 1e-12);
    }

    private static Ripen.Core.Pricing.TierPrice Price(string tier) => Ageing.PriceBook.FindRegion("aldmouth")!.PriceOf(tier)!;

    [Fact]
    public async Task A_quicker_speed_costs_its_own_price_and_asking_again_lengthens_without_a_second_recall()
    {
        await Aged();
        var brisk = provider.Inside.Recalls.Order(Tides("brisk"));
        Assert.Equal(0.5, brisk.Parts.Single().WaitHours);
        Assert.Equal(provider.Inside.Clock.Now.AddHours(0.5), brisk.ReadyFrom);
        var recalled = Charged(Charge.Recall, "cellar");
        var again = provider.Inside.Recalls.Order(Tides(days: 20));
        Assert.Equal((0.0, 2.0, brisk.ReadyFrom), (again.OnceCharge, again.AtHand, again.ReadyFrom));
        Assert.Equal(brisk.Until.AddDays(17), again.Until);
        Assert.Equal(recalled, Charged(Charge.Recall, "cellar"));
        Assert.Equal(again.Until, provider.Objects.Find("harbour", "tides/2026.csv", null)!.Recalled!.Until);
        PassHours(0.5);
        await provider.Get("tides/2026.csv");
        Assert.Equal("no-speed", Assert.Throws<RefusalException>(() => provider.Inside.Recalls.Foresee(Tides("yesterday"))).Code);
        Assert.Equal("out-of-range", Assert.Throws<RefusalException>(() => provider.Inside.Recalls.Order(Tides(days: 0))).Code);
        Assert.Equal(
            "no-object",
            Assert.Throws<RefusalException>(() => provider.Inside.Recalls.Order(new("harbour", null, ["tides/none"], null, 1))).Code
        );
    }

    [Fact]
    public async Task The_projection_knows_what_was_ordered_and_the_meter_charges_it()
    {
        await Aged();
        provider.Inside.Recalls.Order(Tides(days: 40));
        var stock = provider.Inside.Stock(null).Buckets["harbour"];
        var estate = Ageing with
        {
            Today = provider.Inside.Clock.Today,
            Buckets = [Ageing.Buckets[0] with { Stock = stock.Lots, Recalled = stock.Recalled }],
        };
        var projected = ForecastSeries.Of(Projection.Of(estate, 4), SplitBy.Charge);
        var from = provider.Inside.Clock.Today;
        provider.PassDays(100);
        var metered = provider
            .Inside.Ledger(from, DateOnly.MaxValue, "harbour")
            .Where(r => r.Charge == Charge.Storage)
            .GroupBy(r => Month.Of(r.Day))
            .ToDictionary(m => m.Key, m => m.Sum(r => r.Amount));
        var storage = projected.Lines.Single(l => l.Name == Charge.Storage.Name());
        for (var m = 0; m < 3; m++)
            Assert.Equal(storage.Money[m], metered[projected.Months[m]], Math.Abs(storage.Money[m]) * 1e-11);
        // And it is the copies that it knows.
        var without = ForecastSeries.Of(
            Projection.Of(estate with { Buckets = [estate.Buckets[0] with { Recalled = [] }] }, 4),
            SplitBy.Charge
        );
        Assert.True(without.Lines.Single(l => l.Name == Charge.Storage.Name()).Money[0] < storage.Money[0]);
    }

    [Fact]
    public async Task What_goes_takes_its_copy_with_it()
    {
        await Aged();
        provider.Inside.Recalls.Order(Tides(days: 40));
        provider.Objects.Delete("harbour", "tides/2025.csv", null);
        Assert.Single(provider.Inside.Stock(null).Buckets["harbour"].Recalled, l => l.Objects == 1);
        await provider.Put("tides/2026.csv", TestProvider.Bytes(Size, 3));
        Assert.Empty(provider.Inside.Stock(null).Buckets["harbour"].Recalled);
        Assert.Equal(TestProvider.Bytes(Size, 3), await provider.Get("tides/2026.csv"));
    }
}
