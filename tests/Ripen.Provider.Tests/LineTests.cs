using Ripen.Core.Estates;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;

namespace Ripen.Provider.Tests;

/// <summary>Lines between regions: bandwidth, latency, order, cuts and back-off.</summary>
public sealed class LineTests
{
    private static CopyRuleStatus Status(TestProvider provider) =>
        provider.Inside.Copies.Rules().Single(r => r.Bucket == "harbour" && !r.BringsBack);

    private static DateTimeOffset? Arrived(TestProvider provider, string key) => provider.Objects.Find("far-away", key, null)?.Arrived;

    [Fact]
    public async Task Objects_arrive_in_their_order_after_bytes_over_bandwidth_and_half_a_round_trip()
    {
        // 8 Mbit/s are a million bytes a second.
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain, 8, roundTrip: 40));
        var begin = provider.Inside.Clock.Now;
        await provider.Put("one", new byte[3_000_000]);
        await provider.Put("two", new byte[500_000]);
        provider.PassHours(1);
        Assert.Equal(begin.AddMilliseconds(3020), Arrived(provider, "one"));
        Assert.Equal(begin.AddMilliseconds(3520), Arrived(provider, "two"));
        Assert.Equal((0, 2, 0), (Status(provider).Waiting, Status(provider).Copied, Status(provider).LagHours));
        Assert.Equal(3.52 / 3600, Status(provider).WorstLagHours, 12);
    }

    [Fact]
    public async Task What_is_half_sent_goes_on_where_it_was_also_after_a_restart()
    {
        var estate = TwoPlaces.Estate(TwoPlaces.Plain, 0.008);
        using var provider = new TestProvider(estate);
        var begin = provider.Inside.Clock.Now;
        await provider.Put("one", new byte[5_400_000]); // 5,400 s at 1,000 bytes a second
        provider.PassHours(1);
        Assert.Equal((1, 1_800_000), (Status(provider).Waiting, Math.Round(Status(provider).WaitingBytes)));
        Assert.Equal(0.5, Status(provider).EmptyAfterHours!.Value, 6);
        Assert.Equal((CopyStanding.Behind, begin.AddHours(1.5)), (Status(provider).Standing, Status(provider).EmptyAt!.Value));
        provider.Reopen(estate);
        provider.PassHours(1);
        Assert.Equal(begin.AddHours(1.5), Arrived(provider, "one"));
    }

    [Fact]
    public void A_large_object_does_not_hold_up_the_small_ones()
    {
        // Two lanes share the line until the small one is done: 10 × 1 MB at half of 1 MB/s; then the large one has it all.
        var lanes = new[] { new LaneQueue(1, Core.Replication.Lane.Large, 0), new LaneQueue(1, Core.Replication.Lane.Small, 0) };
        lanes[0].Waiting.Enqueue(new WaitingObject(1, 100e6));
        for (var i = 0; i < 10; i++)
            lanes[1].Waiting.Enqueue(new WaitingObject(2 + i, 1e6));
        var (sent, reached, bytes) = LineRun.Go(lanes, 1e6, 1e9, 1000);
        Assert.Equal(Enumerable.Range(1, 10).Select(i => i * 2000.0).Append(110_000.0), sent.Select(s => Math.Round(s.At, 3)));
        Assert.Equal((1, 1e9, 110e6), (sent[^1].Id, reached, Math.Round(bytes)));
    }

    [Fact]
    public async Task A_cut_line_makes_lag_grow_its_attempts_back_off_and_it_drains_when_it_is_restored()
    {
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain with { AllowedLagHours = 2 }, 8));
        provider.Inside.Copies.Cut("kestrel-sound", "aldmouth", null);
        await provider.Put("a", new byte[1_000_000]);
        await provider.Put("b", new byte[2_000_000]);
        provider.PassHours(5);
        var cut = Status(provider);
        Assert.Equal((LineState.Cut, 2, 3_000_000, 5), (cut.Line, cut.Waiting, cut.WaitingBytes, cut.LagHours));
        Assert.Equal(3.0 / 3600, cut.EmptyAfterHours!.Value, 9);
        Assert.Equal((CopyStanding.Late, "a", (DateTimeOffset?)null), (cut.Standing, cut.OldestKey, cut.EmptyAt));
        // 1, 2, 4, …, 32 minutes and then every hour: tries at 0, 1, 3, 7, 15, 31, 63, 123, 183, 243 and 303 minutes.
        Assert.Equal((10, provider.Inside.Clock.Now.AddMinutes(3)), (cut.FailedTries, cut.NextTry));
        provider.PassDays(1);
        Assert.Equal(29, Status(provider).LagHours);
        Assert.Null(Arrived(provider, "a"));

        provider.Inside.Copies.Restore("aldmouth", "kestrel-sound");
        var restored = provider.Inside.Clock.Now;
        provider.PassHours(1);
        Assert.Equal((restored.AddSeconds(1), restored.AddSeconds(3)), (Arrived(provider, "a"), Arrived(provider, "b")));
        var drained = Status(provider);
        Assert.Equal((CopyStanding.Even, (DateTimeOffset?)null), (drained.Standing, drained.EmptyAt));
        Assert.Equal((LineState.Open, 0, 0, 0), (drained.Line, drained.Waiting, drained.LagHours, drained.FailedTries));
        Assert.Equal(29 + (3.0 / 3600), drained.WorstLagHours, 6);
    }

    [Fact]
    public async Task A_cut_for_a_while_ends_by_itself_and_copies_go_with_the_next_try_after_it()
    {
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain, 8));
        var begin = provider.Inside.Clock.Now;
        provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", begin.AddMinutes(10));
        await provider.Put("a", new byte[1_000_000]);
        Assert.Equal(
            "out-of-range",
            Assert.Throws<RefusalException>(() => provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", begin)).Code
        );
        provider.PassHours(1);
        // The tries at 0, 1, 3 and 7 minutes fail; that at 15 goes through.
        Assert.Equal(begin.AddMinutes(15).AddSeconds(1), Arrived(provider, "a"));
        Assert.All(provider.Inside.Copies.LinesBetweenRegions(), l => Assert.Equal(LineState.Open, l.State));
    }

    [Fact]
    public async Task A_failure_says_why_holds_nothing_else_up_and_goes_away_when_its_cause_does()
    {
        // Without versions there, what is kept cannot be written over.
        var estate = TwoPlaces.Estate(
            TwoPlaces.Plain,
            far: b =>
                b with
                {
                    Versioning = false,
                    Keep = new KeepRule { Days = 3, Strength = KeepStrength.Sealed },
                }
        );
        using var provider = new TestProvider(estate);
        await provider.Put("a", [1]);
        provider.PassHours(1);
        await provider.Put("a", [2]);
        await provider.Put("b", [3]);
        provider.PassHours(1);
        var failure = Assert.Single(Status(provider).Failures);
        Assert.Equal(("kept-there", 1), (failure.Code, failure.Objects));
        Assert.Contains("switch versioning on", failure.Why, StringComparison.Ordinal);
        Assert.Equal([3], await provider.Get("b", bucket: "far-away"));
        Assert.Equal([1], await provider.Get("a", bucket: "far-away"));
        var copies = provider.Inside.Copies.Of("harbour", provider.Objects.Find("harbour", "a", null)!.Version);
        Assert.Equal((CopyState.Failed, failure.Why), (copies.Single().State, copies.Single().Why));
        provider.PassDays(5);
        Assert.Equal([2], await provider.Get("a", bucket: "far-away"));
        Assert.Empty(Status(provider).Failures);
    }

    [Fact]
    public async Task A_full_disk_is_a_failure_with_a_reason_leaves_nothing_and_goes_on_when_there_is_room()
    {
        var full = false;
        using var provider = new TestProvider(
            TwoPlaces.Estate(TwoPlaces.Plain),
            path => full && path.Contains("incoming", StringComparison.Ordinal) ? throw new IOException("no room", 28) : File.Create(path)
        );
        await provider.Put("a", [1]);
        full = true;
        provider.PassHours(1);
        var failed = Status(provider);
        Assert.Equal((CopyStanding.Late, "disk-full", 0), (failed.Standing, failed.Failures.Single().Code, failed.Waiting));
        Assert.Equal(1, provider.FilesOnDisk);
        full = false;
        Assert.Equal(1, provider.Inside.Copies.Mend(failed.Id, "failed", Mending.TryAgain, null, CancellationToken.None));
        provider.PassHours(1);
        Assert.Equal([1], await provider.Get("a", bucket: "far-away"));
    }

    [Fact]
    public void A_line_that_is_too_thin_says_by_how_much()
    {
        var stream = new ObjectStream
        {
            Prefix = "s/",
            ObjectsPerDay = 86.4,
            BytesPerObject = 1_000_000,
        }; // 1,000 bytes a second
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain, 0.0064, harbour: b => b with { Streams = [stream] })); // 800 bytes a second
        provider.PassDays(10);
        var status = Status(provider);
        Assert.Null(status.EmptyAfterHours);
        Assert.Equal(200, status.ShortBytesPerSecond, 9);
        Assert.Equal(10 * 200 * 86_400.0, status.WaitingBytes, 1e-3);
        Assert.Equal(8 * 86.4, status.Copied, 6);
        // What came last waits with what came when a fifth had piled up: two days of ten.
        Assert.Equal(48, status.LagHours);
    }

    [Fact]
    public void What_waits_already_is_ahead_of_what_is_to_be_caught_up_with()
    {
        // A day carries 86.4 MB at 8 kbit/s: the 86 objects that wait, and 0.4 of the two that lie there.
        var today = TestProvider.Demo.Today;
        var rule = TwoPlaces.Plain with
        {
            CatchUp = true,
            Waiting =
            [
                new WaitingLot
                {
                    Prefix = "w/",
                    Created = today.AddDays(-9),
                    Since = today.AddDays(-9),
                    Objects = 86,
                    BytesPerObject = 1_000_000,
                },
            ],
        };
        using var provider = new TestProvider(
            TwoPlaces.Estate(
                rule,
                0.008,
                harbour: b =>
                    b with
                    {
                        Stock =
                        [
                            new Lot
                            {
                                Prefix = "s/",
                                Created = today,
                                InTierSince = today,
                                Tier = "counter",
                                Objects = 2,
                                BytesPerObject = 1_000_000,
                            },
                        ],
                    }
            )
        );
        provider.PassDays(1);
        var arrived = provider.Inside.Stock(null).Buckets["far-away"].Lots;
        Assert.Equal(86, arrived.Single(l => l.Prefix == "w/").Count);
        Assert.Equal(0.4, arrived.Where(l => l.Prefix == "s/").Sum(l => l.Count), 9);
        provider.PassDays(1);
        Assert.Equal(2, provider.Inside.Stock(null).Buckets["far-away"].Lots.Where(l => l.Prefix == "s/").Sum(l => l.Count), 9);
    }

    [Fact]
    public async Task A_rule_takes_what_carries_its_tags_and_puts_it_into_its_tier_and_deletions_follow_if_they_shall()
    {
        var tags = new Dictionary<string, string> { ["keep"] = "yes" };
        var rule = TwoPlaces.Plain with { Tags = tags, Tier = "pantry" };
        foreach (var follow in new[] { false, true })
        {
            using var provider = new TestProvider(TwoPlaces.Estate(rule with { FollowDeletions = follow }));
            await provider.Put("tagged", [1], new WriteConditions(Tags: tags));
            await provider.Put("plain", [2]);
            provider.PassHours(1);
            var copy = Assert.Single(provider.Objects.List("far-away", "", null, null, 10).Objects);
            Assert.Equal(("tagged", "pantry", "yes", true), (copy.Key, copy.Tier, copy.Tags!["keep"], copy.IsCopy));
            var mark = provider.Objects.Delete("harbour", "tagged", null, null).Marker;
            provider.PassHours(1);
            Assert.Equal(follow, provider.Objects.Find("far-away", "tagged", null) is null);
            provider.Objects.Delete("harbour", "tagged", mark, null);
            provider.PassHours(1);
            Assert.NotNull(provider.Objects.Find("far-away", "tagged", null));
            // Gone for good here is not gone there.
            provider.Objects.Delete("harbour", "tagged", provider.Objects.Versions("harbour", "tagged").Single().Version, null);
            provider.PassHours(1);
            Assert.Equal([1], await provider.Get("tagged", bucket: "far-away"));
        }
    }
}
