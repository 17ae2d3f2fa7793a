using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Advice;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>The cheapest schedule against every schedule there is, and what it is said to save against the projection.</summary>
public sealed class CheapestScheduleTests
{
    /// <summary>Small lives, tiers with stays, sizes, least ages and waits of all kinds: no schedule of whole days is cheaper.</summary>
    [Fact]
    public void No_schedule_of_whole_days_is_cheaper() =>
        Prop.ForAll(
                Arb.From(Cases),
                c =>
                {
                    var path = new SchedulePath(c.Bucket, c.Prices, c.Bucket.Streams, c.Span);
                    var (cost, steps) = path.Cheapest(c.Wait);
                    Assert.Equal(cost, path.CostOf(steps), 1e-9 * Math.Max(1, Math.Abs(cost)));
                    var best = All(c, 0, path.Landing, c.Span.Over).Min(s => path.CostOf(s));
                    Assert.True(cost <= best + (1e-9 * Math.Abs(best)), $"{cost} with {string.Join(' ', steps)}, but {best} there is");
                    Assert.True(steps.All(s => Allowed(c, s.Age, s.Tier)), $"Not allowed: {string.Join(' ', steps)}");
                    foreach (var some in All(c, 0, path.Landing, c.Span.Over).Take(40).Append([.. steps]))
                        Assert.Equal(path.CostOf(some) * 365, path.TermsOf(some).Sum(t => t.Term.Amount), 1e-9 * Math.Max(1, cost * 365));
                }
            )
            .Check(Randomly.Draws(150));

    private sealed record Case(Bucket Bucket, PriceBook Prices, LifeSpan Span, double Wait);

    private static bool Allowed(Case c, int age, int tier) =>
        age >= (c.Prices.Tiers[tier].LeastAge?.Created ?? 0) && c.Prices.Tiers[tier].WaitHours <= c.Wait;

    private static IEnumerable<List<(int, int)>> All(Case c, int from, int tier, int end)
    {
        yield return [];
        for (var age = from; age < end; age++)
        {
            for (var to = tier + 1; to < c.Prices.Tiers.Count; to++)
            {
                if (!Allowed(c, age, to))
                    continue;
                foreach (var rest in All(c, age + 1, to, end))
                    yield return [(age, to), .. rest];
            }
        }
    }

    private static Gen<Case> Cases => from seed in Gen.Choose(0, int.MaxValue - 1) select Make(new Random(seed));

    private static Case Make(Random random)
    {
        var tiers = Enumerable
            .Range(0, 4)
            .Select(i => new Tier
            {
                Id = $"t{i}",
                Name = $"T{i}",
                MinimumStayDays = random.Next(3) == 0 ? 0 : random.Next(7),
                MinimumObjectBytes = random.Next(2) * 40_000,
                OverheadBytes = random.Next(2) * 9000,
                IndexBytes = random.Next(2) * 5000,
                WaitHours = i < 2 ? 0 : random.Next(3) * 6,
                LeastAge = random.Next(3) == 0 ? new LeastAge { Created = random.Next(5) } : null,
            })
            .ToList();
        var prices = Samples.Demo().PriceBook with
        {
            Tiers = tiers,
            Regions =
            [
                Samples.Demo().PriceBook.Regions[0] with
                {
                    Prices =
                    [
                        .. tiers.Select(
                            (t, i) =>
                                new TierPrice
                                {
                                    Tier = t.Id,
                                    Storage = [new StorageBand { Price = new(random.NextDouble() * 3 / (i + 1)) }],
                                    Writes = new(0.005),
                                    Reads = new(random.NextDouble() * i * random.Next(2)),
                                    MovesIn = new(random.Next(3) == 0 ? 0 : random.NextDouble() * 0.4),
                                    RecallRequests = new(random.NextDouble() * random.Next(2)),
                                    Recall = new(random.NextDouble() * i * random.Next(2)),
                                }
                        ),
                    ],
                },
            ],
        };
        var bucket = new Bucket
        {
            Name = "b",
            Region = prices.Regions[0].Id,
            Scheme = prices.Schemes[0].Id,
            Tier = "t0",
            Streams =
            [
                new ObjectStream { ObjectsPerDay = 1 + random.Next(9), BytesPerObject = random.Next(1, 400_000) },
                new ObjectStream { ObjectsPerDay = random.NextDouble(), BytesPerObject = random.Next(1, 4_000_000) },
            ],
            Reads =
            [
                new ReadBand { FromAge = 0, ShareOfObjectsPerDay = random.NextDouble() * 0.3 },
                new ReadBand { FromAge = 1 + random.Next(6), ShareOfObjectsPerDay = random.NextDouble() * 0.1 },
            ],
        };
        var over = 4 + random.Next(8);
        return new Case(
            bucket,
            prices,
            new LifeSpan(over, over + (random.Next(2) * random.Next(9)), random.Next(2) == 0),
            random.Next(3) * 6
        );
    }

