using MathNet.Numerics.LinearAlgebra;
using Ripen.Core.Billing;
using Ripen.Core.Bills;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>Bills from elsewhere: their columns, units and names, and the prices that meet them.</summary>
public sealed class BillTests
{
    private static readonly Estate Demo = EstateDocument.Read(File.ReadAllText("Examples/brackwater-ferries.json")).Value;

    private static readonly PriceBook Prices = Demo.PriceBook;

    private static MappedBill Mapped(IEnumerable<ForecastRow> rows) => new([.. rows.Select(r => new MappedLine(r))], []);

    [Theory]
    [InlineData("GB-month", Charge.Storage, 1.0)]
    [InlineData("GiB-Month", Charge.Storage, 1.073741824)]
    [InlineData("TB-Mo", Charge.Storage, 1000.0)]
    [InlineData("TB-Hours", Charge.Storage, 1000 / (24.0 * 30))]
    [InlineData("GB-days", Charge.Storage, 1 / 30.0)]
    [InlineData("GB", Charge.Recall, 1.0)]
    [InlineData("Requests", Charge.Reads, 1.0)]
    [InlineData("1000 requests", Charge.Writes, 1000.0)]
    [InlineData("10K requests", Charge.Writes, 10_000.0)]
    [InlineData("1 M operations", Charge.Reads, 1e6)]
    [InlineData("object-month", Charge.Watching, 1.0)]
    [InlineData("objects", Charge.Moves, 1.0)]
    [InlineData("GB", Charge.Storage, null)]
    [InlineData("GB-month", Charge.Recall, null)]
    [InlineData("requests", Charge.Storage, null)]
    [InlineData("furlongs", Charge.Storage, null)]
    public void Units_of_bills_are_read_as_what_they_name(string unit, Charge charge, double? times)
    {
        var thirty = Prices with { Unit = SizeUnit.GB, Month = BillingMonth.ThirtyDays };
        var read = ForeignUnit.Times(unit, charge, thirty, new Month(2027, 2));
        Assert.Equal(times is null, read is null);
        if (times is { } expected)
            Assert.Equal(expected, read!.Value, 1e-12 * expected);
    }

    [Fact]
    public void An_hour_of_a_calendar_month_is_a_part_of_its_own_days()
    {
        var own = Prices with { Month = BillingMonth.Calendar };
        Assert.Equal(1 / (24.0 * 28), ForeignUnit.Times("GB-hours", Charge.Storage, own, new Month(2027, 2))!.Value, 1e-15);
        Assert.Equal(1 / (24.0 * 29), ForeignUnit.Times("GB-hours", Charge.Storage, own, new Month(2028, 2))!.Value, 1e-15);
    }

