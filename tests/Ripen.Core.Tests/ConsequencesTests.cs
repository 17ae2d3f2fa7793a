using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

public class ConsequencesTests
{
    [Fact]
    public void Before_and_after_are_the_forecasts_of_both_estates() =>
        RandomEstates.Check(
            30,
            estate =>
            {
                var draft = estate.Buckets[0] with
                {
                    Rules =
                    [
                        new LifecycleRule
                        {
                            Id = "new",
                            Steps = [new Step { Age = 20, Tier = "cave" }],
                            ExpireAt = 90,
                        },
                    ],
                };
                var consequences = Consequences.Of(Projection.Of(estate, Consequences.Months), draft, draft.Name);
                var after = Projection.Of(estate.With(draft, draft.Name), 36).Rows().ToList();
                var before = Projection.Of(estate, 36).Rows().ToList();
                var third = consequences.Cost[1];
                double Year3(List<ForecastRow> rows, string? bucket) =>
                    rows.Where(r => bucket is null || r.Bucket == bucket).Where(r => InThirdYear(r.Month, estate.Today)).Sum(r => r.Amount);
                return
                    Compare.Close(Year3(before, draft.Name), third.BucketBefore)
                    && Compare.Close(Year3(after, draft.Name), third.BucketAfter)
                    && Compare.Close(Year3(before, null), third.EstateBefore)
                    && Compare.Close(Year3(after, null), third.EstateAfter)
                    ? null
                    : $"third year {third}";
            }
        );

    [Fact]
    public void A_draft_that_changes_nothing_changes_no_cost()
    {
        var estate = Samples.Demo();
        foreach (var bucket in estate.Buckets)
        {
            var consequences = Consequences.Of(Projection.Of(estate, Consequences.Months), bucket with { }, bucket.Name);
            Assert.All(consequences.Cost, c => Assert.Equal(c.EstateBefore, c.EstateAfter, c.EstateBefore * 1e-12));
            Assert.All(consequences.Charges, c => Assert.Equal(c.Before, c.After, 1e-9));
        }
    }

    [Fact]
    public void What_moves_now_is_charged_now()
    {
        var estate = Samples.Demo();
        var draft = estate.Find("port-sonar")! with
        {
            Rules = [new LifecycleRule { Id = "old", Steps = [new Step { Age = 60, Tier = "cave" }] }],
        };
        var consequences = Consequences.Of(Projection.Of(estate, Consequences.Months), draft, draft.Name);
        var old = draft.Stock.Where(l => l.Created <= estate.Today.AddDays(-60)).ToList();
        var move = Assert.Single(consequences.Now);
        Assert.Equal(old.Sum(l => l.Objects), move.Objects);
        Assert.Equal(old.Sum(l => l.Objects) * 0.0296 / 1000, move.MoveCharge, 1e-9);
        Assert.Equal(move.MoveCharge + move.EarlyLeaveCharge, consequences.OneOffCharges, 1e-12);
        Assert.True(
            consequences.Cost[2].BucketAfter < 0.2 * consequences.Cost[2].BucketBefore,
            "cold storage of what nobody reads saves most of the bill"
        );
        Assert.Contains(consequences.Slow, s => s is { Tier: "cave", WaitHours: 18, BytesBefore: 0, BytesAfter: > 0 });
    }

