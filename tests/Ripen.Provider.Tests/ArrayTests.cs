using Ripen.Core.Arrays;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Tests;

/// <summary>Local arrays whose data leaves for a bucket: when it leaves, what both know of it, how it comes home, and that nothing loses
/// it.</summary>
public sealed class ArrayTests : IDisposable
{
    private static readonly DateOnly Today = TestProvider.Demo.Today;

    private static ArrayData Unused(int days, string folder, long files, long bytes, bool snapshots = false) =>
        new()
        {
            Folder = folder,
            Files = files,
            BytesPerFile = bytes,
            LastUsed = Today.AddDays(-days),
            OnlyInSnapshots = snapshots,
        };

    private static readonly LocalArray Office = new()
    {
        Id = "office",
        Name = "Office array",
        Region = "quarrydown",
        CapacityBytes = 1e13,
        PricePerUnitMonth = new UnitPrice(0.04),
        Bucket = "harbour",
        Volumes =
        [
            new ArrayVolume
            {
                Id = "drawings",
                Name = "Drawings",
                Data =
                [
                    Unused(400, "old/", 1000, 3_000_000),
                    Unused(85, "hulls/", 500, 8_000_000),
                    Unused(85, "hulls/", 700, 9_000),
                    Unused(3, "hulls/", 40, 5_000_000),
                    Unused(20, "", 10, 600_000_000, snapshots: true),
                ],
            },
            new ArrayVolume
            {
                Id = "boot",
                Name = "Boot volumes",
                StaysBecause = "machines start from it",
                Data = [Unused(900, "", 5, 1_000_000)],
            },
        ],
        Leaving =
        [
            new LeavingRule
            {
                Id = "untouched",
                AfterDays = 90,
                SmallestBytes = 100_000,
            },
            new LeavingRule
            {
                Id = "snapshots",
                AfterDays = 30,
                OnlyInSnapshots = true,
            },
        ],
    };

