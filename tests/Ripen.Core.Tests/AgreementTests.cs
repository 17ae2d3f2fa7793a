using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>What is agreed beside prices: worked by hand, as a document has it, and what a slip in it is told as. That projections settle it as a
/// plain count does is tested with random estates.</summary>
public sealed class AgreementTests
{
    private static readonly Month January = new(2027, 1);

    private static PriceBook Book(Agreements agreed, params DeviceClass[] devices)
    {
        var book = Samples.Single(Samples.Steady(0, 1), [], null).PriceBook;
        return book with { Agreements = agreed, Regions = [book.Regions[0] with { Id = "here", Devices = devices }, book.Regions[0]] };
    }

    private static UsedCharge Used(Charge charge, double quantity, double amount, string region = "here", string tier = "counter") =>
        new(region, tier, charge, quantity, amount);

    private static List<SettledLine> Settle(Agreements agreed, double part, params UsedCharge[] used) =>
        Settlement.Of(Book(agreed), January, part, used);

    [Fact]
    public void Fixed_amounts_are_paid_by_the_day_from_their_first_month_through_their_last()
    {
        var agreed = new Agreements
        {
            Fixed =
            [
                new()
                {
                    Id = "support",
                    Name = "Support",
                    Amount = 310,
                    From = January,
                    Through = January.Plus(1),
                },
            ],
        };
        Assert.Empty(Settlement.Of(Book(agreed), January.Plus(-1), 1, []));
        Assert.Equal(310, Assert.Single(Settle(agreed, 1)).Amount);
        Assert.Equal(310, Assert.Single(Settlement.Of(Book(agreed), January.Plus(1), 1, [])).Amount);
        Assert.Empty(Settlement.Of(Book(agreed), January.Plus(2), 1, []));
        // From the 12th of January on: 20 of 31 days.
        Assert.Equal(200, Assert.Single(Settle(agreed, 20 / 31.0)).Amount, 1e-12);
    }

    /// <summary>24 disks at 300 that serve five years: 7,200 / 60 a month.</summary>
    [Fact]
    public void Devices_of_ones_own_cost_their_price_spread_over_their_life()
    {
        var disks = new DeviceClass
        {
            Id = "disk",
            Count = 24,
            BytesEach = 1,
            Price = 300,
            LifeMonths = 60,
        };
        var line = Assert.Single(Settlement.Of(Book(new(), disks), January, 0.5, []));
        Assert.Equal(("disk", Charge.Devices, "here", "", 60.0), (line.Name, line.Charge, line.Region, line.Tier, line.Amount));
    }

    /// <summary>3,000 of 12,000 reads are free: a quarter of what reading costs, wherever it is read.</summary>
    [Fact]
    public void An_allowance_is_taken_off_in_proportion_and_not_below_nothing()
    {
        var free = new Allowance
        {
            Id = "reads",
            Name = "Reads",
            Charge = Charge.Reads,
            Quantity = 3000,
        };
        UsedCharge[] used = [Used(Charge.Reads, 4000, 8), Used(Charge.Reads, 8000, 40, tier: "pantry"), Used(Charge.Storage, 9000, 90)];
        var lines = Settle(new() { Allowances = [free] }, 1, used);
        Assert.Equal([("counter", -2.0), ("pantry", -10.0)], lines.Select(l => (l.Tier, l.Amount)));
        Assert.All(lines, l => Assert.Equal((Charge.Allowance, 12_000.0), (l.Charge, l.Counted)));
        // Half a month has half of it.
        Assert.Equal(-6, Settle(new() { Allowances = [free] }, 0.5, used).Sum(l => l.Amount), 1e-12);
        Assert.Equal(-48, Settle(new() { Allowances = [free with { Quantity = 1e9 }] }, 1, used).Sum(l => l.Amount), 1e-12);
        Assert.Equal(
            [-8.0],
            Settle(new() { Allowances = [free with { Quantity = 1e9, Tier = "counter" }] }, 1, used).Select(l => l.Amount)
        );
        Assert.Empty(
            Settle(
                new() { Allowances = [free with { Region = Samples.Single(Samples.Steady(0, 1), [], null).Buckets[0].Region }] },
                1,
                used
            )
        );
        // A second one finds what the first left: 3,000 of 9,000 of the 36 that are still paid.
        Assert.Equal(-24, Settle(new() { Allowances = [free, free with { Id = "more" }] }, 1, used).Sum(l => l.Amount), 1e-12);
    }

