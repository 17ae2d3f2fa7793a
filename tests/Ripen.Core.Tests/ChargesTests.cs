using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>Single charges worked out by hand, one rule of the contract each.</summary>
public class ChargesTests
{
    private const long Gigabyte = 1_000_000_000;

    // IEC 80000-13: 1 GiB = 2^30 bytes, 1 GB = 10^9 bytes.
    [Fact]
    public void A_gibibyte_is_two_to_the_thirty_bytes()
    {
        var inGb = Storage(Lying(objects: 1000, bytes: Gigabyte), "2026-04").Quantity;
        var estate = Lying(objects: 1000, bytes: Gigabyte);
        var row = Storage(estate with { PriceBook = estate.PriceBook with { Unit = SizeUnit.GiB } }, "2026-04");
        Assert.Equal("GiB-month", row.Unit);
        Assert.Equal(1e9 / Math.Pow(2, 30), row.Quantity / inGb, 1e-12);
    }

    [Theory]
    [InlineData("2026-03", 31 / 30.0)]
    [InlineData("2026-04", 30 / 30.0)]
    [InlineData("2027-02", 28 / 30.0)]
    [InlineData("2028-02", 29 / 30.0)]
    public void A_thirty_day_month_bills_every_day_of_the_month_as_a_thirtieth(string month, double months)
    {
        var estate = Lying(objects: 10, bytes: Gigabyte);
        Assert.Equal(10, Storage(estate, month).Quantity, 1e-9);
        Assert.Equal(
            10 * months,
            Storage(estate with { PriceBook = estate.PriceBook with { Month = BillingMonth.ThirtyDays } }, month).Quantity,
            1e-9
        );
    }

    [Fact]
    public void The_first_month_is_billed_for_the_days_that_are_left_of_it()
    {
        var estate = Lying(objects: 10, bytes: Gigabyte) with { Today = new(2028, 2, 20) };
        Assert.Equal(10 * 10 / 29.0, Storage(estate, "2028-02").Quantity, 1e-9);
    }

    [Fact]
    public void Bands_are_the_whole_regions_and_each_bucket_pays_its_part_times_its_scheme()
    {
        var estate = Lying(objects: 30_000, bytes: Gigabyte);
        var wide = estate.Buckets[0] with
        {
            Name = "second",
            Scheme = "three-zones",
            Stock = [estate.Buckets[0].Stock[0] with { Objects = 20_000 }],
        };
        estate = estate with { Buckets = [estate.Buckets[0], wide] };

        const double pool = (40_000 * 0.03) + (10_000 * 0.027);
        Assert.Equal(pool * 3 / 5, Storage(estate, "2026-03", "one-bucket").Amount, 1e-6);
        Assert.Equal(pool * 2 / 5 * 1.24, Storage(estate, "2026-03", "second").Amount, 1e-6);
    }

    [Fact]
    public void Small_objects_are_billed_at_the_tiers_smallest_size_and_their_index_where_they_land()
    {
        var estate = Samples.Around(
            Samples.Bucket([], [new Step { Age = 1, Tier = "pantry" }], null) with
            {
                Stock = [Lot(age: 5, 1_000_000, 10)],
            }
        );
        Assert.Equal(1e6 * 50_000 / 1e9, Storage(estate, "2026-03", tier: "pantry").Quantity, 1e-9);

        var cave = Samples.Around(
            Samples.Bucket([], [new Step { Age = 1, Tier = "cave" }], null) with
            {
                Stock = [Lot(age: 5, 1_000_000, 10)],
            }
        );
        Assert.Equal(1e6 * (10 + 18_000) / 1e9, Storage(cave, "2026-03", tier: "cave").Quantity, 1e-9);
        Assert.Equal(1e6 * 9_000 / 1e9, Storage(cave, "2026-03", tier: "counter").Quantity, 1e-9);
    }