    /// <summary>A step's worth is the difference of two bills, told day by day: with the step and without it, minimum stays of every tier
    /// included, the landing tier's too.</summary>
    [Theory]
    [InlineData(0, 0.0)]
    [InlineData(60, 0.0)]
    [InlineData(60, 0.002)]
    public void What_a_step_saves_is_the_difference_of_two_bills(int landingStay, double read)
    {
        var demo = Samples.Demo();
        var prices = demo.PriceBook.ListPrices() with
        {
            Month = BillingMonth.ThirtyDays,
            Tiers = [.. demo.PriceBook.Tiers.Select((t, i) => i == 0 ? t with { MinimumStayDays = landingStay } : t)],
        };
        foreach (
            var (steps, expireAt, bytes) in new (Step[], int, long)[]
            {
                ([new Step { Age = 10, Tier = "pantry" }], 400, 5_000_000),
                ([new Step { Age = 10, Tier = "pantry" }, new Step { Age = 25, Tier = "cellar" }], 60, 5_000_000),
                ([new Step { Age = 40, Tier = "pantry" }, new Step { Age = 50, Tier = "cave" }], 120, 300_000),
                ([new Step { Age = 7, Tier = "cellar" }, new Step { Age = 90, Tier = "cave" }], 500, 20_000),
                ([new Step { Age = 55, Tier = "cave" }], 70, 1_000_000_000),
            }
        )
        {
            var bucket = new Bucket
            {
                Name = "weighed",
                Region = "aldmouth",
                Scheme = "three-zones",
                Tier = "counter",
                Streams = [new ObjectStream { ObjectsPerDay = 1, BytesPerObject = bytes }],
                Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = read }],
                Rules =
                [
                    new LifecycleRule
                    {
                        Id = "r",
                        Steps = steps,
                        ExpireAt = expireAt,
                    },
                ],
            };
            var economies = StepEconomies.Of(bucket, demo with { PriceBook = prices, Buckets = [bucket] });
            Assert.Equal(steps.Length, economies.Count);
            for (var i = 0; i < steps.Length; i++)
            {
                var (with, without) = (Bill(steps), Bill([.. steps.Where((_, j) => j != i)]));
                Assert.Equal((without - with) / 1000, economies[i].SavedPerObject - economies[i].MovePerObject, Math.Abs(without) * 1e-12);
            }

