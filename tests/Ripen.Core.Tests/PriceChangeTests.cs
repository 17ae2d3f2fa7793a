using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>Prices that change on a day: worked by hand, as a document has them, and what a slip in them is told as. That projections cross such
/// days as a day by day count does is tested with random estates.</summary>
public sealed class PriceChangeTests
{
    private static readonly DateOnly Begin = new(2028, 1, 20);

    /// <summary>In a leap year: 10 TB that nobody touches.</summary>
    private static Estate Resting(IReadOnlyList<StorageBand> bands, params PriceChange[] changes)
    {
        var estate = Samples.Single(Samples.Steady(0, 1), [], null);
        var lot = new Lot
        {
            Created = Begin.AddDays(-9),
            InTierSince = Begin.AddDays(-9),
            Tier = "counter",
            Objects = 10_000,
            BytesPerObject = 1_000_000_000,
        };
        var region = estate.PriceBook.FindRegion(estate.Buckets[0].Region)!;
        return estate with
        {
            Today = Begin,
            PriceBook = estate.PriceBook.With(Storage(bands)) with { Changes = changes },
            Buckets = [estate.Buckets[0] with { Streams = [], Stock = [lot] }],
        };

        PriceChange Storage(IReadOnlyList<StorageBand> bands) =>
            new()
            {
                From = Begin,
                Regions = [new RegionPrices { Id = region.Id, Prices = [region.PriceOf("counter")! with { Storage = bands }] }],
            };
    }

    private static PriceChange From(DateOnly day, params StorageBand[] bands)
    {
        var estate = Samples.Single(Samples.Steady(0, 1), [], null);
        var region = estate.PriceBook.FindRegion(estate.Buckets[0].Region)!;
        return new()
        {
            From = day,
            Regions = [new RegionPrices { Id = region.Id, Prices = [region.PriceOf("counter")! with { Storage = bands }] }],
        };
    }

    private static StorageBand All(double price) => new() { Price = new(price) };

    private static Dictionary<string, double> Storage(Estate estate, int months) =>
        Projection
            .Of(estate, months)
            .Rows()
            .Where(r => r.Charge == Charge.Storage)
            .GroupBy(r => r.Month.ToString())
            .ToDictionary(g => g.Key, g => g.Sum(r => r.Amount));

    [Fact]
    public void A_month_in_which_the_price_changes_is_the_sum_of_its_days()
    {
        var bill = Storage(Resting([All(0.03)], From(new(2028, 2, 15), All(0.06)), From(new(2028, 3, 1), All(0.01))), 13);
        var billed = 10_000 * Billed();
        Assert.Equal(billed * 0.03 * 12 / 31, bill["2028-01"], 1e-9);
        // February 2028 has 29 days: 14 at the old price.
        Assert.Equal(billed * ((0.03 * 14) + (0.06 * 15)) / 29, bill["2028-02"], 1e-9);
        Assert.All(bill.Where(b => string.CompareOrdinal(b.Key, "2028-03") >= 0), b => Assert.Equal(billed * 0.01, b.Value, 1e-9));
        Assert.Equal(13, bill.Count);
    }

    /// <summary>Of 10,000 unit-months, the first 4,000 cost more: half a month by each list, and each over the whole month.</summary>
    [Fact]
    public void Bands_are_filled_by_the_whole_month_on_either_side_of_the_day()
    {
        StorageBand[] before = [new() { UpTo = 4000, Price = new(0.05) }, All(0.02)];
        StorageBand[] after = [new() { UpTo = 4000, Price = new(0.10) }, All(0.01)];
        var bill = Storage(Resting(before, From(new(2028, 4, 16), after)), 4);
        var billed = 10_000 * Billed();
        var (old, young) = ((4000 * 0.05) + ((billed - 4000) * 0.02), (4000 * 0.10) + ((billed - 4000) * 0.01));
        Assert.Equal((old + young) / 2, bill["2028-04"], 1e-9);
        Assert.Equal(old, bill["2028-03"], 1e-9);
    }

    private static double Billed() =>
        Samples.Single(Samples.Steady(0, 1), [], null).PriceBook.Tiers.First(t => t.Id == "counter") is var t
            ? (t.BilledBytes(1_000_000_000) + t.IndexBytes) / 1e9
            : 0;