    [Fact]
    public void A_keep_date_holds_an_expiry_back_until_that_day_and_no_longer()
    {
        var bucket = Samples.Bucket([Samples.Steady(1, Gigabyte)], [], 10) with
        {
            Keep = new KeepRule { Until = new(2026, 5, 1), Strength = KeepStrength.Sealed },
        };
        var rows = Projection
            .Of(Samples.Around(bucket), 4)
            .Rows()
            .Where(r => r.Charge == Charge.Storage)
            .ToDictionary(r => r.Month.ToString(), r => r.Quantity);
        // In April nothing goes: on day n of the projection there are n + 1 objects. From May on there are ten.
        Assert.Equal(Enumerable.Range(31, 30).Sum(day => day + 1) / 30.0, rows["2026-04"], 1e-9);
        Assert.Equal(10, rows["2026-05"], 1e-9);
        Assert.Equal(10, rows["2026-06"], 1e-9);
    }

    [Fact]
    public void All_that_a_keep_date_lets_go_at_once_pays_for_the_rest_of_its_own_stay()
    {
        var bucket = Samples.Bucket([Samples.Steady(1, Gigabyte)], [new Step { Age = 5, Tier = "pantry" }], 8) with
        {
            Keep = new KeepRule { Until = new(2026, 4, 1), Strength = KeepStrength.Sealed },
        };
        var early = Projection
            .Of(Samples.Around(bucket), 2)
            .Rows()
            .Single(r => r is { Charge: Charge.EarlyLeave, Tier: "pantry" } && r.Month.Number == 4);
        // Created on day c of March (0 to 22 are overdue on 1 April, day 31): in the pantry since day c + 5, so 31 − c − 5 of 20 days.
        var onTheDate = Enumerable.Range(0, 23).Sum(c => Math.Max(0, 20 - (31 - c - 5)));
        // The others leave at age 8 after three days: one on each day of April.
        Assert.Equal((onTheDate + (30 * 17)) / 30.0, early.Quantity, 1e-9);
    }

    [Fact]
    public void Half_an_object_a_day_is_half_of_everything()
    {
        var whole = Projection
            .Of(Samples.Single(Samples.Steady(1, Gigabyte), [new Step { Age = 30, Tier = "cave" }], 100), 12)
            .Rows()
            .ToList();
        var half = Projection
            .Of(Samples.Single(Samples.Steady(0.5, Gigabyte), [new Step { Age = 30, Tier = "cave" }], 100), 12)
            .Rows()
            .ToList();
        Assert.Equal(whole.Count, half.Count);
        Assert.All(whole.Zip(half), pair => Assert.Equal(pair.First.Amount / 2, pair.Second.Amount, 1e-12));
    }

    [Fact]
    public void A_copy_is_written_and_carried_on_the_day_it_arrives_and_goes_no_further()
    {
        var estate = Copying(catchUp: false);
        var rows = Projection.Of(estate, 1).Rows().ToList();
        Assert.Equal(31 * 100, rows.Single(r => r is { Bucket: "second", Charge: Charge.Writes }).Quantity, 1e-9);
        Assert.Equal(31 * 100 * 0.026, rows.Single(r => r is { Bucket: "first", Charge: Charge.Transfer }).Amount, 1e-9);
        Assert.DoesNotContain(rows, r => r.Bucket == "third");
        Assert.DoesNotContain(rows, r => r is { Bucket: "second", Charge: Charge.Transfer, Quantity: > 0 });
    }

    [Fact]
    public void Catching_up_brings_the_stock_on_the_first_day_with_its_own_days_of_creation()
    {
        var without = Projection.Of(Copying(catchUp: false), 2).Rows().ToList();
        var with = Projection.Of(Copying(catchUp: true), 2).Rows().ToList();
        double Difference(string bucket, Charge charge, int month) => Of(with, bucket, charge, month) - Of(without, bucket, charge, month);

        Assert.Equal(500, Difference("second", Charge.Writes, 3), 1e-9);
        Assert.Equal(500, Difference("first", Charge.Transfer, 3), 1e-9);
        // 40 days old on 1 March, gone from the copy at 60 days: 20 days of March and none of April.
        Assert.Equal(500 * 20 / 31.0, Difference("second", Charge.Storage, 3), 1e-9);
        Assert.Equal(0, Difference("second", Charge.Storage, 4), 1e-9);
    }

    private static UnitPrice Two(UnitPrice p) => new(2 * p.PerUnit);

