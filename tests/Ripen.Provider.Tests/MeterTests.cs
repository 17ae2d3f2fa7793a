using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Tests;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>What the meter charges, against what the projection foresaw: two computations that share the price book and nothing
/// else.</summary>
public sealed class MeterTests
{
    [Fact]
    public void The_demo_estate_runs_400_days_and_each_months_ledger_is_the_projection_of_the_first_day() =>
        RunAndCompare(TestProvider.Demo, 400);

    [Fact]
    public void The_worked_example_is_metered_as_it_is_projected() => RunAndCompare(TestProvider.Small, 400);

    [Fact]
    public void Random_estates_are_metered_as_they_are_projected() =>
        RandomEstates.Check(
            40,
            random =>
            {
                using var provider = new TestProvider(random);
                return Difference(provider, random, 70);
            }
        );

    [Fact]
    public void Random_plans_are_run_thinned_copied_and_metered_as_they_are_projected() =>
        RandomPlans.Check(
            40,
            random =>
            {
                using var provider = new TestProvider(random);
                return Difference(provider, random, 70);
            }
        );

    /// <summary>The worked example of plans beside this file; it runs on for 400 days and is charged what was foreseen.</summary>
    [Fact]
    public void The_example_of_plans_is_metered_as_it_is_projected_for_400_days() =>
        RunAndCompare(EstateDocument.Read(File.ReadAllText("Examples/ferry-backups.json")).Value, 400);

    [Fact]
    public void A_projection_from_a_later_day_goes_on_where_the_meter_stands()
    {
        var estate = TestProvider.Demo;
        var first = Projection.Of(estate, 14).Rows().ToList();
        using var provider = new TestProvider(estate);
        provider.PassDays(new DateOnly(2027, 3, 1).DayNumber - estate.Today.DayNumber);
        var later = AsItStands(provider, estate);
        Assert.Equal(new DateOnly(2027, 3, 1), later.Today);
        Assert.Contains(later.Buckets, b => b.CopyTo.Any(c => c.Waiting.Count > 0));
        var again = Projection.Of(EstateDocument.Read(EstateDocument.Write(later)).Value, 10).Rows().ToList();
        Assert.Null(Compare.Difference([.. first.Where(r => string.CompareOrdinal(r.Month.ToString(), "2027-03") >= 0)], again));
    }

    /// <summary>Bands fill over the whole month, prices change within it before and after that day, and still the rest of the month and those
    /// after it are foreseen as the meter has them.</summary>
    [Fact]
    public void What_is_to_come_of_a_month_that_has_begun_is_what_the_meter_adds_to_it()
    {
        var demo = TestProvider.Demo;
        PriceChange Dearer(int day, double by) =>
            new()
            {
                From = new DateOnly(2026, 11, day),
                Regions =
                [
                    .. demo.PriceBook.Regions.Select(r => new RegionPrices
                    {
                        Id = r.Id,
                        Prices =
                        [
                            .. r.Prices.Select(p =>
                                p with
                                {
                                    Storage = [.. p.Storage.Select(s => s with { Price = new UnitPrice(s.Price.PerUnit * by) })],
                                }
                            ),
                        ],
                    }),
                ],
            };
        var estate = demo with { PriceBook = demo.PriceBook with { Changes = [Dearer(11, 1.5), Dearer(25, 0.4)] } };
        using var provider = new TestProvider(estate);
        provider.PassDays(17);
        var later = AsItStands(provider, estate);
        var projection = Projection.Of(later, 3);
        var soFar = provider.Inside.MonthSoFar();
        Assert.Equal(2, soFar.Storage.Count);
        var foreseen = InOrder(RestOfMonth.Rows(projection, soFar));
        Assert.Equal(
            foreseen.Where(r => r.Month == foreseen[0].Month).Sum(r => r.Amount),
            RestOfMonth.Money(projection, soFar),
            1e-9 * foreseen.Sum(r => r.Amount)
        );
        // By itself the rest of the month would begin in the dearest band again.
        Assert.NotNull(Compare.Difference(InOrder(projection.Rows()), foreseen));
        provider.PassDays(new DateOnly(2027, 2, 1).DayNumber - later.Today.DayNumber);
        Assert.Null(Compare.Difference(foreseen, InOrder(provider.Inside.LedgerMonths(later.Today, new DateOnly(2027, 2, 1)))));
    }

    [Fact]
    public void What_is_to_come_of_random_estates_is_what_the_meter_adds() =>
        RandomEstates.Check(
            25,
            estate =>
            {
                using var provider = new TestProvider(estate);
                provider.PassDays(9);
                var later = AsItStands(provider, estate);
                var foreseen = InOrder(RestOfMonth.Rows(Projection.Of(later, 2), provider.Inside.MonthSoFar()));
                var end = Month.Of(later.Today).Plus(2).FirstDay;
                provider.PassDays(end.DayNumber - later.Today.DayNumber);
                return Compare.Difference(foreseen, InOrder(provider.Inside.LedgerMonths(later.Today, end)));
            }
        );