    /// <summary>With steady arrivals, settled, without bands and in months of thirty days: the year of the projection.</summary>
    [Theory]
    [InlineData(null)]
    [InlineData(90)]
    public void What_it_is_said_to_save_is_what_the_projection_saves(int? earlierExpireAfter)
    {
        var steady = Samples.Steady(1000, 3_000_000);
        var now = Samples.Single(steady, [new Step { Age = 60, Tier = "cellar" }], 400) with
        {
            PriceBook = Samples.Small().PriceBook with { Month = BillingMonth.ThirtyDays },
        };
        var bucket = now.Buckets[0] with { Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.0004 }] };
        if (earlierExpireAfter is { } days)
            bucket = bucket with
            {
                Versioning = true,
                Rules =
                [
                    .. bucket.Rules,
                    new LifecycleRule
                    {
                        Id = "earlier",
                        Applies = VersionKind.Earlier,
                        ExpireAt = days,
                    },
                ],
            };
        now = now.With(bucket, bucket.Name);
        var advice = Assert.Single(CheapestSchedules.Of(now, null).Buckets);
        var schedule = Assert.Single(advice.Schedules);
        Assert.True(schedule.Saving > 0);
        Assert.Equal([new ScheduleStep(60, "cellar")], schedule.Now);
        var best = now.With(advice.Draft with { Stock = now.Buckets[0].Stock }, advice.Draft.Name);
        Assert.Empty(EstateDocument.Read(EstateDocument.Write(best)).Problems);
        Assert.Equal(schedule.Saving, Year(now) - Year(best), 0.02 * schedule.Saving);
        // What takes its own advice is told to change nothing.
        Assert.Equal(0, CheapestSchedules.Of(best, null).Buckets[0].Saving, 1e-9);
    }

    private static double Year(Estate estate) =>
        Projection.Of(estate, 36).Rows().GroupBy(r => r.Month).Skip(24).Sum(m => m.Sum(r => r.Amount));

    /// <summary>Where one answer for all that arrives would be wrong, none is given.</summary>
    [Fact]
    public void No_schedule_is_told_where_prefixes_or_ends_differ_or_copies_land_elsewhere()
    {
        var estate = Samples.Demo();
        var cameras = estate.Find("deck-cameras")!;
        Assert.Equal(
            "Some of what arrives lies under a prefix within another's.",
            Why(cameras with { Streams = [.. cameras.Streams, cameras.Streams[0] with { Prefix = "bow/port/" }] })
        );
        Assert.Equal(
            "What arrives under one prefix ends at different ages.",
            Why(cameras with { Keep = null, Streams = [.. cameras.Streams, cameras.Streams[0] with { ReplacedAfterDays = 3 }] })
        );
        var source = estate.Buckets.First(b => b.CopyTo.Any(c => c.Bucket == "telemetry-far"));
        var colder = source with { CopyTo = [.. source.CopyTo.Select(c => c with { Tier = "pantry" })] };
        Assert.Equal(
            "Copies land there in a tier of their own.",
            CheapestSchedules.Of(estate.With(colder, colder.Name), null).Others.Single(o => o.Bucket == "telemetry-far").Why
        );

        string Why(Bucket bucket) =>
            CheapestSchedules.Of(estate.With(bucket, bucket.Name), null).Others.Single(o => o.Bucket == bucket.Name).Why;
    }

    [Fact]
    public void Buckets_whose_rules_have_no_one_age_for_all_are_named_and_the_demo_is_ranked()
    {
        var advice = CheapestSchedules.Of(Samples.Demo(), null);
        Assert.Equal(advice.Buckets.OrderByDescending(b => b.Saving), advice.Buckets);
        Assert.Contains(advice.Others, o => o is { Bucket: "crew-records", Why: "Its rules tell objects apart by tags or sizes." });
        Assert.All(
            advice.Buckets.SelectMany(b => b.Schedules),
            s => Assert.InRange(s.AtBest, 0, Math.Min(s.AsNow, s.Unmoved) * (1 + 1e-9))
        );
        Assert.All(
            advice.Buckets,
            b => Assert.Empty(EstateDocument.Read(EstateDocument.Write(Samples.Demo().With(b.Draft, b.Draft.Name))).Problems)
        );
        foreach (var schedule in advice.Buckets.SelectMany(b => b.Schedules))
        {
            var why = CheapestSchedules.Why(Samples.Demo(), schedule.Bucket, schedule.Prefix, null)!;
            Assert.Equal(schedule.AsNow, why.Now.Sum(t => t.Term.Amount), 1e-9 * Math.Max(1, schedule.AsNow));
            Assert.Equal(schedule.AtBest, why.Best.Sum(t => t.Term.Amount), 1e-9 * Math.Max(1, schedule.AtBest));
        }
        Assert.Null(CheapestSchedules.Why(Samples.Demo(), "crew-records", "", null));
        // Nobody waits who does not accept it.
        Assert.All(
            CheapestSchedules.Of(Samples.Demo(), 0).Buckets.SelectMany(b => b.Schedules).SelectMany(s => s.Cheapest),
            s => Assert.Equal("pantry", s.Tier)
        );
    }
}