    private static PricePerThousand Two(PricePerThousand p) => new(2 * p.PerThousand);

    private static TierPrice Two(TierPrice p) =>
        p with
        {
            Storage = [.. p.Storage.Select(b => b with { Price = Two(b.Price) })],
            Writes = Two(p.Writes),
            Reads = Two(p.Reads),
            MovesIn = Two(p.MovesIn),
            RecallRequests = Two(p.RecallRequests),
            Watching = Two(p.Watching),
            Recall = Two(p.Recall),
        };

    [Fact]
    public void Twice_the_prices_are_twice_the_bill() =>
        RandomEstates.Check(
            60,
            random =>
            {
                var estate = random with { PriceBook = random.PriceBook.ListPrices() };
                var book = estate.PriceBook;
                var doubled = estate with
                {
                    PriceBook = book with
                    {
                        Transfers = [.. book.Transfers.Select(t => t with { Price = Two(t.Price) })],
                        Regions = [.. book.Regions.Select(r => r with { Prices = [.. r.Prices.Select(Two)] })],
                        Changes =
                        [
                            .. book.Changes.Select(c =>
                                c with
                                {
                                    Regions = [.. c.Regions.Select(r => r with { Prices = [.. r.Prices.Select(Two)] })],
                                    Transfers = [.. c.Transfers.Select(t => t with { Price = Two(t.Price) })],
                                }
                            ),
                        ],
                    },
                };
                var expected = Projection.Of(estate, 12).Rows().Select(r => r with { Amount = 2 * r.Amount }).ToList();
                return Compare.Difference(expected, [.. Projection.Of(doubled, 12).Rows()]);
            }
        );

    [Fact]
    public void A_calendar_counts_days_from_today_across_leap_years()
    {
        var calendar = new BillingCalendar(new(2027, 12, 30), 4, BillingMonth.Calendar, []);
        Assert.Equal([0, 2, 33, 62], Enumerable.Range(0, 4).Select(calendar.Start));
        Assert.Equal(93, calendar.Days);
        Assert.Equal([31, 31, 29, 31], Enumerable.Range(0, 4).Select(calendar.BilledDays));
        Assert.Equal([0, 0, 1, 2, 3], new[] { -5, 1, 2, 40, 4000 }.Select(calendar.MonthOf));
        Assert.Throws<ArgumentOutOfRangeException>(() => new BillingCalendar(new(2027, 1, 1), 0, BillingMonth.Calendar, []));
    }

    private static double Of(List<ForecastRow> rows, string bucket, Charge charge, int month) =>
        rows.Where(r => r.Bucket == bucket && r.Charge == charge && r.Month.Number == month).Sum(r => r.Quantity);

    private static Estate Copying(bool catchUp)
    {
        var first = Samples.Bucket([Samples.Steady(100, Gigabyte)], [], null) with
        {
            Name = "first",
            Stock = [Lot(age: 40, 500, Gigabyte)],
            CopyTo = [new CopyRule { Bucket = "second", CatchUp = catchUp }],
        };
        var second = Samples.Bucket([], [], 60) with
        {
            Name = "second",
            Region = "kestrel-sound",
            CopyTo = [new CopyRule { Bucket = "third" }],
        };
        return Samples.Small() with { Buckets = [first, second, Samples.Bucket([], [], null) with { Name = "third" }] };
    }

    private static Estate Lying(long objects, long bytes) =>
        Samples.Around(Samples.Bucket([], [], null) with { Stock = [Lot(age: 0, objects, bytes)] });

    private static Lot Lot(int age, long objects, long bytes)
    {
        var created = Samples.Small().Today.AddDays(-age);
        return new Lot
        {
            Created = created,
            InTierSince = created,
            Tier = "counter",
            Objects = objects,
            BytesPerObject = bytes,
        };
    }

    private static ForecastRow Storage(Estate estate, string month, string? bucket = null, string? tier = null) =>
        Projection
            .Of(estate, 36)
            .Rows()
            .First(r =>
                r.Charge == Charge.Storage
                && r.Month.ToString() == month
                && (bucket is null || r.Bucket == bucket)
                && (tier is null || r.Tier == tier)
            );
}
