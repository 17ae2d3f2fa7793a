using Microsoft.Data.Sqlite;
using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;
using Ripen.Provider.Index;

namespace Ripen.Provider.Tests;

/// <summary>Steps by the last reading, the way back, the fee for watching, and bundles: as rules do them every night.</summary>
public sealed class ReadingTests
{
    private static readonly LifecycleRule WhenUnread = new()
    {
        Id = "unread",
        BackOnRead = true,
        Steps =
        [
            new Step
            {
                Age = 30,
                Tier = "cellar",
                Clock = StepClock.Read,
            },
        ],
    };

    /// <summary>Objects come, are read, sink when nobody reads them, come back and are kept meanwhile; small ones sink in bundles.</summary>
    private static Estate Watched { get; } =
        TestProvider.OneBucket(b =>
            b with
            {
                Streams =
                [
                    new ObjectStream { ObjectsPerDay = 40, BytesPerObject = 90_000 },
                    new ObjectStream
                    {
                        Prefix = "large/",
                        ObjectsPerDay = 2.5,
                        BytesPerObject = 7_000_000,
                        YearlyGrowth = 0.2,
                    },
                ],
                Reads =
                [
                    new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.05 },
                    new ReadBand { FromAge = 20, ShareOfObjectsPerDay = 0.01 },
                ],
                Keep = new KeepRule { Days = 50, Strength = KeepStrength.Sealed },
                Rules =
                [
                    WhenUnread with
                    {
                        Steps =
                        [
                            new Step
                            {
                                Age = 30,
                                Tier = "cellar",
                                Clock = StepClock.Read,
                                BundleTo = 4_000_000,
                            },
                        ],
                        ExpireAt = 60,
                    },
                ],
            }
        );

    [Fact]
    public void Six_months_are_metered_as_they_were_projected_and_the_last_four_as_they_are_then()
    {
        using var provider = new TestProvider(Watched);
        provider.PassDays(new DateOnly(2027, 1, 1).DayNumber - Watched.Today.DayNumber);
        var later = MeterTests.AsItStands(provider, Watched) with { Targets = [], Workloads = [], Plans = [] };
        Assert.Contains(later.Buckets[0].Stock, l => l.LastRead is not null && l.Originals is not null);
        provider.PassDays(new DateOnly(2027, 5, 1).DayNumber - later.Today.DayNumber);
        var metered = MeterTests.Metered(provider, DateOnly.MinValue);
        Assert.Contains(metered, r => r.Charge == Charge.Watching);
        Assert.Null(Compare.Difference([.. Projection.Of(Watched, 6).Rows()], metered));
        Assert.Null(
            Compare.Difference(
                [.. Projection.Of(EstateDocument.Read(EstateDocument.Write(later)).Value, 4).Rows()],
                MeterTests.Metered(provider, later.Today)
            )
        );
        // Days of arrival that are there at once, times days that the rule waits, in two tiers and two streams, and no more.
        Assert.InRange(provider.Index(db => db.Value<long>("SELECT count(*) FROM entry")), 150, 60 * 31 * 4);
    }

    /// <summary>Without copies: of what waits for a line only sums are told.</summary>
    [Fact]
    public void Random_estates_are_projected_from_any_day_on_as_they_are_metered() =>
        RandomEstates.Check(
            15,
            random =>
            {
                var estate = random with { Buckets = [.. random.Buckets.Select(b => b with { CopyTo = [] })] };
                using var provider = new TestProvider(estate);
                var day = new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(2);
                provider.PassDays(day.DayNumber - estate.Today.DayNumber);
                var later = EstateDocument.Read(EstateDocument.Write(MeterTests.AsItStands(provider, estate))).Value;
                provider.PassDays(day.AddMonths(2).DayNumber - day.DayNumber);
                return Compare.Difference([.. Projection.Of(later, 2).Rows()], MeterTests.Metered(provider, day));
            }
        );

    [Fact]
    public async Task An_object_sinks_when_nobody_read_it_and_comes_back_in_the_night_of_the_day_on_which_somebody_does()
    {
        using var provider = new TestProvider(TestProvider.OneBucket(b => b with { Rules = [WhenUnread] }));
        await provider.Put("read", TestProvider.Bytes(2_000_000));
        await provider.Put("unread", TestProvider.Bytes(2_000_000));
        provider.PassDays(20);
        await provider.Get("read");
        provider.PassDays(11);
        Assert.Equal(("counter", "cellar"), (Tier("read"), Tier("unread")));
        // Two objects, watched through November and on the first of December, of which one rests in the cellar by then; the price is for a
        // thousand objects and a month.
        var watching = provider
            .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null)
            .Where(r => r.Charge == Charge.Watching)
            .GroupBy(r => r.Tier)
            .ToDictionary(t => t.Key, t => (Quantity: t.Sum(r => r.Quantity), Amount: t.Sum(r => r.Amount)));
        Assert.Equal(2 + (1 / 31.0), watching["counter"].Quantity, 12);
        Assert.Equal(0.0018 * (2 + (1 / 31.0)) / 1000, watching["counter"].Amount, 15);
        Assert.Equal(1 / 31.0, watching["cellar"].Quantity, 12);

        var recalled = TestProvider.OneBucket(b =>
            b with
            {
                Rules =
                [
                    WhenUnread with
                    {
                        Steps =
                        [
                            new Step
                            {
                                Age = 30,
                                Tier = "pantry",
                                Clock = StepClock.Read,
                            },
                        ],
                    },
                ],
            }
        );
        using var warm = new TestProvider(recalled);
        await warm.Put("a", TestProvider.Bytes(2_000_000));
        warm.PassDays(31);
        Assert.Equal("pantry", warm.Objects.Find("harbour", "a", null)!.Tier);
        await warm.Get("a");
        var tonight = Assert.Single(warm.Inside.Tonight(null, 0, 10, CancellationToken.None).Acts);
        Assert.Equal((NightDeed.ComesBack, "unread", "pantry", "counter"), (tonight.Deed, tonight.Rule, tonight.From, tonight.To));
        warm.PassDays(1);
        Assert.Equal(tonight, Assert.Single(warm.Inside.LastNight(null, 0, 10)!.Acts));
        Assert.Equal("counter", warm.Objects.Find("harbour", "a", null)!.Tier);
        warm.PassDays(29);
        Assert.Equal("counter", warm.Objects.Find("harbour", "a", null)!.Tier);
        warm.PassDays(1);
        Assert.Equal("pantry", warm.Objects.Find("harbour", "a", null)!.Tier);

        string Tier(string key) => provider.Objects.Find("harbour", key, null)!.Tier;
    }

    /// <summary>What is kept may part and be bundled, because nothing is lost by it; everything else the index refuses still.</summary>
    [Fact]
    public void Kept_batches_part_and_are_bundled_and_can_still_not_be_thinned()
    {
        using var provider = new TestProvider(Watched);
        provider.PassDays(45);
        var kept = provider.Index(db => db.Value<double?>("SELECT sum(coalesce(originals, count)) FROM entry WHERE key = ''"))!.Value;
        Assert.Equal(45 * 40, kept, 6);
        foreach (
            var attack in new[]
            {
                "UPDATE entry SET count = count / 2 WHERE id = (SELECT max(id) FROM entry)",
                "UPDATE entry SET count = count / 2, bytes = bytes + 1 WHERE id = (SELECT max(id) FROM entry)",
                "UPDATE entry SET count = count / 2, bytes = bytes * 2, originals = count / 2 WHERE id = (SELECT max(id) FROM entry)",
                "DELETE FROM entry WHERE id = (SELECT max(id) FROM entry)",
                "INSERT OR REPLACE INTO passed_on SELECT max(id), max(id), 0 FROM entry; DELETE FROM entry WHERE id = (SELECT max(id) FROM entry)",
                "INSERT OR REPLACE INTO passed_on SELECT max(id), min(id), (SELECT count FROM entry ORDER BY id LIMIT 1) FROM entry; "
                    + "DELETE FROM entry WHERE id = (SELECT max(id) FROM entry)",
            }
        )
        {
            provider.Inside.Dispose();
            using var db = new SqliteConnection($"Data Source={Path.Combine(provider.Folder, "index.db")};Pooling=False");
            db.Open();
            Assert.Contains("kept", Assert.Throws<SqliteException>(() => db.Run(attack)).Message, StringComparison.Ordinal);
        }
    }
}
