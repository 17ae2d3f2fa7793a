using System.Globalization;
using System.Text;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

public class ForecastTests
{
    [Fact]
    public void The_worked_example_matches_row_for_row() =>
        Compare.AgreesWith("Examples/ferry-small.24-months.csv", Projection.Of(Samples.Small(), 24).Rows());

    /// <summary>Source: the worked example of ageing and keeping beside this file, computed elsewhere.</summary>
    [Fact]
    public void The_example_of_ageing_and_keeping_matches_row_for_row() =>
        Compare.AgreesWith(
            "Examples/ferry-ageing.24-months.csv",
            Projection.Of(EstateDocument.Read(File.ReadAllText("Examples/ferry-ageing.json")).Value, 24).Rows()
        );

    [Fact]
    public void The_day_loop_gives_the_example_of_ageing_and_keeping_too() =>
        Compare.AgreesWith(
            "Examples/ferry-ageing.24-months.csv",
            DayLoop.Rows(EstateDocument.Read(File.ReadAllText("Examples/ferry-ageing.json")).Value, 24)
        );

    [Fact]
    public void The_fast_method_equals_the_day_loop_on_random_estates() =>
        RandomEstates.Check(
            300,
            estate =>
            {
                var months = RandomEstates.Months(estate, 9);
                return Compare.Difference(DayLoop.Rows(estate, months), [.. Projection.Of(estate, months).Rows()]);
            }
        );

    [Fact]
    public void A_changed_projection_equals_one_made_afresh() =>
        RandomEstates.Check(
            100,
            estate =>
            {
                var old = Projection.Of(estate, 12);
                var changed = estate.With(
                    estate.Buckets[0] with
                    {
                        Rules = [],
                        Streams = [.. estate.Buckets[0].Streams, Samples.Steady(3, 5_000_000)],
                    },
                    estate.Buckets[0].Name
                );
                return Compare.Difference([.. Projection.Of(changed, 12).Rows()], [.. old.With(changed).Rows()]);
            }
        );

    [Fact]
    public void Splitting_a_stream_changes_nothing() =>
        RandomEstates.Check(
            100,
            estate =>
            {
                static ObjectStream Part(ObjectStream s, double share) => s with { ObjectsPerDay = s.ObjectsPerDay * share };
                var split = estate with
                {
                    Buckets =
                    [
                        .. estate.Buckets.Select(b =>
                            b with
                            {
                                Streams = [.. b.Streams.SelectMany(s => new[] { Part(s, 0.3), Part(s, 0.7) })],
                            }
                        ),
                    ],
                };
                return Compare.Difference([.. Projection.Of(estate, 24).Rows()], [.. Projection.Of(split, 24).Rows()]);
            }
        );

    [Fact]
    public void The_bill_never_falls_when_a_price_rises() =>
        RandomEstates.Check(
            100,
            estate =>
            {
                var before = Total(estate, 24);
                foreach (var dearer in Dearer(estate))
                {
                    var after = Total(dearer, 24);
                    if (after < before * (1 - 1e-12))
                        return $"fell from {before} to {after}";
                }
                return null;
            }
        );

    private static IEnumerable<Estate> Dearer(Estate estate)
    {
        Func<TierPrice, TierPrice>[] rises =
        [
            p => p with { Storage = [.. p.Storage.Select(b => b with { Price = new(b.Price.PerUnit * 1.5) })] },
            p => p with { Writes = new(p.Writes.PerThousand + 0.01) },
            p => p with { Reads = new(p.Reads.PerThousand + 0.01) },
            p => p with { MovesIn = new(p.MovesIn.PerThousand + 0.01) },
            p => p with { RecallRequests = new(p.RecallRequests.PerThousand + 0.01) },
            p => p with { Recall = new(p.Recall.PerUnit + 0.01) },
            p => p with { Watching = new(p.Watching.PerThousand + 0.01) },
        ];
        var book = estate.PriceBook;
        foreach (var rise in rises)
        {
            yield return estate with
            {
                PriceBook = book with { Regions = [.. book.Regions.Select(r => r with { Prices = [.. r.Prices.Select(rise)] })] },
            };
        }
    }

    [Fact]
    public void Buckets_that_do_not_share_a_pool_or_copy_cost_what_they_cost_alone() =>
        RandomEstates.Check(
            100,
            estate =>
            {
                var lone = estate with
                {
                    PriceBook = estate.PriceBook.ListPrices() with
                    {
                        Regions =
                        [
                            .. estate
                                .PriceBook.ListPrices()
                                .Regions.Select(r => r with { Prices = [.. r.Prices.Select(p => p with { Storage = [p.Storage[^1]] })] }),
                        ],
                    },
                    Buckets = [.. estate.Buckets.Select(b => b with { CopyTo = [] })],
                };
                lone = lone with { PriceBook = lone.PriceBook with { Changes = [] } };
                var together = Total(lone, 18);
                var parts = lone.Buckets.Sum(b => Total(lone with { Buckets = [b] }, 18));
                return Compare.Close(together, parts) ? null : $"{together} is not {parts}";
            }
        );