    /// <summary>100 are used, 10 % are off, 120 are promised: 90 are paid, and 30 for nothing.</summary>
    [Fact]
    public void What_is_missing_to_a_commitment_is_paid_and_its_discount_comes_first()
    {
        var promise = new Commitment
        {
            Id = "year",
            Name = "A year",
            Amount = 120,
            Discount = 0.1,
        };
        UsedCharge[] used = [Used(Charge.Storage, 1, 60), Used(Charge.Reads, 1, 40, tier: "pantry")];
        var lines = Settle(new() { Commitments = [promise] }, 1, used);
        Assert.Equal(
            [(Charge.Discount, "counter", -6.0), (Charge.Discount, "pantry", -4.0), (Charge.Commitment, "", 30.0)],
            lines.Select(l => (l.Charge, l.Tier, l.Amount))
        );
        Assert.Equal(90, lines.Single(l => l.Charge == Charge.Commitment).Counted);
        Assert.Equal([-6.0, -4.0], Settle(new() { Commitments = [promise with { Amount = 90 }] }, 1, used).Select(l => l.Amount));
        // What is free does not count towards it.
        var free = new Allowance
        {
            Id = "reads",
            Name = "Reads",
            Charge = Charge.Reads,
            Quantity = 1,
        };
        var both = Settle(new() { Allowances = [free], Commitments = [promise] }, 1, used);
        Assert.Equal(120, used.Sum(u => u.Amount) + both.Sum(l => l.Amount), 1e-12);
        Assert.Equal(66, both.Single(l => l.Charge == Charge.Commitment).Amount, 1e-12);
    }

    [Fact]
    public void Every_line_of_a_forecast_is_the_sum_of_its_rows() =>
        RandomEstates.Check(
            40,
            estate =>
            {
                var projection = Projection.Of(estate, 7);
                var rows = projection.Rows().ToList();
                foreach (var only in estate.Buckets.Select(b => b.Name).Take(2).Append(null))
                {
                    foreach (var by in Enum.GetValues<SplitBy>())
                    {
                        foreach (var line in ForecastSeries.Of(projection, by, only).Lines.Where(l => l.Key.Length > 0))
                        {
                            for (var m = 0; m < 7; m++)
                            {
                                var month = Month.Of(estate.Today).Plus(m);
                                var own = rows.Where(r => r.Month == month && KeyOf(r, by) == line.Key && (only ?? r.Bucket) == r.Bucket);
                                if (!Compare.Close(own.Sum(r => r.Amount), line.Money[m]))
                                    return $"{only} {by} {line.Key} {month}: {own.Sum(r => r.Amount)} is not {line.Money[m]}";
                            }
                        }
                    }
                }
                return null;

                string KeyOf(ForecastRow row, SplitBy by) =>
                    by switch
                    {
                        SplitBy.Charge => row.Charge.Name(),
                        SplitBy.Tier => row.Tier.Length > 0 ? row.Tier : Agreements.Key,
                        SplitBy.Region => row.Region.Length > 0 ? row.Region : Agreements.Key,
                        SplitBy.Tenant => row.Bucket.Length > 0 ? estate.Find(row.Bucket)!.Tenant ?? "-" : Agreements.Key,
                        _ => row.Bucket.Length > 0 ? row.Bucket : Agreements.Key,
                    };
            }
        );

    [Fact]
    public void Every_way_of_adding_up_a_projection_has_them() =>
        RandomEstates.Check(
            60,
            estate =>
            {
                var projection = Projection.Of(estate, 7);
                var (money, rows) = (ProjectedMoney.Of(projection), projection.Rows().ToList());
                for (var m = 0; m < 7; m++)
                {
                    var month = Month.Of(estate.Today).Plus(m);
                    double[] ways =
                    [
                        rows.Where(r => r.Month == month).Sum(r => r.Amount),
                        money.InAll[m],
                        money.ByBucket.Sum(b => b[m]) + money.Agreed[m],
                        money.Table.ByCharge.Sum(c => c[m]),
                        money.Table.ByTier.Values.Sum(t => t[m]),
                        money.Table.ByRegion.Values.Sum(r => r[m]),
                        .. Enum.GetValues<SplitBy>().Select(by => ForecastSeries.Of(projection, by).Lines.Sum(l => l.Money[m])),
                    ];
                    if (ways.Any(w => !Compare.Close(w, ways[0])))
                        return $"{month}: {string.Join(" ", ways)}";
                }
                return null;
            }
        );

