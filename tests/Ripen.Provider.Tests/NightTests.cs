using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;
using Ripen.Provider.Clock;

namespace Ripen.Provider.Tests;

/// <summary>What is foreseen of a night is what the night does.</summary>
public sealed class NightTests
{
    private static Estate Without(Estate estate) =>
        estate with
        {
            Buckets =
            [
                .. estate.Buckets.Select(b =>
                    b with
                    {
                        // What arrives in the night, and moves in the same one, is not there when the night is foreseen.
                        Rules = [.. b.Rules.Select(r => r with { Steps = [.. r.Steps.Where(s => s.Age > 0)] })],
                        CopyTo = [],
                    }
                ),
            ],
            Plans = [],
        };

    private static string[] Told(NightReading night) =>
        [
            .. night
                .Acts.Select(a => $"{a.Bucket} {a.Key} {a.Deed} {a.Rule} {a.From} {a.To} {a.Objects:R} {a.Bytes:R} {a.Charge:g12}")
                .Order(StringComparer.Ordinal),
        ];

    /// <summary>For random rules, data, holds and retention, night after night: entry by entry, with the money.</summary>
    [Fact]
    public void Every_night_does_what_was_foreseen_of_it()
    {
        var acts = 0;
        RandomEstates.Check(
            20,
            random =>
            {
                using var provider = new TestProvider(Without(random));
                for (var night = 0; night < 8; night++)
                {
                    provider.PassDays(night * 5);
                    var foreseen = provider.Inside.Tonight(null, 0, 100_000, CancellationToken.None);
                    provider.PassDays(1);
                    var done = provider.Inside.LastNight(null, 0, 100_000)!;
                    if (done.Day != foreseen.Day || !Told(foreseen).SequenceEqual(Told(done)))
                        return $"{foreseen.Day}: foreseen {string.Join("; ", Told(foreseen))}; done {string.Join("; ", Told(done))}";
                    if (Math.Abs(foreseen.Sums.Sum(s => s.Charge) - done.Sums.Sum(s => s.Charge)) > 1e-9)
                        return $"{foreseen.Day}: the sums differ.";
                    acts += done.Acts.Count;
                }
                return null;
            }
        );
        Assert.True(acts > 50, $"Only {acts} acts were ever done.");
    }

    /// <summary>Months ahead and night by night, in sums by rule: with streams, copies, versions, holds, reading, bundles and packs.</summary>
    [Fact]
    public void What_rules_do_in_months_is_the_sum_of_what_they_do_at_night()
    {
        var compared = 0;
        RandomEstates.Check(25, estate => AheadAndDone(estate, ref compared));
        Assert.True(compared > 60, $"Only {compared} sums were compared.");
    }

    [Fact]
    public void Packs_that_plans_store_are_in_the_months_as_they_move_at_night()
    {
        var compared = 0;
        RandomPlans.Check(40, estate => AheadAndDone(estate, ref compared));
        Assert.True(compared > 10, $"Only {compared} sums were compared.");
    }

    private static string? AheadAndDone(Estate estate, ref int compared)
    {
        using var provider = new TestProvider(estate);
        var done = new Dictionary<string, (double Objects, double Bytes, double Charge)>();
        var end = new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(3);
        for (var day = estate.Today; day < end; day = day.AddDays(1))
        {
            provider.PassDays(1);
            foreach (var s in provider.Inside.LastNight(null, 0, 1)!.Sums)
                Add(done, $"{Month.Of(day)} {s.Bucket} {s.Deed} {s.Rule} {s.From} {s.To}", s.Objects, s.Bytes, s.Charge);
        }
        var ahead = new Dictionary<string, (double Objects, double Bytes, double Charge)>();
        foreach (var d in RulesAhead.Of(estate, 3))
            Add(ahead, $"{d.Month} {d.Bucket} {d.Deed} {d.Rule} {d.From} {d.To}", d.Objects, d.Bytes, d.Charge);
        compared += ahead.Count;
        foreach (var key in done.Keys.Union(ahead.Keys))
        {
            var (was, foreseen) = (done.GetValueOrDefault(key), ahead.GetValueOrDefault(key));
            if (!Near(was.Objects, foreseen.Objects) || !Near(was.Bytes, foreseen.Bytes) || !Near(was.Charge, foreseen.Charge))
                return $"{key}: done {was}, foreseen {foreseen}";
        }
        return null;

        static void Add(Dictionary<string, (double, double, double)> sums, string key, double objects, double bytes, double charge)
        {
            var (o, b, c) = sums.GetValueOrDefault(key);
            sums[key] = (o + objects, b + bytes, c + charge);
        }

        static bool Near(double one, double other) => Math.Abs(one - other) <= 1e-9 * Math.Max(1, Math.Max(Math.Abs(one), Math.Abs(other)));
    }

    [Fact]
    public async Task Rules_keys_tiers_and_pages_are_told_and_what_is_kept_is_not_among_them()
    {
        using var provider = new TestProvider(
            TestProvider.OneBucket(b =>
                b with
                {
                    Rules =
                    [
                        new LifecycleRule
                        {
                            Id = "moves",
                            Prefix = "m/",
                            Steps = [new Step { Age = 2, Tier = "pantry" }],
                        },
                        new LifecycleRule
                        {
                            Id = "goes",
                            Prefix = "g/",
                            ExpireAt = 2,
                            Steps = [],
                        },
                    ],
                    Holds =
                    [
                        new Hold
                        {
                            Id = "h",
                            Prefix = "g/2",
                            Reason = "asked for",
                            Placed = TestProvider.Demo.Today,
                        },
                    ],
                }
            )
        );
        Assert.Null(provider.Inside.LastNight(null, 0, 10));
        foreach (var key in new[] { "m/1", "m/2", "g/1", "g/2", "else" })
            await provider.Put(key, TestProvider.Bytes(1000));
        Assert.Empty(provider.Inside.Tonight(null, 0, 10, CancellationToken.None).Acts);
        provider.PassDays(2);
        var night = provider.Inside.Tonight("harbour", 0, 10, CancellationToken.None);
        Assert.Equal(
            ["g/1 Expires goes counter ", "m/1 Moves moves counter pantry", "m/2 Moves moves counter pantry"],
            night.Acts.Select(a => $"{a.Key} {a.Deed} {a.Rule} {a.From} {a.To}").Order(StringComparer.Ordinal)
        );
        Assert.Equal([1.0, 2.0], night.Sums.Select(s => s.Objects).Order());
        var page = provider.Inside.Tonight("harbour", 1, 1, CancellationToken.None);
        Assert.Equal((night.Acts[1], (long?)2), (page.Acts.Single(), page.Next));
        provider.PassDays(1);
        Assert.Equal(night.Acts.Select(a => a.Key).Order(), provider.Inside.LastNight("harbour", 0, 10)!.Acts.Select(a => a.Key).Order());
        Assert.Equal(2L, provider.Inside.LastNight("harbour", 1, 1)!.Next);
    }
}