    // Little, "A Proof for the Queuing Formula: L = λW" (1961): what settles is arrivals × stay, here for each tier.
    [Fact]
    public void Constant_arrivals_settle_at_arrivals_times_days_in_each_tier()
    {
        var estate = Samples.Single(
            Samples.Steady(12, 2_000_000),
            [new Step { Age = 30, Tier = "pantry" }, new Step { Age = 120, Tier = "cellar" }],
            485
        );
        var lastMonth = Projection
            .Of(estate, 30)
            .Rows()
            .Where(r => r.Month == new Month(2028, 8) && r.Charge == Charge.Storage)
            .ToDictionary(r => r.Tier, r => r.Quantity);

        const double gbADay = 12 * 2_000_000 / 1e9;
        Assert.Equal(gbADay * 30, lastMonth["counter"], 1e-9);
        Assert.Equal(gbADay * 90, lastMonth["pantry"], 1e-9);
        Assert.Equal(gbADay * 365, lastMonth["cellar"], 1e-9);
    }

    // Sum of a geometric series: N(0) (r^n - 1) / (r - 1), with r = (1 + g)^(1/365).
    [Theory]
    [InlineData(0.25)]
    [InlineData(-0.4)]
    public void Growing_arrivals_are_a_geometric_series(double growth)
    {
        var estate = Samples.Single(Samples.Steady(50, 1_000_000) with { YearlyGrowth = growth }, [], null);
        var projection = Projection.Of(estate, 360);
        var written = projection.Rows().Where(r => r.Charge == Charge.Writes).Sum(r => r.Quantity);

        var days = new DateOnly(2056, 3, 1).DayNumber - estate.Today.DayNumber;
        var r = Math.Pow(1 + growth, 1 / 365.0);
        var expected = 50 * (Math.Pow(r, days) - 1) / (r - 1);
        Assert.Equal(1, written / expected, 1e-11);
    }

    [Fact]
    public void A_month_in_the_thirtieth_year_of_shrinking_arrivals_is_still_exact()
    {
        var estate = Samples.Single(
            Samples.Steady(1e9, 1_000_000_000) with
            {
                YearlyGrowth = -0.5,
            },
            [new Step { Age = 1, Tier = "cellar" }],
            2
        );
        var last = Projection.Of(estate, 360).Rows().Last(r => r is { Charge: Charge.Storage, Tier: "counter" });

        var first = new DateOnly(2056, 2, 1).DayNumber - estate.Today.DayNumber;
        var expected = Enumerable.Range(first, 29).Sum(d => 1e9 * Math.Pow(0.5, d / 365.0)) / 29;
        Assert.Equal(1, last.Quantity / expected, 1e-11);
    }

    [Fact]
    public void A_bill_by_hand()
    {
        // 1,000 objects of 1 GB, 10 days old on 1 March; to the cave (150 days at least) at 20 days, gone at 50.
        var bucket = Samples.Bucket([], [new Step { Age = 20, Tier = "cave" }], 50) with
        {
            Stock =
            [
                new Lot
                {
                    Created = new(2026, 2, 19),
                    InTierSince = new(2026, 2, 19),
                    Tier = "counter",
                    Objects = 1000,
                    BytesPerObject = 1_000_000_000,
                },
            ],
        };
        var rows = Projection.Of(Samples.Around(bucket), 3).Rows().ToDictionary(r => (r.Month.ToString(), r.Tier, r.Charge));

        // 10 of March's 31 days on the counter, then for 21 days 9,000 bytes of index an object: at 0.03.
        Assert.Equal(((1000 * 10) + (0.009 * 21)) / 31 * 0.03, rows[("2026-03", "counter", Charge.Storage)].Amount, 1e-12);
        // On 11 March into the cave, at 0.028 per 1,000; 21 days there in March with 18,000 bytes on top, 9 in April.
        Assert.Equal(0.028, rows[("2026-03", "cave", Charge.Moves)].Amount, 1e-12);
        Assert.Equal(1000.018 * 21 / 31 * 0.0031, rows[("2026-03", "cave", Charge.Storage)].Amount, 1e-12);
        Assert.Equal(1000.018 * 9 / 30 * 0.0031, rows[("2026-04", "cave", Charge.Storage)].Amount, 1e-12);
        // Removed on 10 April after 30 days: the other 120 days are charged then.
        Assert.Equal(1000.018 * 120 / 30 * 0.0031, rows[("2026-04", "cave", Charge.EarlyLeave)].Amount, 1e-12);
        Assert.DoesNotContain(rows.Keys, k => k.Item1 == "2026-05");
    }