    private static List<ForecastRow> InOrder(IEnumerable<ForecastRow> rows) =>
        [
            .. rows.Where(r => Math.Abs(r.Quantity) > 1e-12 || Math.Abs(r.Amount) > 1e-12)
                .OrderBy(r => r.Month.ToString(), StringComparer.Ordinal)
                .ThenBy(r => r.Bucket, StringComparer.Ordinal)
                .ThenBy(r => r.Region, StringComparer.Ordinal)
                .ThenBy(r => r.Tier, StringComparer.Ordinal)
                .ThenBy(r => r.Charge.Name(), StringComparer.Ordinal),
        ];

    [Fact]
    public async Task An_objects_events_are_charged_when_they_happen_at_the_price_books_prices()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var price = TestProvider.Demo.PriceBook.FindRegion("aldmouth")!.PriceOf("counter")!;
        await provider.Put("a", TestProvider.Bytes(2_000_000));
        await provider.Get("a");
        await provider.Get("a");
        var charged = provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour").ToDictionary(r => r.Charge);
        Assert.Equal((1, price.Writes.PerThousand / 1000), (charged[Charge.Writes].Quantity, charged[Charge.Writes].Amount));
        Assert.Equal(2, charged[Charge.Reads].Quantity);
        Assert.Equal(2 * price.Reads.PerThousand / 1000, charged[Charge.Reads].Amount, 15);
        Assert.Equal(0.004, charged[Charge.Recall].Quantity, 15);

        provider.PassDays(30); // all of November 2026
        var stored = provider
            .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour")
            .Where(r => r.Charge == Charge.Storage)
            .ToList();
        Assert.Equal(30, stored.Count);
        Assert.Equal(0.002, stored.Sum(r => r.Quantity), 12);
        Assert.Equal(0.002 * price.Storage[0].Price.PerUnit, stored.Sum(r => r.Amount), 12);
        var object1 = provider.Objects.Find("harbour", "a", null)!;
        Assert.Equal(
            provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour").Sum(r => r.Amount),
            provider.Inside.ChargedSoFar("harbour", object1.Version)!.Amount,
            12
        );
        provider.PassDays(31);
        await provider.Put("b", TestProvider.Bytes(3_000_000));
        provider.PassDays(5);
        var so = provider.Inside.ChargedSoFar("harbour", object1.Version)!;
        Assert.Equal((price.Writes.PerThousand + (2 * price.Reads.PerThousand)) / 1000, so.Requests - Recalled(), 15);
        Assert.Equal(["2027-01", "2026-12", "2026-11"], so.Storage.Select(s => s.Month.ToString()));
        // 2 MB for a month, and for five days of one that is billed as a twelfth of a year.
        Assert.Equal(0.002, so.Storage[1].UnitMonths, 12);
        Assert.All(so.Storage, s => Assert.Equal(price.Storage[0].Price.PerUnit, s.Price, 12));
        var other = provider.Inside.ChargedSoFar("harbour", provider.Objects.Find("harbour", "b", null)!.Version)!;
        Assert.Equal(
            provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour").Sum(r => r.Amount),
            so.Amount + other.Amount,
            12
        );