    private static readonly Estate Estate = TestProvider.OneBucket(b =>
        b with
        {
            Rules =
            [
                new LifecycleRule { Id = "ages", Steps = [new Step { Age = 14, Tier = "pantry" }, new Step { Age = 60, Tier = "cellar" }] },
            ],
            Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.001 }],
        }
    ) with
    {
        Arrays = [Office],
        Targets = [],
        Workloads = [],
        Plans = [],
        Carriers = [],
    };

    private readonly TestProvider provider = new(Estate);

    public void Dispose() => provider.Dispose();

    private LocalArray Now => provider.Inside.Stock(null).Arrays.Single();

    private double InBucket => provider.Inside.Stock(null).Buckets["harbour"].Lots.Sum(l => l.Count * l.BytesPerObject);

    private static string Code(Action act) => Assert.Throws<RefusalException>(act).Code;

    [Fact]
    public void Data_leaves_in_the_night_of_its_day_and_nothing_else_does()
    {
        provider.PassDays(1);
        Assert.Equal([Today], Away());
        Assert.Equal(3e9, InBucket);
        provider.PassDays(5);
        Assert.Equal(3e9 + 4e9, InBucket);
        provider.PassDays(5);
        Assert.Equal(3e9 + 4e9 + 6e9, InBucket);
        provider.PassDays(77);
        Assert.Equal(3e9 + 4e9 + 6e9 + 200e6, InBucket);
        provider.PassDays(400);
        Assert.Equal(4, Away().Length);
        Assert.All(Now.Volumes[1].Data, d => Assert.Null(d.Away));
        provider.Reopen(Estate);
        Assert.Equal(4, Away().Length);

        DateOnly[] Away() => [.. Now.All().Select(d => d.Data.Away).OfType<DateOnly>()];
    }

    /// <summary>The two are made apart: the projection from dates, the meter from what the night put into the bucket.</summary>
    [Fact]
    public void What_it_costs_is_metered_as_it_was_projected()
    {
        var projected = Projection.Of(Estate, 5).Rows().ToDictionary(r => (r.Month, r.Tier, r.Charge), r => r.Amount);
        provider.PassDays(new DateOnly(Today.Year, Today.Month, 1).AddMonths(5).DayNumber - Today.DayNumber);
        var metered = provider
            .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour")
            .GroupBy(r => (Month.Of(r.Day), r.Tier, r.Charge))
            .ToDictionary(g => g.Key, g => g.Sum(r => r.Amount));
        Assert.Contains(metered.Keys, k => k.Charge == Charge.Moves);
        Assert.Equal(13.2 * 0.0031, metered.Where(m => m.Key.Charge == Charge.Transfer).Sum(m => m.Value), 1e-12);
        Assert.Equal(projected.Keys.Where(k => projected[k] > 0).ToHashSet(), metered.Keys.Where(k => metered[k] > 0).ToHashSet());
        foreach (var (key, amount) in metered)
            Assert.Equal(projected[key], amount, amount * 1e-11);
        // From a later day on it goes on where the meter stands.
        using var later = new TestProvider(Estate);
        later.PassDays(8);
        var stock = later.Inside.Stock(null);
        var from = Estate with
        {
            Today = later.Inside.Clock.Today,
            Buckets = [Estate.Buckets[0] with { Stock = stock.Buckets["harbour"].Lots }],
            Arrays = stock.Arrays,
        };
        var second = Month.Of(Today.AddMonths(2));
        Assert.Equal(
            projected.Where(r => r.Key.Month == second).Sum(r => r.Value),
            Projection.Of(from, 5).Rows().Where(r => r.Month == second).Sum(r => r.Amount),
            1e-11
        );
    }

    [Fact]
    public void A_volume_comes_home_and_is_charged_and_leaves_again_only_when_nobody_uses_it()
    {
        provider.PassDays(20);
        var foreseen = provider.Inside.Homecomings.Foresee("office", "drawings");
        Assert.Equal((null, 13e9), (foreseen.Refusal, foreseen.Bytes));
        var before = Charged();
        var done = provider.Inside.Homecomings.Bring("office", "drawings");
        Assert.Equivalent(foreseen, done, strict: true);
        Assert.Equal(done.Charges.Once, Charged() - before, 1e-9);
        Assert.True(done.Charges.EarlyLeave > 0);
        Assert.Equal(0, InBucket);
        Assert.All(Now.All(), d => Assert.Null(d.Data.Away));
        Assert.Equal(provider.Inside.Clock.Today, Now.Volumes[0].Data[0].LastUsed);
        Assert.Equal("nothing-away", Code(() => provider.Inside.Homecomings.Bring("office", "drawings")));
        provider.PassDays(1);
        Assert.Equal(0, InBucket);
        provider.PassDays(90);
        Assert.Equal(13e9 + 200e6, InBucket);
        Assert.Equal("no-volume", Code(() => provider.Inside.Homecomings.Bring("office", "attic")));
        Assert.Equal("no-array", Code(() => provider.Inside.Homecomings.Bring("attic", "drawings")));
    }

    private double Charged() => provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null).Sum(r => r.Amount);

    private double Charged(Charge charge) =>
        provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null).Where(r => r.Charge == charge).Sum(r => r.Amount);

    [Fact]
    public void What_is_away_is_read_where_it_is_and_paid_for_every_time()
    {
        provider.PassDays(20);
        for (var time = 1; time <= 2; time++)
        {
            var (before, sent) = (Charged(), Charged(Charge.Transfer));
            var foreseen = provider.Inside.ArrayReads.Foresee("office", "drawings", "old/");
            var read = provider.Inside.ArrayReads.Read("office", "drawings", "old/");
            Assert.Equivalent(foreseen, read, strict: true);
            Assert.Equal(
                (0, 1000, 3e9, false, null, 0),
                (read.HomeBytes, read.Objects, read.Bytes, read.ComesHome, read.StaysBecause, read.Charges.EarlyLeave)
            );
            Assert.Equal(read.Charges.Once, Charged() - before, 1e-9);
            Assert.Equal(3 * Estate.PriceBook.TransferPrice("aldmouth", "quarrydown").For(1), Charged(Charge.Transfer) - sent, 1e-12);
            Assert.Equal(13e9, InBucket);
        }
        Assert.Equal(Today, Now.Volumes[0].Data[0].Away);
        Assert.Equal(provider.Inside.Clock.Today, Now.Volumes[0].Data[0].LastUsed);
        Assert.Equal(Today.AddDays(-85), Now.Volumes[0].Data[1].LastUsed);
        Assert.Equal("no-folder", Code(() => provider.Inside.ArrayReads.Read("office", "drawings", "new/")));
        Assert.Equal("no-volume", Code(() => provider.Inside.ArrayReads.Read("office", "attic", "")));
    }

    [Fact]
    public void Where_reading_brings_home_the_folder_comes_and_leaves_again_when_nobody_used_it_for_as_long()
    {
        provider.Adopt(Estate with { Arrays = [Office with { HomeOnRead = true }] }, version: 2);
        provider.PassDays(20);
        var before = Charged();
        var read = provider.Inside.ArrayReads.Read("office", "drawings", "hulls/");
        Assert.Equal((700 * 9_000d + 40 * 5e6, 4e9, true), (read.HomeBytes, read.Bytes, read.ComesHome));
        Assert.True(read.Charges.EarlyLeave > 0);
        Assert.Equal(read.Charges.Once, Charged() - before, 1e-9);
        Assert.Equal(9e9, InBucket);
        var used = provider.Inside.Clock.Today;
        Assert.All(Now.Volumes[0].Data.Where(d => d.Folder == "hulls/"), d => Assert.Equal((null, used), (d.Away, d.LastUsed)));
        Assert.Equal(Today, Now.Volumes[0].Data[0].Away);
        provider.PassDays(90);
        Assert.Equal(9e9, InBucket);
        provider.PassDays(1);
        Assert.Equal(13e9 + 200e6, InBucket);
        // What is at home is read at no charge.
        Assert.Equal(0, provider.Inside.ArrayReads.Read("office", "boot", "").Charges.Once);
    }

    [Fact]
    public void What_is_kept_or_has_no_room_is_read_where_it_is_though_reading_brings_home()
    {
        var home = Office with { HomeOnRead = true };
        provider.Adopt(Estate with { Arrays = [home] }, version: 2);
        provider.PassDays(20);
        var full = home with { CapacityBytes = 5e9 };
        provider.Adopt(Estate with { Arrays = [full] }, version: 3);
        var read = provider.Inside.ArrayReads.Read("office", "drawings", "old/");
        Assert.Equal((3e9, true), (read.Bytes, read.ComesHome));
        Assert.Equal((10e9, false, true), Read());
        var keep = new KeepRule { Days = 500, Strength = KeepStrength.Sealed };
        provider.Adopt(Estate with { Arrays = [home], Buckets = [Estate.Buckets[0] with { Keep = keep }] }, version: 4);
        Assert.Equal((10e9, false, true), Read());
        Assert.Equal(10e9, InBucket);
        provider.PassDays(70);
        Assert.Equal("needs-recall", Code(() => provider.Inside.ArrayReads.Read("office", "drawings", "")));

        (double, bool, bool) Read()
        {
            var read = provider.Inside.ArrayReads.Read("office", "drawings", "");
            return (read.Bytes, read.ComesHome, read.StaysBecause is not null);
        }
    }

    /// <summary>By hand: 1,000 files of 3 MB, 20 days away, so 6 days in the pantry.</summary>
    [Fact]
    public void The_price_of_the_choice_is_what_both_ways_cost()
    {
        provider.PassDays(20);
        var stock = provider.Inside.Stock(null);
        var estate = Estate with { Today = provider.Inside.Clock.Today, Arrays = stock.Arrays };
        var array = stock.Arrays[0];
        var only = array with { Volumes = [array.Volumes[0] with { Data = [array.Volumes[0].Data[0]] }] };
        var price = ArrayReadPrice.Of(only, estate)!;
        var (prices, pantry, counter) = (
            estate.PriceBook,
            estate.PriceBook.FindRegion("aldmouth")!.PriceOf("pantry")!,
            estate.PriceBook.FindRegion("aldmouth")!.PriceOf("counter")!
        );
        var reading = provider.Inside.ArrayReads.Foresee("office", "drawings", "old/").Charges.Once;
        Assert.Equal((3e9, 90), (price.Bytes, price.DaysAtHome));
        Assert.Equal(reading, price.WhereItIs, 1e-12);
        var tier = prices.Tiers[prices.Coldness("pantry")];
        var factor = prices.FindScheme(estate.Buckets[0].Scheme)!.StorageFactor;
        var month = 365 / 12.0;
        var billed = 1000 * tier.BilledBytes(3_000_000) / 1e9 * pantry.Storage[0].Price.PerUnit * factor;
        var index = 1000 * tier.IndexBytes / 1e9 * counter.Storage[0].Price.PerUnit * factor;
        var early = billed * (tier.MinimumStayDays - 6) / month;
        var held = (3 * 0.04 - billed - index) * 90 / month;
        var back = counter.Writes.For(1000) + 3 * prices.TransferPrice("quarrydown", "aldmouth").For(1);
        Assert.Equal(reading + early + held + back, price.Home, 1e-9);
        Assert.Null(ArrayReadPrice.Of(only with { Bucket = null }, estate));
        Assert.Null(ArrayReadPrice.Of(only with { Leaving = [] }, estate)!.DaysAtHome);
    }

    [Fact]
    public void What_rests_where_reading_waits_has_to_be_recalled_first()
    {
        provider.PassDays(70);
        Assert.Equal("needs-recall", Code(() => provider.Inside.Homecomings.Bring("office", "drawings")));
        var ordered = provider.Inside.Recalls.Order(new("harbour", "office/drawings/", null, null, 3));
        Assert.Equal("needs-recall", Code(() => provider.Inside.Homecomings.Bring("office", "drawings")));
        provider.Inside.Clock.PassUntil(ordered.ReadyFrom, null, CancellationToken.None);
        Assert.Equal(13e9, provider.Inside.Homecomings.Bring("office", "drawings").Bytes);
    }

    /// <summary>What is away is nowhere else: every way of losing it is tried.</summary>
    [Fact]
    public void Nothing_that_is_away_is_lost_by_a_plan_a_deletion_a_rule_or_an_import_that_is_none()
    {
        provider.PassDays(20);
        var away = InBucket;
        foreach (
            var other in new[]
            {
                Estate with
                {
                    Arrays = [],
                },
                Estate with
                {
                    Arrays = [Office with { Bucket = null }],
                },
                Estate with
                {
                    Buckets = [Estate.Buckets[0] with { Name = "quay" }],
                    Arrays = [Office with { Bucket = "quay" }],
                },
            }
        )
            Assert.Equal("array-data-away", Code(() => provider.Adopt(other, version: 2)));
        var batch = provider.Index(db =>
            Index.Sql.List(db, "SELECT id, key FROM entry WHERE kind = 0", r => (Id: r.GetInt64(0), Key: r.GetString(1))).First()
        );
        Assert.Equal("of-array", Code(() => provider.Objects.Delete("harbour", batch.Key, batch.Id)));
        Assert.Equal(away, InBucket);

        var kept = Estate with
        {
            Buckets =
            [
                Estate.Buckets[0] with
                {
                    Keep = new KeepRule { Days = 500, Strength = KeepStrength.Sealed },
                },
            ],
        };
        provider.Adopt(kept, version: 2);
        provider.PassDays(80);
        Assert.Equal("kept", Code(() => provider.Inside.Homecomings.Bring("office", "drawings")));
    }

    /// <summary>A replication rule keeps a second bucket equal; the array changes over to it when it holds all, and comes home from there.</summary>
    /// <remarks>At 0.1 Mbit/s a day carries 1.08 GB: what leaves in one night takes days.</remarks>
    [Theory]
    [InlineData(null)]
    [InlineData(0.1)]
    public void A_second_bucket_is_kept_equal_as_projected_and_the_array_changes_over_to_it(double? megabits)
    {
        var far = new Bucket
        {
            Name = "far-side",
            Region = "kestrel-sound",
            Scheme = "one-site",
            Tier = "counter",
        };
        var prices = Estate.PriceBook;
        var copied = Estate with
        {
            PriceBook = prices with { Transfers = [.. prices.Transfers.Select(t => t with { MegabitsPerSecond = megabits })] },
            Buckets = [Estate.Buckets[0] with { CopyTo = [new CopyRule { Bucket = "far-side", Prefix = "office/" }] }, far],
        };
        using var both = new TestProvider(copied);
        var projected = Projection.Of(copied, 3).Rows().ToList();
        both.PassDays(new DateOnly(Today.Year, Today.Month, 1).AddMonths(3).DayNumber - Today.DayNumber);
        foreach (var bucket in new[] { "harbour", "far-side" })
        {
            var metered = both.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, bucket).Sum(r => r.Amount);
            Assert.True(metered > 0);
            Assert.Equal(projected.Where(r => r.Bucket == bucket).Sum(r => r.Amount), metered, metered * 1e-11);
        }
        var empty = far with { Name = "empty" };
        var over = copied with { Arrays = [Office with { Bucket = "far-side" }] };
        Assert.Equal(
            "array-data-away",
            Code(() =>
                both.Adopt(copied with { Buckets = [.. copied.Buckets, empty], Arrays = [Office with { Bucket = "empty" }] }, version: 2)
            )
        );
        both.Adopt(over, version: 2);
        both.Adopt(over with { Buckets = [far] }, version: 3);
        Assert.Equal(13e9 + 200e6, both.Inside.Homecomings.Bring("office", "drawings").Bytes);
    }

    /// <summary>What came home leaves its copies behind: they are as large as what is away now, and are not it.</summary>
    [Fact]
    public void Copies_of_what_came_home_are_not_taken_for_what_is_away()
    {
        var near = Estate.Buckets[0] with { Rules = [] };
        var far = near with { Name = "far-side" };
        var copied = Estate with { Buckets = [near with { CopyTo = [new CopyRule { Bucket = "far-side" }] }, far] };
        using var both = new TestProvider(copied);
        both.PassDays(100);
        both.Inside.Homecomings.Bring("office", "drawings");
        var alone = copied with { Buckets = [near, far] };
        both.Adopt(alone, version: 2);
        both.PassDays(92);
        Assert.Equal(13e9 + 200e6, both.Inside.Homecomings.Foresee("office", "drawings").Bytes);
        Assert.Equal(13e9 + 200e6, both.Inside.Resting("far-side", "").Sum(r => r.Bytes));
        Assert.Equal("array-data-away", Code(() => both.Adopt(alone with { Arrays = [Office with { Bucket = "far-side" }] }, version: 3)));
    }

    [Fact]
    public void A_document_says_what_is_away_and_is_checked()
    {
        provider.PassDays(20);
        var stock = provider.Inside.Stock(null);
        var document = Estate with
        {
            Today = provider.Inside.Clock.Today,
            Buckets = [Estate.Buckets[0] with { Stock = stock.Buckets["harbour"].Lots }],
            Arrays = stock.Arrays,
        };
        var read = EstateDocument.Read(EstateDocument.Write(document));
        Assert.True(read.Ok, string.Join('\n', read.Problems));
        using var other = new TestProvider(read.Value);
        Assert.Equal(EstateDocument.Write(document), EstateDocument.Write(document with { Arrays = other.Inside.Stock(null).Arrays }));
        Assert.Equal(13e9, other.Inside.Homecomings.Foresee("office", "drawings").Bytes);
        foreach (
            var (change, code) in new (Func<Estate, Estate> Change, string Code)[]
            {
                (e => e with { Arrays = [Office with { Bucket = "attic" }] }, "unknown-reference"),
                (e => e with { Arrays = [Office with { Region = "attic" }] }, "unknown-reference"),
                (e => e with { Arrays = [Office, Office] }, "duplicate-id"),
                (e => e with { Arrays = [Office with { Leaving = [Office.Leaving[0] with { Volume = "attic" }] }] }, "unknown-reference"),
                (e => e with { Arrays = [Office with { Volumes = [.. Office.Volumes, Office.Volumes[0]] }] }, "duplicate-id"),
                (
                    e =>
                        e with
                        {
                            Buckets =
                            [
                                e.Buckets[0] with
                                {
                                    Rules =
                                    [
                                        new LifecycleRule
                                        {
                                            Id = "x",
                                            Steps = [],
                                            ExpireAt = 9,
                                        },
                                    ],
                                },
                            ],
                        },
                    "array-data-would-go"
                ),
                (
                    e =>
                        e with
                        {
                            Buckets =
                            [
                                e.Buckets[0] with
                                {
                                    Rules =
                                    [
                                        new LifecycleRule
                                        {
                                            Id = "x",
                                            Prefix = "office/dr",
                                            Steps =
                                            [
                                                new Step
                                                {
                                                    Age = 30,
                                                    Tier = "pantry",
                                                    BundleTo = 1_000_000_000,
                                                },
                                            ],
                                        },
                                    ],
                                },
                            ],
                        },
                    "array-data-would-be-bundled"
                ),
            }
        )
            Assert.Contains(code, EstateDocument.Read(EstateDocument.Write(change(Estate))).Problems.Select(p => p.Code));
    }

    /// <summary>By hand: 3 GB old, and 6 GB in snapshots that are too young; the array's 0.04 a unit against the counter's price.</summary>
    [Fact]
    public void A_reading_says_what_leaves_and_what_both_sides_cost()
    {
        var reading = ArrayReading.Of(Office, Estate);
        Assert.Equal([3e9 + 4e9 + 200e6 + 6e9, 6e9], reading.Rules.Select(r => r.Bytes));
        Assert.Equal([3e9, 0], reading.Rules.Select(r => r.TonightBytes));
        Assert.Equal((3e9, 5e6), (reading.Bins.Leaving.Sum(), reading.Bins.Fixed.Sum()));
        var drawings = reading.Volumes[0];
        var price = Estate.PriceBook.FindRegion("aldmouth")!.PriceOf("counter")!.Storage[0].Price.PerUnit;
        var unit = Estate.PriceBook.Unit == SizeUnit.GB ? 1e9 : 1L << 30;
        Assert.Equal(3e9 / unit * (0.04 - price), drawings.ToSaveAMonth, 1e-9);
        Assert.Equal((3e9 / unit, 0.04), (drawings.ToSaveTerms[0].Quantity, drawings.ToSaveTerms[0].Price));
        Assert.Equal((-3e9 / unit, price), (drawings.ToSaveTerms[1].Quantity, drawings.ToSaveTerms[1].Price));
        Assert.Equal(0, drawings.SavedAMonth);
        var years = ArrayYear.Of(Projection.Of(Estate with { Arrays = [Office with { Bucket = null }] }, ArrayYear.Months), Office);
        Assert.All(years, y => Assert.True(y.ArrayAfter < y.ArrayBefore && y.EstateAfter > y.EstateBefore));
        Assert.All(years, y => Assert.Equal(y.EstateChange, y.EstateTerms.Sum(t => t.Amount), 1e-9));
        Assert.All(years, y => Assert.NotEmpty(y.EstateTerms));
        // In the tenth year all that may leave is away: what stays is the small files, for twelve months.
        Assert.Equal((700 * 9_000 + 5_000_000) / unit * 0.04 * 12, years[2].ArrayAfter, 1e-9);
    }
}