    [Fact]
    public void What_has_begun_holds_and_what_it_took_the_place_of_is_told()
    {
        var estate = Resting([All(0.03)], From(new(2028, 2, 15), All(0.06)), From(new(2028, 3, 1), All(0.01)));
        var book = estate.PriceBook;
        Assert.Same(book, book.On(new(2028, 2, 14)));
        var later = book.On(new(2028, 2, 15));
        Assert.Equal((0.06, 1, 1), (Price(later), later.Changes.Count, later.Earlier.Count));
        var last = later.On(new(2029, 1, 1));
        Assert.Equal((0.01, 0, 2), (Price(last), last.Changes.Count, last.Earlier.Count));
        foreach (var (day, price) in new[] { (new DateOnly(2028, 1, 1), 0.03), (new(2028, 2, 14), 0.03), (new(2028, 2, 15), 0.06) })
        {
            Assert.Equal(price, Price(last.AmountsOn(day)));
            Assert.Equal(price, Price(book.AmountsOn(day)));
        }
        var document = EstateDocument.Write(estate with { PriceBook = last, Today = new(2029, 1, 1) });
        var read = EstateDocument.Read(document);
        Assert.True(read.Ok, string.Join('\n', read.Problems));
        Assert.Equal(document, EstateDocument.Write(read.Value));

        double Price(PriceBook of) => of.FindRegion(estate.Buckets[0].Region)!.PriceOf("counter")!.Storage[0].Price.PerUnit;
    }

    [Fact]
    public void A_document_says_what_is_wrong_with_a_change_and_where()
    {
        var estate = Resting([All(0.03)], From(new(2028, 2, 15), All(0.06)), From(new(2028, 3, 1), All(0.01)));
        var (first, second) = (estate.PriceBook.Changes[0], estate.PriceBook.Changes[1]);
        foreach (
            var (changes, code, path) in new (PriceChange[] Changes, string Code, string Path)[]
            {
                ([second, first], "not-rising", "$.priceBook.changes[1].from"),
                ([first, first], "not-rising", "$.priceBook.changes[1].from"),
                (
                    [first with { Regions = [first.Regions[0] with { Id = "attic" }] }],
                    "unknown-reference",
                    "$.priceBook.changes[0].regions[0].id"
                ),
                (
                    [first with { Regions = [first.Regions[0] with { Prices = [first.Regions[0].Prices[0] with { Tier = "attic" }] }] }],
                    "not-offered",
                    "$.priceBook.changes[0].regions[0].prices[0].tier"
                ),
                (
                    [first with { Regions = [first.Regions[0] with { Prices = [first.Regions[0].Prices[0] with { Storage = [] }] }] }],
                    "no-band",
                    "$.priceBook.changes[0].regions[0].prices[0].storage"
                ),
                (
                    [
                        first with
                        {
                            Transfers =
                            [
                                new TransferPrice
                                {
                                    From = "attic",
                                    To = "cellar",
                                    Price = new(1),
                                },
                            ],
                        },
                    ],
                    "unknown-reference",
                    "$.priceBook.changes[0].transfers[0]"
                ),
            }
        )
        {
            var read = EstateDocument.Read(EstateDocument.Write(estate with { PriceBook = estate.PriceBook with { Changes = changes } }));
            Assert.Contains(read.Problems, p => (p.Code, p.Path) == (code, path));
        }
    }

    [Fact]
    public void What_was_is_not_rewritten_by_whoever_writes_the_book_anew()
    {
        var estate = Resting([All(0.03)]);
        var today = new DateOnly(2028, 2, 10);
        var book = estate.PriceBook;
        var written = book.With(From(today, All(0.05))) with { Earlier = [new EarlierPrices { Until = new(2020, 1, 1) }] };
        var after = PriceAmendment.Of(book, written, today);
        var earlier = Assert.Single(after.Earlier);
        Assert.Equal((today, 0.03), (earlier.Until, earlier.Regions.Single().Prices.Single().Storage[0].Price.PerUnit));
        // Twice on a day: what held before that day still does.
        var again = PriceAmendment.Of(after, after.With(From(today, All(0.07))), today);
        Assert.Equal(0.03, PriceOn(again, today.AddDays(-1)));
        Assert.Equal(0.07, PriceOn(again, today));
        Assert.Same(book.Earlier, PriceAmendment.Of(book, book, today).Earlier);

        double PriceOn(PriceBook of, DateOnly day) =>
            of.AmountsOn(day).FindRegion(estate.Buckets[0].Region)!.PriceOf("counter")!.Storage[0].Price.PerUnit;
    }