        double Recalled() => charged[Charge.Recall].Amount;
    }

    [Fact]
    public async Task Moving_by_hand_costs_what_was_foreseen_and_leaving_early_the_rest_of_the_stay()
    {
        using var provider = new TestProvider(
            TestProvider.OneBucket(b =>
                b with
                {
                    Rules = [new LifecycleRule { Id = "down", Steps = [new Step { Age = 0, Tier = "cellar" }] }],
                }
            )
        );
        await provider.Put("logs/a", TestProvider.Bytes(3_000_000));
        await provider.Put("logs/b", TestProvider.Bytes(1_000));
        provider.PassDays(10);
        Assert.All(provider.Objects.List("harbour", "", null, null, 10).Objects, o => Assert.Equal("cellar", o.Tier));
        var before = Charges();

        var foreseen = provider.Objects.ForeseeMove("harbour", "logs/", true, "counter");
        Assert.Equal(before, Charges());
        var done = provider.Objects.Move("harbour", "logs/", true, "counter");
        Assert.Equivalent(foreseen.Parts, done.Parts, strict: true);
        Assert.Equal(["down"], foreseen.RulesUndo);
        var part = Assert.Single(done.Parts);
        // 84 days at least, 10 stayed (from the 1st to the 11th of November): 74/30 of a month for the billed bytes, small objects as
        // 96,000.
        var price = TestProvider.Demo.PriceBook.FindRegion("aldmouth")!.PriceOf("cellar")!;
        Assert.Equal((3_000_000 + 96_000) / 1e9 * 74 / 30 * price.Storage[0].Price.PerUnit, part.EarlyLeaveCharge, 12);
        Assert.Equal(part.EarlyLeaveCharge + part.MoveCharge + part.RecallCharge, Charges() - before, 12);

        // A recall takes its time on the provider's clock.
        Assert.Equal("recall-under-way", Assert.Throws<RefusalException>(() => provider.Objects.Open("harbour", "logs/a", null)).Code);
        provider.Objects.Move("harbour", "logs/", true, "pantry");
        Assert.Equal("recall-under-way", Assert.Throws<RefusalException>(() => provider.Objects.Open("harbour", "logs/a", null)).Code);
        provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddHours(5), null, CancellationToken.None);
        Assert.Equal(3_000_000, (await provider.Get("logs/a")).Length);

        double Charges() => provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null).Sum(r => r.Amount);
    }

    [Fact]
    public async Task Uploads_are_copied_on_the_same_day_and_age_like_everything_else()
    {
        var estate = TestProvider.OneBucket(b =>
            b with
            {
                CopyTo = [new CopyRule { Bucket = "far-away", Prefix = "keep/" }],
                Rules =
                [
                    new LifecycleRule
                    {
                        Id = "gone",
                        Prefix = "temp/",
                        ExpireAt = 2,
                    },
                ],
            }
        );
        estate = estate with
        {
            Buckets =
            [
                .. estate.Buckets,
                new Bucket
                {
                    Name = "far-away",
                    Region = "kestrel-sound",
                    Scheme = "one-site",
                    Tier = "counter",
                },
            ],
        };
        using var provider = new TestProvider(estate);
        var content = TestProvider.Bytes(5_000);
        await provider.Put("keep/a", content);
        await provider.Put("temp/b", content);
        provider.PassDays(1);
        Assert.Equal(content, await provider.Get("keep/a", bucket: "far-away"));
        Assert.Single(provider.Objects.List("far-away", "", null, null, 10).Objects);
        Assert.Equal(
            5e-6,
            provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour").Single(r => r.Charge == Charge.Transfer).Quantity,
            15
        );
        provider.PassDays(1);
        Assert.Equal(["keep/a", "temp/b"], provider.Objects.List("harbour", "", null, null, 10).Objects.Select(o => o.Key));
        provider.PassDays(1);
        Assert.Equal(["keep/a"], provider.Objects.List("harbour", "", null, null, 10).Objects.Select(o => o.Key));
        // The copy has a file of its own, and what expired is gone from the disk.
        Assert.Equal(2, provider.FilesOnDisk);
        provider.Objects.Delete("harbour", "keep/a", null, null);
        Assert.Equal(content, await provider.Get("keep/a", bucket: "far-away"));
    }

    /// <summary>The estate as the provider stands now, for another projection.</summary>
    internal static Estate AsItStands(TestProvider provider, Estate estate)
    {
        var stock = provider.Inside.Stock(null);
        var since = (stock.Today.DayNumber - estate.Today.DayNumber) / 365.0;
        return estate with
        {
            Today = stock.Today,
            PriceBook = estate.PriceBook.On(stock.Today),
            Buckets =
            [
                .. estate.Buckets.Select(b =>
                    b with
                    {
                        Stock = stock.Buckets[b.Name].Lots,
                        Streams =
                        [
                            .. b.Streams.Select(s => s with { ObjectsPerDay = s.ObjectsPerDay * Math.Pow(1 + s.YearlyGrowth, since) }),
                        ],
                        CopyTo =
                        [
                            .. b.CopyTo.Zip(
                                stock.Buckets[b.Name].Copies,
                                (rule, now) => rule with { CatchUp = rule.CatchUp && !now.IsCaughtUp, Waiting = now.Waiting }
                            ),
                        ],
                    }
                ),
            ],
        };
    }

    private static void RunAndCompare(Estate estate, int days)
    {
        using var provider = new TestProvider(estate);
        Assert.Null(Difference(provider, estate, days));
    }

    /// <summary>Runs so many days, and on to the end of the month; then compares every whole month, row by row.</summary>
    internal static string? Difference(TestProvider provider, Estate estate, int days)
    {
        var until = estate.Today.AddDays(days);
        until = new DateOnly(until.Year, until.Month, 1).AddMonths(1);
        var months = ((until.Year - estate.Today.Year) * 12) + until.Month - estate.Today.Month;
        provider.PassDays(until.DayNumber - estate.Today.DayNumber);
        return Compare.Difference([.. Projection.Of(estate, months).Rows()], Metered(provider, estate.Today));
    }

    /// <summary>What was charged from <paramref name="since"/> on, by month.</summary>
    internal static List<ForecastRow> Metered(TestProvider provider, DateOnly since) =>
        provider
            .Inside.Ledger(since, DateOnly.MaxValue, null)
            .GroupBy(r => new ForecastRow(Month.Of(r.Day), r.Bucket, r.Region, r.Tier, r.Charge, 0, r.Unit, 0))
            .Select(g => g.Key with { Quantity = g.Sum(r => r.Quantity), Amount = g.Sum(r => r.Amount) })
            // What was missing to a commitment in the middle of a month, and no more at its end.
            .Where(r => !r.Charge.IsAgreed() || Math.Abs(r.Amount) > 1e-12)
            .OrderBy(r => r.Month.ToString(), StringComparer.Ordinal)
            .ThenBy(r => r.Bucket, StringComparer.Ordinal)
            .ThenBy(r => r.Region, StringComparer.Ordinal)
            .ThenBy(r => r.Tier, StringComparer.Ordinal)
            .ThenBy(r => r.Charge.Name(), StringComparer.Ordinal)
            .ToList();
}