    /// <summary>Worked by hand: 10 units are carried for 0.5, and 4 unit-months of a scheme with factor 2 leave early for 0.24.</summary>
    [Fact]
    public void Leaving_early_and_one_way_of_copies_have_prices_too()
    {
        var estate = EstateDocument
            .Read(
                $$"""
                { "ripen": 1, "name": "Two places", "today": "2027-01-01",
                  "priceBook": {{TwoRegions.PriceBook().Replace("\"storageFactor\": 1", "\"storageFactor\": 2", StringComparison.Ordinal)}},
                  "buckets": [
                    { "name": "here", "region": "near", "scheme": "plain", "tier": "counter", "copyTo": [{ "bucket": "there" }] },
                    { "name": "there", "region": "far", "scheme": "plain", "tier": "counter" }
                  ] }
                """
            )
            .Value;
        var (here, there) = (estate.Buckets[0], estate.Buckets[1]);
        var month = new Month(2027, 1);
        var bill = new MappedBill(
            [
                new(new(month, here.Name, here.Region, "counter", Charge.Transfer, 10, "GB", 0.5)),
                new(new(month, here.Name, here.Region, "counter", Charge.EarlyLeave, 4, "GB-month", 0.24)),
            ],
            []
        );
        var fit = PriceFit.Of(bill, estate);
        var carried = fit.Prices.Single(p => p.Charge == Charge.Transfer);
        Assert.Equal((here.Region, there.Region, null), (carried.Region, carried.To, carried.Tier));
        Assert.Equal(0.05, carried.Fitted, 1e-12);
        var left = fit.Charges.Single(c => c.Charge == Charge.EarlyLeave);
        Assert.Equal((0.24, 0.24), (left.Billed, Math.Round(left.AsFitted, 12)));
        Assert.Equal(0.24 / 4 / 2, fit.Prices.Single(p => p.Charge == Charge.Storage).Fitted, 1e-12);
        Assert.Equal(0.05, fit.Apply(estate.PriceBook).Value.TransferPrice(here.Region, there.Region).PerUnit, 1e-12);
        // With a second way out, nobody can say which of them was charged.
        var twice = here with
        {
            CopyTo = [.. here.CopyTo, here.CopyTo[0] with { Bucket = "near-by" }],
        };
        var nearBy = there with { Name = "near-by", Region = here.Region };
        var both = estate with { Buckets = [twice, there, nearBy] };
        Assert.DoesNotContain(PriceFit.Of(bill, both).Prices, p => p.Charge == Charge.Transfer);
        // Unless its item says so; also of a copy that is no more.
        var said = new MappedBill([bill.Lines[0] with { Way = there.Region }], []);
        foreach (var now in new[] { both, estate with { Buckets = [here with { CopyTo = [] }, there] } })
            Assert.Equal(carried, PriceFit.Of(said, now).Prices.Single());
    }

    /// <summary>Made by the price book's formulas from quantities that are drawn: what is recalled at each speed costs by the unit, and what is read
    /// by the thousand, at the speed at which it was recalled. The prices of the bill are other than those of the price book.</summary>
    [Fact]
    public void Recalls_at_several_speeds_each_have_their_own_price()
    {
        var random = new Random(Randomly.Seed);
        var bucket = Demo.Buckets.First(b => b.Name == "voyage-recorders");
        var price = Prices.FindRegion(bucket.Region)!.PriceOf("cave")!;
        var speed = price.RecallSpeeds.Single();
        var (ordinary, patient) = (price.Recall.PerUnit * 1.3, speed.Recall.PerUnit * 0.6);
        var lines = new List<MappedLine>();
        for (var month = new Month(2027, 1); month.Year == 2027; month = month.Plus(1))
        {
            var (usual, slow, reads) = (random.Next(1, 900), random.Next(0, 900), random.Next(1, 50_000));
            Add(Charge.Reads, reads, price.Reads.For(reads), null);
            var share = (double)slow / (usual + slow);
            Add(Charge.Recall, usual, (usual * ordinary) + price.RecallRequests.For((1 - share) * reads), null);
            Add(Charge.Recall, slow, (slow * patient) + speed.RecallRequests.For(share * reads), speed.Id);

            void Add(Charge charge, double quantity, double amount, string? way) =>
                lines.Add(new(new(month, bucket.Name, bucket.Region, "cave", charge, quantity, "", amount), way));
        }
        var fit = PriceFit.Of(new MappedBill(lines, []), Demo);
        var recalls = fit.Prices.Where(p => p.Charge == Charge.Recall).ToDictionary(p => p.Speed ?? "");
        Assert.Equal(["", speed.Id], recalls.Keys.Order());
        Assert.Equal(ordinary, recalls[""].Fitted, 1e-9);
        Assert.Equal(patient, recalls[speed.Id].Fitted, 1e-9);
        Assert.Equal((price.Recall.PerUnit, speed.Recall.PerUnit), (recalls[""].Was, recalls[speed.Id].Was));
        Assert.All(fit.Charges, c => Assert.Equal(c.Billed, c.AsFitted, 1e-9 * (1 + c.Billed)));
        Assert.Equal(lines.Sum(l => l.Row.Amount), fit.Charges.Sum(c => c.Billed), 1e-6);
        var book = fit.Apply(Prices).Value.FindRegion(bucket.Region)!.PriceOf("cave")!;
        Assert.Equal((ordinary, patient), (book.Recall.PerUnit, book.RecallSpeeds.Single().Recall.PerUnit), Close);
        // A speed that is not offered there has no price to fit.
        var brisk = new MappedBill([.. lines.Select(l => l with { Way = l.Way is null ? null : "brisk" })], []);
        Assert.All(PriceFit.Of(brisk, Demo).Prices, p => Assert.Null(p.Speed));

        static bool Close((double A, double B) a, (double A, double B) b) => Math.Abs(a.A - b.A) < 1e-9 && Math.Abs(a.B - b.B) < 1e-9;
    }