    [Fact]
    public void Slips_are_told_and_nothing_else_is()
    {
        var prices = Samples.Single(Samples.Steady(0, 1), [], null).PriceBook;
        var region = prices.Regions[0];
        Assert.Empty(PriceDoubts.Of(prices));
        Assert.Equal(
            ["band-rises"],
            Doubts(p => p.Tier == "counter" ? p with { Storage = [new() { UpTo = 1, Price = p.Storage[0].Price }, All(99)] } : p)
        );
        Assert.Contains("colder-is-dearer", Doubts(p => p.Tier == "pantry" ? p with { Storage = [All(99)] } : p));
        Assert.Contains(
            "tier-never-pays",
            Doubts(p =>
                p.Tier == "pantry"
                    ? p with
                    {
                        Storage = [All(99)],
                        Reads = new(99),
                        Writes = new(99),
                        MovesIn = new(99),
                        RecallRequests = new(99),
                        Recall = new(99),
                    }
                    : p
            )
        );

        string[] Doubts(Func<TierPrice, TierPrice> change) =>
            [
                .. PriceDoubts
                    .Of(prices with { Regions = [region with { Prices = [.. region.Prices.Select(change)] }, .. prices.Regions.Skip(1)] })
                    .Select(d => d.Code)
                    .Distinct(),
            ];
    }

    [Fact]
    public void A_table_gives_back_the_book_it_was_made_of_and_says_which_row_is_wrong()
    {
        var prices = Resting([new() { UpTo = 5, Price = new(0.05) }, All(0.03)], From(new(2028, 2, 15), All(0.06))).PriceBook;
        var disks = new DeviceClass
        {
            Id = "disk",
            Count = 2,
            BytesEach = 1000,
            Price = 300,
            LifeMonths = 60,
        };
        var book = prices with
        {
            Regions = [prices.Regions[0] with { Devices = [disks] }, .. prices.Regions.Skip(1)],
            Agreements = new()
            {
                Fixed = [Agreed("support", 95)],
                Allowances =
                [
                    new()
                    {
                        Id = "reads",
                        Name = "Reads",
                        Charge = Charge.Reads,
                        Quantity = 2000,
                        Tier = prices.Tiers[0].Id,
                    },
                ],
                Commitments =
                [
                    new()
                    {
                        Id = "years",
                        Name = "Years",
                        Amount = 1120,
                        Discount = 0.06,
                        Region = prices.Regions[0].Id,
                    },
                ],
            },
        };
        var rows = PriceRows.Of(book).ToList();
        string[] agreed = ["fixed", "allowance", "commitment", "discount", "device"];
        Assert.Equal(
            [("fixed", 95), ("allowance", 2000), ("commitment", 1120), ("discount", 0.06), ("device", 300)],
            rows.Where(r => agreed.Contains(r.Charge)).Select(r => (r.Charge, r.Amount))
        );
        var support = rows.Single(r => r.Charge == "fixed");
        var zero = rows.Where(r => r.From is null).Select(r => r with { Amount = 0 }).ToList();
        var cleared = PriceRows.Apply(book with { Changes = [] }, zero);
        Assert.All(PriceRows.Of(cleared.Value), r => Assert.Equal(0, r.Amount));
        var restored = PriceRows.Apply(cleared.Value, rows);
        Assert.Equal(rows, PriceRows.Of(restored.Value));
        foreach (
            var (row, path) in new[]
            {
                (rows[0] with { Charge = "rent" }, "$[0].charge"),
                (rows[0] with { Region = "attic" }, "$[0].region"),
                (rows[0] with { Tier = "attic" }, "$[0].tier"),
                (rows[0] with { Speed = "attic" }, "$[0].speed"),
                (rows[0] with { Amount = -1 }, "$[0].amount"),
                (rows[0] with { Charge = "transfer", To = "attic" }, "$[0].to"),
                (support with { Agreement = "attic" }, "$[0].agreement"),
                (support with { Charge = "device" }, "$[0].agreement"),
                (support with { From = new(2028, 2, 15) }, "$[0].from"),
            }
        )
            Assert.Contains(PriceRows.Apply(book, [row]).Problems, p => p.Path == path);

        static FixedAmount Agreed(string id, double amount) =>
            new()
            {
                Id = id,
                Name = id,
                Amount = amount,
            };
    }
}