            double Bill(Step[] taken) =>
                DayLoop
                    .Rows(
                        demo with
                        {
                            PriceBook = prices,
                            Buckets =
                            [
                                bucket with
                                {
                                    Streams = [],
                                    Rules =
                                    [
                                        new LifecycleRule
                                        {
                                            Id = "r",
                                            Steps = taken,
                                            ExpireAt = expireAt,
                                        },
                                    ],
                                    Stock =
                                    [
                                        new Lot
                                        {
                                            Created = demo.Today,
                                            Tier = "counter",
                                            InTierSince = demo.Today,
                                            Objects = 1000,
                                            BytesPerObject = bytes,
                                        },
                                    ],
                                },
                            ],
                        },
                        18
                    )
                    .Sum(r => r.Amount);
        }
    }

    /// <summary>Worked by hand from the demo's prices for telemetry of 21 kB, which nobody reads here: what a step that bundles is charged and saves.</summary>
    [Fact]
    public void A_step_that_bundles_is_weighed_with_its_bundles()
    {
        var estate = Samples.Demo();
        var bucket = estate.Find("engine-telemetry")! with
        {
            Reads = [],
            Rules =
            [
                new LifecycleRule
                {
                    Id = "r",
                    Steps =
                    [
                        new Step
                        {
                            Age = 30,
                            Tier = "cellar",
                            BundleTo = 21_000_000,
                        },
                    ],
                    ExpireAt = 130,
                },
            ],
        };
        var step = Assert.Single(StepEconomies.Of(bucket, estate.With(bucket, bucket.Name)));
        Assert.Equal(21_000_000, step.BundleTo);
        Assert.Null(step.NetPerYearBundled);
        Assert.Equal((0.0009 + (0.0186 / 1000)) / 1000, step.MovePerObject, 15);
        // Small objects are billed as 96 kB in the cellar, and bundles of a thousand as they are.
        var day = 12 / 365.0 / 1e9;
        Assert.Equal(
            21_000 * (0.0312 - 0.0088) * estate.PriceBook.FindScheme(bucket.Scheme)!.StorageFactor * day * 100,
            step.SavedPerObject,
            15
        );
    }

    /// <summary>Worked by hand from the demo's prices of Aldmouth: a year in the pantry saves 12 × (0.0312 − 0.0194) a GB, and the move costs
    /// 0.0077 for a thousand; who leaves on day d is charged for 21 − d more.</summary>
    [Fact]
    public void Break_even_sizes_are_what_a_hand_works_out()
    {
        var prices = Samples.Demo().PriceBook;
        var curves = BreakEven.Of(prices, "aldmouth", "one-site", "counter", 0);
        Assert.Equal(6, curves.Count);
        var pantry = curves.Single(c => (c.From, c.To) == ("counter", "pantry"));
        Assert.Equal(
            (long)Math.Ceiling(0.0077 / 1000 / (12 * (0.0312 - 0.0194) / 1e9)),
            pantry.Sizes.Single(s => s.StaysDays == 365).Bytes
        );
        Assert.Equal((int)Math.Ceiling(((0.0194 * 21) + (0.0077 / 1000 * 365 / 12)) / 0.0312), pantry.PaysFromDay);
        Assert.Null(pantry.Sizes.Single(s => s.StaysDays == 10).Bytes);
        Assert.All(
            curves,
            c => Assert.Equal(c.Sizes.OrderByDescending(s => s.Bytes ?? long.MaxValue).Select(s => s.Bytes), c.Sizes.Select(s => s.Bytes))
        );
        // What is read every day is dearer to read in a colder tier than it saves to store.
        Assert.All(BreakEven.Of(prices, "aldmouth", "one-site", "counter", 365), c => Assert.Null(c.PaysFromDay));
    }

    // Common practice, no source: many small objects are cheaper to bundle before they move than to move one by one.
    [Fact]
    public void Small_objects_cost_more_to_move_than_they_save_until_they_are_bundled()
    {
        var estate = Samples.Demo();
        var step = Assert.Single(StepEconomies.Of(estate.Find("engine-telemetry")!, estate));
        Assert.True(step.NetPerYear < 0);
        Assert.True(step.NetPerYearBundled > 0);
        Assert.InRange(step.BreakEvenBytes!.Value, 21_001, 1_000_000);
    }

    [Fact]
    public void A_step_pays_from_its_break_even_size_on_and_not_below()
    {
        var estate = Samples.Demo();
        var telemetry = estate.Find("engine-telemetry")!;
        var breakEven = Assert.Single(StepEconomies.Of(telemetry, estate)).BreakEvenBytes!.Value;
        double Net(long bytes)
        {
            var resized = telemetry with { Streams = [telemetry.Streams[0] with { BytesPerObject = bytes }] };
            return Assert.Single(StepEconomies.Of(resized, estate.With(resized, resized.Name))).NetPerYear;
        }
        Assert.True(Net(breakEven) >= 0);
        Assert.True(Net(breakEven - 1) < 0);
    }

    // The advice against the projection itself: with steady arrivals, settled, and no bands, the yearly difference between
    // the bucket with its step and without it is what the advice says the step is worth.
    [Theory]
    [InlineData(21_000)]
    [InlineData(3_000_000)]
    public void What_a_step_is_said_to_save_is_what_the_projection_saves(long bytes)
    {
        var steady = Samples.Steady(1000, bytes);
        var with = Samples.Single(steady, [new Step { Age = 60, Tier = "cellar" }], 400) with
        {
            PriceBook = Samples.Small().PriceBook with { Month = BillingMonth.ThirtyDays },
        };
        var without = with with { Buckets = [Samples.Bucket([steady], [], 400)] };
        with = with with { Buckets = [with.Buckets[0] with { Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.001 }] }] };
        without = without with { Buckets = [without.Buckets[0] with { Reads = with.Buckets[0].Reads }] };

        var thirdYear = DaysOf(with, 24, 36) / 365.0;
        var saved = Year(without) - Year(with);
        // Thirty-day months bill 365/360 of the advice's month; requests are not by the month.
        var said = Assert.Single(StepEconomies.Of(with.Buckets[0], with)).NetPerYear * thirdYear;
        Assert.InRange(saved / said, 0.97, 1.03);

        static double Year(Estate estate) =>
            Projection.Of(estate, 36).Rows().Where(r => InThirdYear(r.Month, estate.Today)).Sum(r => r.Amount);
    }

    [Fact]
    public void Doubts_say_what_the_contract_calls_warnings()
    {
        var estate = Samples.Demo();
        Assert.Contains(Doubts.Of(estate.Find("deck-cameras")!, estate), d => d.Code == "minimum-stay");
        Assert.Contains(Doubts.Of(estate.Find("crew-records")!, estate), d => d is { Code: "expiry-waits", Path: "$.rules[0].expireAt" });
        var messy = estate.Find("port-sonar")! with
        {
            Tier = "pantry",
            Rules =
            [
                new LifecycleRule
                {
                    Id = "a",
                    Steps = [new Step { Age = 5, Tier = "counter" }, new Step { Age = 40, Tier = "cave" }],
                    ExpireAt = 40,
                },
                new LifecycleRule
                {
                    Id = "b",
                    Prefix = "x/",
                    ExpireAt = 10,
                },
            ],
            Keep = new KeepRule { Days = 90, Strength = KeepStrength.Sealed },
        };
        // What expires where versions are kept does not go, and has nothing to wait for.
        Assert.Superset(
            new HashSet<string> { "step-after-expiry", "step-not-colder", "rules-overlap", "versions-never-go" },
            CodesOf(messy)
        );
        Assert.DoesNotContain("expiry-waits", CodesOf(messy));
        var without = messy with { Versioning = false };
        Assert.Superset(new HashSet<string> { "step-after-expiry", "step-not-colder", "rules-overlap", "expiry-waits" }, CodesOf(without));
        Assert.DoesNotContain("versions-never-go", CodesOf(without));
        var earlier = new LifecycleRule
        {
            Id = "c",
            Applies = VersionKind.Earlier,
            ExpireAt = 30,
        };
        Assert.DoesNotContain("versions-never-go", CodesOf(messy with { Rules = [.. messy.Rules, earlier] }));

        HashSet<string> CodesOf(Bucket bucket) => [.. Doubts.Of(bucket, estate.With(bucket, bucket.Name)).Select(d => d.Code)];
        // 0.7 × 96 GB a day want 6.2 Mbit/s of a line that has 5; and telemetry is copied without versions on either side.
        Assert.Equal(["line-too-thin"], Doubts.Of(estate.Find("port-sonar")!, estate).Select(d => d.Code));
        Assert.Equal(
            2,
            Doubts.Of(estate.Find("engine-telemetry")!, estate).Count(d => d is { Code: "copies-without-versions", Path: "$.copyTo[0]" })
        );
        Assert.Empty(Doubts.Of(estate.Find("recorders-far")!, estate));
    }

    [Fact]
    public void Every_split_of_a_forecast_has_the_same_total()
    {
        var projection = Projection.Of(Samples.Demo(), 40);
        var rows = projection.Rows().Sum(r => r.Amount);
        foreach (var by in Enum.GetValues<SplitBy>())
        {
            var series = ForecastSeries.Of(projection, by);
            Assert.Equal(rows, series.Lines.Sum(l => l.Money.Sum()), rows * 1e-12);
            Assert.Equal(rows, series.Money.Sum(), rows * 1e-12);
            Assert.Equal(rows, series.Years.Sum(y => y.Money), rows * 1e-12);
        }
        Assert.Equal([12, 12, 12, 4], projection.Rows().Select(r => r.Month).Distinct().Chunk(12).Select(c => c.Length));
    }

    private static bool InThirdYear(Month month, DateOnly today)
    {
        var m = ((month.Year - today.Year) * 12) + month.Number - today.Month;
        return m is >= 24 and < 36;
    }

    private static int DaysOf(Estate estate, int from, int to) =>
        new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(to).DayNumber
        - new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(from).DayNumber;
}