    [Theory]
    [InlineData("cave/recall/patient", Charge.Recall, "patient")]
    [InlineData("Cave recall Brisk", Charge.Recall, "brisk")]
    [InlineData("cave/recall", Charge.Recall, null)]
    [InlineData("cave/recall patient, brisk", Charge.Recall, null)]
    [InlineData("counter/transfer/kestrel-sound", Charge.Transfer, "kestrel-sound")]
    [InlineData("counter/transfer", Charge.Transfer, null)]
    [InlineData("counter/storage/kestrel-sound", Charge.Storage, null)]
    public void An_item_that_names_a_speed_or_a_region_is_read_so(string item, Charge charge, string? way)
    {
        var read = BillMapping.Propose([new(new Month(2027, 1), "voyage-recorders", item, "GB", 1, 1)], Demo).Items.Single();
        Assert.Equal((charge, way), (read.Charge!.Value, read.Way));
    }

    [Fact]
    public void What_random_estates_are_charged_is_met_by_their_own_prices() =>
        RandomEstates.Check(
            60,
            random =>
            {
                var estate = random with { PriceBook = random.PriceBook with { Changes = [] } };
                var fit = PriceFit.Of(Mapped(Projection.Of(estate, 6).Rows()), estate);
                // Making bundles reads without recalling, which a bill does not tell apart.
                var bundles = estate.Buckets.Any(b => b.Rules.Any(r => r.Steps.Any(s => s.BundleTo is not null)));
                foreach (var of in fit.Charges.Where(c => !bundles || c.Charge != Charge.Recall))
                {
                    if (Math.Abs(of.AsPriced - of.Billed) > 1e-9 * (1 + of.Billed))
                        return $"as priced: {of}";
                    if (Math.Abs(of.AsFitted - of.Billed) > 1e-6 * (1 + of.Billed) || of.FarthestOff > 1e-6 * (1 + of.Billed))
                        return $"as fitted: {of}";
                }
                return fit
                    .Prices.Where(p =>
                        p.How == FitBy.Rows && (!bundles || p.Charge != Charge.Recall) && Math.Abs(p.Fitted - p.Was) > 1e-4 * (p.Was + 1e-6)
                    )
                    .Select(p => $"price: {p}")
                    .FirstOrDefault();
            }
        );

    [Fact]
    public void A_bill_by_other_prices_gives_these_prices_and_as_a_price_book_the_same_bill()
    {
        var dear = Demo with
        {
            PriceBook = Prices with
            {
                Changes = [],
                Regions =
                [
                    .. Prices.Regions.Select(r =>
                        r with
                        {
                            Prices =
                            [
                                .. r.Prices.Select(p =>
                                    p with
                                    {
                                        Storage =
                                        [
                                            .. p.Storage.Select((b, i) => b with { Price = new(b.Price.PerUnit * (1.1 + (0.2 * i))) }),
                                        ],
                                        Writes = new(p.Writes.PerThousand * 0.7),
                                        Reads = new(p.Reads.PerThousand * 3),
                                        MovesIn = new(p.MovesIn.PerThousand * 1.5),
                                        Recall = new(p.Recall.PerUnit * 2),
                                    }
                                ),
                            ],
                        }
                    ),
                ],
            },
        };
        var bill = Mapped(Projection.Of(dear, 24).Rows());
        var fit = PriceFit.Of(bill, Demo with { PriceBook = Prices with { Changes = [] } });
        Assert.Contains(fit.Prices, p => p.How == FitBy.Rows && p.UpTo is not null);
        Assert.All(fit.Charges, c => Assert.Equal(c.Billed, c.AsFitted, 1e-6 * (1 + c.Billed)));
        Assert.Contains(fit.Charges, c => Math.Abs(c.AsPriced - c.Billed) > 0.05 * c.Billed);
        var fitted = fit.Apply(Prices with { Changes = [] });
        Assert.True(fitted.Ok);
        var (expected, actual) = (Projection.Of(dear, 24).MoneyInAll, Projection.Of(Demo with { PriceBook = fitted.Value }, 24).MoneyInAll);
        // Early leaving goes by the first bands, which are fitted too.
        Assert.Equal(expected.Sum(), actual.Sum(), 1e-5 * expected.Sum());
    }