    [Fact]
    public void A_changed_estate_of_many_buckets_is_settled_as_one_that_is_projected_anew() =>
        RandomEstates.Check(
            12,
            estate =>
            {
                var everything = new Agreements
                {
                    Allowances =
                    [
                        .. new[] { Charge.Storage, Charge.Reads, Charge.Writes }.Select(charge => new Allowance
                        {
                            Id = $"{charge}",
                            Name = $"{charge}",
                            Charge = charge,
                            Quantity = 5,
                        }),
                    ],
                    Commitments =
                    [
                        new()
                        {
                            Id = "all",
                            Name = "All",
                            Amount = 1000,
                            Discount = 0.1,
                        },
                    ],
                };
                // Enough for several parts of the table of charges, the last of them not full.
                var many = estate with
                {
                    PriceBook = estate.PriceBook with { Agreements = everything },
                    Buckets =
                    [
                        .. Enumerable
                            .Range(0, 50)
                            .SelectMany(i => estate.Buckets.Select(b => b with { Name = $"{b.Name}-{i}", CopyTo = [] })),
                        .. Enumerable.Range(0, 40).Select(i => estate.Buckets[0] with { Name = $"more-{i}", CopyTo = [] }),
                    ],
                };
                var projection = Projection.Of(many, 5);
                Assert.NotEqual(0, projection.AgreedMoney(4));
                var (first, last) = (many.Buckets[0], many.Buckets[^1]);
                Estate[] changed =
                [
                    many with
                    {
                        Buckets = [first with { Streams = [Samples.Steady(3, 7_000_000_000)] }, .. many.Buckets.Skip(1)],
                    },
                    many with
                    {
                        Buckets = [.. many.Buckets.SkipLast(1), last with { Scheme = last.Scheme == "wide" ? "plain" : "wide" }],
                    },
                    many with
                    {
                        Buckets = [.. many.Buckets.Skip(1)],
                    },
                    many with
                    {
                        Buckets = [.. many.Buckets.Skip(1), first],
                    },
                    many with
                    {
                        PriceBook = many.PriceBook with
                        {
                            Regions = [.. many.PriceBook.Regions.Select(r => r with { Prices = [.. r.Prices.Select(Dearer)] })],
                        },
                    },
                    many with
                    {
                        PriceBook = many.PriceBook with { Agreements = everything with { Allowances = [] } },
                    },
                ];
                foreach (var (next, i) in changed.Select((c, i) => (c, i)))
                {
                    var (told, anew) = (projection.With(next), Projection.Of(next, 5));
                    for (var m = 0; m < 5; m++)
                    {
                        if (!Compare.Close(told.AgreedMoney(m), anew.AgreedMoney(m)))
                            return $"change {i}, month {m}: {told.AgreedMoney(m)} instead of {anew.AgreedMoney(m)}";
                    }
                }
                return null;

                static TierPrice Dearer(TierPrice price) =>
                    price with
                    {
                        Storage = [.. price.Storage.Select(b => b with { Price = new(b.Price.PerUnit * 1.7) })],
                    };
            }
        );

    [Fact]
    public void A_document_keeps_them()
    {
        var estate = Samples.Single(Samples.Steady(0, 1), [], null) with
        {
            PriceBook = Samples.Single(Samples.Steady(0, 1), [], null).PriceBook with
            {
                Agreements = new()
                {
                    Fixed =
                    [
                        new()
                        {
                            Id = "support",
                            Name = "Support",
                            Amount = 12.5,
                            Through = January,
                        },
                    ],
                    Allowances =
                    [
                        new()
                        {
                            Id = "trial",
                            Name = "Trial",
                            Charge = Charge.Storage,
                            Quantity = 100,
                            Tier = "counter",
                            From = January,
                        },
                    ],
                    Commitments =
                    [
                        new()
                        {
                            Id = "year",
                            Name = "A year",
                            Amount = 0,
                            Discount = 0.25,
                        },
                    ],
                },
            },
        };
        var text = EstateDocument.Write(estate);
        Assert.Equal(text, EstateDocument.Write(EstateDocument.Read(text).Value));
        var agreed = EstateDocument.Read(text).Value.PriceBook.Agreements;
        Assert.Equal(estate.PriceBook.Agreements.Fixed, agreed.Fixed);
        Assert.Equal(estate.PriceBook.Agreements.Allowances, agreed.Allowances);
        Assert.Equal(estate.PriceBook.Agreements.Commitments, agreed.Commitments);
        foreach (
            var (was, becomes, code, path) in new[]
            {
                ("\"2027-01\"", "\"2027-13\"", "invalid-month", "fixed[0].through"),
                ("\"charge\": \"storage\"", "\"charge\": \"fixed\"", "unknown-choice", "allowances[0].charge"),
                (
                    "\"quantity\": 100,\n          \"tier\": \"counter\"",
                    "\"quantity\": 100,\n          \"tier\": \"attic\"",
                    "unknown-reference",
                    "allowances[0].tier"
                ),
                ("\"discount\": 0.25", "\"discount\": 1", "out-of-range", "commitments[0].discount"),
                ("\"discount\": 0.25", "\"discount\": 0", "nothing-agreed", "commitments[0].amount"),
                (
                    "\"commitments\": [\n",
                    "\"commitments\": [\n{ \"id\": \"a\", \"name\": \"A\", \"amount\": 1 }, { \"id\": \"b\", \"name\": \"B\", \"amount\": 1 },\n",
                    "promised-twice",
                    "commitments[1].amount"
                ),
                (
                    "\"through\": \"2027-01\"",
                    "\"through\": \"2027-01\", \"from\": \"2027-02\"",
                    "ends-before-it-begins",
                    "fixed[0].through"
                ),
            }
        )
        {
            var slip = text.Replace(was, becomes, StringComparison.Ordinal);
            Assert.NotEqual(text, slip);
            var problem = EstateDocument.Read(slip).Problems[0];
            Assert.Equal((code, $"$.priceBook.agreements.{path}"), (problem.Code, problem.Path));
        }
    }
}
