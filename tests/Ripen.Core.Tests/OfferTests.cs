using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Tests;

/// <summary>Price books beside the one in force: what an estate would cost under each.</summary>
public sealed class OfferTests
{
    private static Offer Offer(PriceBook prices) =>
        new()
        {
            Id = "other",
            Name = "Other",
            Prices = prices,
        };

    /// <summary>A thousand objects of 1 GB in one tier, 1 a unit-month: 1,000 a month of thirty days.</summary>
    private static Estate Thousand(double price, string currency = "EUR")
    {
        var estate = Samples.Single(Samples.Steady(0, 1), [], null);
        var lot = new Lot
        {
            Created = estate.Today,
            InTierSince = estate.Today,
            Tier = "counter",
            Objects = 1000,
            BytesPerObject = 1_000_000_000,
        };
        var region = estate.PriceBook.FindRegion("aldmouth")!;
        return estate with
        {
            Buckets = [estate.Buckets[0] with { Stock = [lot] }],
            PriceBook = estate.PriceBook with
            {
                Currency = currency,
                Unit = SizeUnit.GB,
                Month = BillingMonth.Calendar,
                Transfers = [],
                Regions =
                [
                    region with
                    {
                        Prices = [region.PriceOf("counter")! with { Storage = [new StorageBand { Price = new(price) }] }],
                    },
                ],
            },
        };
    }

    [Fact]
    public void What_an_estate_costs_under_an_offer_is_what_it_would_cost_with_those_prices()
    {
        var estate = Thousand(1);
        var factor = estate.PriceBook.FindScheme("one-site")!.StorageFactor;
        var projection = Projection.Of(estate, 12);
        var inForce = OfferMoney.Of(ProjectedMoney.Of(projection));
        var under = Under(projection, Offer(Thousand(0.75).PriceBook));
        var outlook = OfferOutlook.Of(Offer(Thousand(0.75).PriceBook), under, inForce, 0, 12);
        // The estate's today is the first day of its month: twelve whole months of 1,000 unit-months each.
        Assert.Equal(1, estate.Today.Day);
        Assert.Equal(12_000 * factor, inForce.Years[0].Money, 1e-6);
        Assert.Equal(9_000 * factor, outlook.Years[0].Money, 1e-6);
        Assert.Equal(-3_000 * factor, Assert.Single(outlook.More!), 1e-6);
        var storage = Assert.Single(outlook.Charges);
        Assert.Equal((Charge.Storage, -3_000 * factor), (storage.Charge, Math.Round(storage.More!.Value, 6)));
    }

    [Fact]
    public void Amounts_of_two_currencies_are_not_subtracted()
    {
        var projection = Projection.Of(Thousand(1), 12);
        var offer = Offer(Thousand(11, "NOK").PriceBook);
        var outlook = OfferOutlook.Of(offer, Under(projection, offer), OfferMoney.Of(ProjectedMoney.Of(projection)), 0, 12);
        Assert.Equal("NOK", outlook.Currency);
        Assert.Null(outlook.More);
        Assert.Null(Assert.Single(outlook.Charges).More);
        var assumed = Assuming.Of(new Assumption { Offer = offer.Id }, projection.Estate with { Offers = [offer] }, "$.assumptions[0]");
        Assert.Equal(("other-currency", "$.assumptions[0].offer"), (assumed.Problems[0].Code, assumed.Problems[0].Path));
    }

    [Fact]
    public void An_offer_without_a_price_that_the_estate_needs_is_told_and_not_computed()
    {
        var estate = Thousand(1);
        var offer = Offer(estate.PriceBook with { Regions = [estate.PriceBook.Regions[0] with { Id = "elsewhere" }] });
        var under = offer.Of(estate);
        Assert.Equal(("unknown-reference", "$.buckets[0].region"), (under.Problems[0].Code, under.Problems[0].Path));
        Assert.Equal("unknown-reference", Assuming.Of(new Assumption { Offer = "gone" }, estate, "$.assumptions[0]").Problems[0].Code);
    }

    [Fact]
    public void An_offer_that_is_assumed_costs_what_the_same_estate_with_those_prices_does() =>
        RandomEstates.Check(
            60,
            estate =>
            {
                // The prices of another estate, with days to come, some of them gone by now, and agreements of their own.
                var other = estate.PriceBook with
                {
                    Unit = estate.PriceBook.Unit == SizeUnit.GB ? SizeUnit.GiB : SizeUnit.GB,
                    Month = estate.PriceBook.Month == BillingMonth.Calendar ? BillingMonth.ThirtyDays : BillingMonth.Calendar,
                    Regions = [.. estate.PriceBook.Regions.Select(r => r with { Prices = [.. r.Prices.Select(Dearer)] })],
                    Changes =
                    [
                        new PriceChange { From = estate.Today.AddDays(-3), Regions = [Half(estate.PriceBook.Regions[0])] },
                        new PriceChange { From = estate.Today.AddDays(40), Regions = [Half(estate.PriceBook.Regions[^1])] },
                    ],
                };
                var assumed = Assuming.Of(new Assumption { Offer = "other" }, estate with { Offers = [Offer(other)] }, "$.assumptions[0]");
                var told = Projection.Of(estate, 6).With(assumed.Value).MoneyInAll;
                var plain = Projection.Of(estate with { PriceBook = other.On(estate.Today) }, 6).MoneyInAll;
                for (var m = 0; m < 6; m++)
                {
                    if (!Compare.Close(told[m], plain[m]))
                        return $"month {m}: {told[m]} instead of {plain[m]}";
                }
                return null;

                static TierPrice Dearer(TierPrice price) =>
                    price with
                    {
                        Storage = [.. price.Storage.Select(b => b with { Price = new(b.Price.PerUnit * 1.7) })],
                    };
                static RegionPrices Half(Region region) =>
                    new()
                    {
                        Id = region.Id,
                        Prices =
                        [
                            .. region.Prices.Select(p =>
                                p with
                                {
                                    Storage = [.. p.Storage.Select(b => b with { Price = new(b.Price.PerUnit / 2) })],
                                }
                            ),
                        ],
                    };
            }
        );

    [Fact]
    public void A_document_keeps_them()
    {
        var estate = Thousand(1) with { Offers = [Offer(Thousand(2, "NOK").PriceBook)] };
        var text = EstateDocument.Write(estate);
        var read = EstateDocument.Read(text).Value;
        Assert.Equal(text, EstateDocument.Write(read));
        Assert.Equal("NOK", Assert.Single(read.Offers).Prices.Currency);
        var slip = text.Replace("\"currency\": \"NOK\"", "\"currency\": \"krone\"", StringComparison.Ordinal);
        Assert.NotEqual(text, slip);
        var problem = EstateDocument.Read(slip).Problems[0];
        Assert.Equal(("invalid-currency", "$.offers[0].prices.currency"), (problem.Code, problem.Path));
    }

    private static Checked<OfferMoney> Under(Projection projection, Offer offer) =>
        new(OfferMoney.Of(ProjectedMoney.Of(projection.With(offer.Of(projection.Estate).Value))));
}