    [Fact]
    public void With_amounts_that_are_rounded_and_scattered_it_is_the_least_squares_of_a_library()
    {
        var random = new Random(Randomly.Seed);
        var region = Prices.Regions.First(r => r.Prices.Any(p => p.Storage.Count > 1));
        var price = region.Prices.First(p => p.Storage.Count > 1);
        var bucket = Demo.Buckets.First(b => b.Region == region.Id);
        var factor = Prices.FindScheme(bucket.Scheme)!.StorageFactor;
        var limits = price.Storage.Select(b => b.UpTo ?? double.PositiveInfinity).ToArray();
        var (lines, matrix, amounts) = (new List<ForecastRow>(), new List<double[]>(), new List<double>());
        for (var m = 0; m < 24; m++)
        {
            var quantity = (limits[0] * 0.2) + (random.NextDouble() * limits[^2] * 3);
            var inBand = limits
                .Select((l, i) => Math.Clamp(quantity - (i == 0 ? 0 : limits[i - 1]), 0, l - (i == 0 ? 0 : limits[i - 1])))
                .ToArray();
            var amount = Math.Round(
                inBand.Zip(price.Storage, (q, b) => q * b.Price.PerUnit).Sum() * factor * (0.98 + (0.04 * random.NextDouble())),
                2
            );
            lines.Add(
                new ForecastRow(new Month(2027, 1).Plus(m), bucket.Name, region.Id, price.Tier, Charge.Storage, quantity, "", amount)
            );
            matrix.Add([.. inBand.Select(q => q * factor)]);
            amounts.Add(amount);
        }
        var expected = Matrix<double>.Build.DenseOfRowArrays(matrix).QR().Solve(Vector<double>.Build.DenseOfEnumerable(amounts));
        var fit = PriceFit.Of(Mapped(lines), Demo);
        Assert.Equal(price.Storage.Count, fit.Prices.Count);
        for (var i = 0; i < expected.Count; i++)
        {
            Assert.Equal(FitBy.Rows, fit.Prices[i].How);
            Assert.Equal(expected[i], fit.Prices[i].Fitted, 1e-8 * expected[i]);
        }
    }

    [Fact]
    public void One_month_cannot_tell_bands_apart_and_moves_them_all_alike()
    {
        var region = Prices.Regions.First(r => r.Prices.Any(p => p.Storage.Count > 1));
        var price = region.Prices.First(p => p.Storage.Count > 1);
        var bucket = Demo.Buckets.First(b => b.Region == region.Id);
        var quantity = price.Storage[0].UpTo!.Value * 1.5;
        var amount = price.StorageCost(quantity) * Prices.FindScheme(bucket.Scheme)!.StorageFactor * 1.25;
        var row = new ForecastRow(new Month(2027, 1), bucket.Name, region.Id, price.Tier, Charge.Storage, quantity, "", amount);
        var fit = PriceFit.Of(Mapped([row]), Demo);
        Assert.All(fit.Prices.Take(2), p => Assert.Equal((FitBy.OneFactor, p.Was * 1.25), (p.How, p.Fitted)));
        Assert.All(fit.Prices.Skip(2), p => Assert.Equal((FitBy.Nothing, p.Was), (p.How, p.Fitted)));
        Assert.Equal(amount, fit.Charges.Single().AsFitted, 1e-9 * amount);
    }