    [Theory]
    [InlineData(30_000, 30_000 * 0.03)]
    [InlineData(40_000, 40_000 * 0.03)]
    [InlineData(60_000, (40_000 * 0.03) + (20_000 * 0.027))]
    public void Bands_are_graduated(double unitMonths, double cost) =>
        Assert.Equal(cost, Samples.Small().PriceBook.FindRegion("aldmouth")!.PriceOf("counter")!.StorageCost(unitMonths), 1e-9);

    [Fact]
    public void A_file_has_a_line_for_each_row_told_as_the_library_tells_it()
    {
        var (small, demo) = (Samples.Small(), Samples.Demo());
        foreach (var estate in (Estate[])[small, small with { Buckets = [small.Buckets[0] with { CopyTo = [] }] }, demo])
        {
            var projection = Projection.Of(estate, 24);
            using var text = new MemoryStream();
            ForecastFiles.WriteCsv(projection, text);
            var lines = Encoding.UTF8.GetString(text.ToArray()).Split("\r\n");

            Assert.Equal("month,bucket,region,tier,charge,quantity,unit,amount", lines[0]);
            Assert.Equal(
                projection
                    .Rows()
                    .Select(r =>
                        string.Create(
                            CultureInfo.InvariantCulture,
                            $"{r.Month},{r.Bucket},{r.Region},{r.Tier},{r.Charge.Name()},{r.Quantity},{r.Unit},{r.Amount}"
                        )
                    ),
                lines[1..^1]
            );
        }
        // What is agreed has no bucket, and several regions.
        Assert.True(Projection.Of(demo, 24).Rows().Where(r => r.Bucket.Length == 0).Select(r => r.Region).Distinct().Count() > 1);
    }

    [Fact]
    public void Every_charge_has_a_row_name()
    {
        var rows = Projection.Of(Samples.Small(), 24).Rows();
        Assert.Equal(
            ["early-leave", "moves", "reads", "recall", "storage", "transfer", "writes"],
            rows.Select(r => r.Charge.Name()).Distinct().Order()
        );
    }

    private static double Total(Estate estate, int months) => Projection.Of(estate, months).Rows().Sum(r => r.Amount);

    [Fact]
    public void Of_very_many_buckets_the_dearest_have_lines_and_the_rest_is_one_with_nothing_lost()
    {
        var demo = Samples.Demo();
        var bucket = demo.Find("port-sonar")! with { CopyTo = [] };
        var many = demo with
        {
            Buckets =
            [
                .. Enumerable
                    .Range(0, 30)
                    .Select(i => bucket with { Name = $"sonar-{i:00}", Stock = [bucket.Stock[0] with { Objects = 1000 + i }] }),
            ],
        };
        var series = ForecastSeries.Of(Projection.Of(many, 24), SplitBy.Bucket);
        Assert.Equal(ForecastSeries.MostLines, series.Lines.Count);
        Assert.Equal(Enumerable.Range(19, 11).Select(i => $"sonar-{i:00}").Append(""), series.Lines.Select(l => l.Key));
        for (var m = 0; m < 24; m++)
        {
            Assert.Equal(series.Money[m], series.Lines.Sum(l => l.Money[m]), 1e-9 * series.Money[m]);
            Assert.Equal(series.Bytes[m], series.Lines.Sum(l => l.Bytes![m]), 1e-9 * series.Bytes[m]);
        }
    }

    [Fact]
    public void Money_of_a_changed_estate_is_the_money_of_that_estate_alone()
    {
        var demo = Samples.Demo();
        var before = Projection.Of(demo, 60);
        Assert.NotEmpty(before.Money);
        foreach (var bucket in demo.Buckets)
        {
            var draft = bucket with { Streams = [.. bucket.Streams.Select(s => s with { ObjectsPerDay = s.ObjectsPerDay * 3 })] };
            var changed = demo.With(draft, bucket.Name);
            var (taken, alone) = (before.With(changed).Money, Projection.Of(changed, 60).Money);
            for (var b = 0; b < demo.Buckets.Count; b++)
            {
                for (var m = 0; m < 60; m++)
                    Assert.Equal(alone[b][m], taken[b][m], 1e-9 * Math.Max(1, alone[b][m]));
            }
        }
    }
}