    [Fact]
    public void Nothing_of_a_bill_is_lost_between_what_is_mapped_and_what_is_left_aside()
    {
        ForeignCharge[] charges =
        [
            new(new Month(2027, 1), "acct/deck-cameras", "counter/storage", "GB-month", 5, 1.5),
            new(new Month(2027, 1), "deck-cameras", "tax", "", 0, 0.3),
            new(new Month(2027, 2), "nobodys", "counter/storage", "GB-month", 7, 2),
            new(new Month(2027, 2), "deck-cameras", "counter/storage", "furlongs", 7, 4),
            new(new Month(2027, 2), "deck-cameras", "counter/writes", "1000 requests", 3, -0.25),
        ];
        var mapping = BillMapping.Propose(charges, Demo);
        Assert.Equal("deck-cameras", mapping.Resources.Single(r => r.Resource == "acct/deck-cameras").Bucket);
        Assert.Null(mapping.Resources.Single(r => r.Resource == "nobodys").Bucket);
        var mapped = MappedBill.Of(charges, mapping, Demo);
        Assert.Equal([1.5, -0.25], mapped.Lines.Select(l => l.Row.Amount));
        Assert.Equal(3000, mapped.Lines[1].Row.Quantity);
        Assert.Equal(charges.Sum(c => c.Amount), mapped.Lines.Sum(l => l.Row.Amount) + mapped.Aside.Sum(c => c.Amount), 1e-12);
        var told = mapping with { Items = [.. mapping.Items.Select(i => i.Unit == "furlongs" ? i with { Times = 2 } : i)] };
        Assert.Equal(14, MappedBill.Of(charges, told, Demo).Lines.Single(l => l.Row.Amount == 4).Row.Quantity);
    }

    [Fact]
    public async Task Columns_are_known_by_the_specifications_names_or_said_and_rows_that_are_wrong_are_told()
    {
        string[] focus =
        [
            "BilledCost",
            "BillingCurrency",
            "ChargePeriodStart",
            "ConsumedQuantity",
            "ConsumedUnit",
            "EffectiveCost",
            "ResourceId",
            "SkuId",
        ];
        var read = await Read(
            new BillColumns(),
            focus,
            ["9", "EUR", "2027-01-01T00:00:00Z", "2", "GB-month", "1.5", "deck-cameras", "counter/storage"],
            ["9", "EUR", "2027-01-02T00:00:00Z", "3", "GB-month", "2.5", "deck-cameras", "counter/storage"],
            ["9", "EUR", "2027-01-02T00:00:00Z", "", "", "0.2", "", "tax"]
        );
        Assert.Equal(
            [
                new ForeignCharge(new Month(2027, 1), "deck-cameras", "counter/storage", "GB-month", 5, 4),
                new(new Month(2027, 1), "", "tax", "", 0, 0.2),
            ],
            read.Value
        );
        var other = await Read(
            new BillColumns(Amount: "netto", Date: "wann"),
            ["wann", "bucket", "item", "unit", "quantity", "netto"],
            ["2027-03", "a", "b", "GB", "1", "2"]
        );
        Assert.Equal(new ForeignCharge(new Month(2027, 3), "a", "b", "GB", 1, 2), Assert.Single(other.Value));
        var wrong = await Read(new BillColumns(), focus, ["9", "USD", "soon", "two", "GB-month", "1,5", "deck-cameras", "counter/storage"]);
        Assert.Equal(
            ["row 1, ChargePeriodStart", "row 1, ConsumedQuantity", "row 1, EffectiveCost", "row 1, BillingCurrency"],
            wrong.Problems.Select(p => p.Path)
        );
        Assert.Equal(
            ["?date", "?item", "?unit", "?quantity", "?amount"],
            (await Read(new BillColumns(), ["bucket"], ["a"])).Problems.Select(p => p.Path)
        );
        Assert.Equal("no-rows", (await Read(new BillColumns(), focus)).Problems.Single().Code);

        static Task<Checked<IReadOnlyList<ForeignCharge>>> Read(BillColumns said, string[] columns, params string[][] rows) =>
            said.Among(columns).Read(columns, rows.ToAsyncEnumerable(), "EUR");
    }
}
