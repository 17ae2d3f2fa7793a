using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;

namespace Ripen.Provider.Tests;

/// <summary>Probes, audits with their mends, and lost regions.</summary>
public sealed class ProofTests
{
    private static long Rule(TestProvider provider) =>
        provider.Inside.Copies.Rules().Single(r => r.Bucket == "harbour" && !r.BringsBack).Id;

    private static string[] Kinds(AuditResult audit) => [.. audit.Differences.Select(d => $"{d.Item.Kind} {d.Item.Key}")];

    [Fact]
    public async Task A_probe_is_written_seen_compared_and_removed_and_leaves_a_record()
    {
        using var provider = new TestProvider(
            TwoPlaces.Estate(TwoPlaces.Plain with { Prefix = "logs/", AllowedLagHours = 1 }, 8, roundTrip: 100)
        );
        var begin = provider.Inside.Clock.Now;
        var probe = await provider.Inside.Copies.Probe(Rule(provider), CancellationToken.None);
        Assert.StartsWith("logs/", probe.Key, StringComparison.Ordinal);
        Assert.NotNull(provider.Objects.Find("harbour", probe.Key, null));
        provider.PassHours(1);
        Assert.Empty(provider.Inside.Copies.ProbesUnderWay());
        Assert.Empty(provider.Objects.Versions("harbour", probe.Key).Concat(provider.Objects.Versions("far-away", probe.Key)));
        var record = provider.Inside.Copies.Record(provider.Inside.Copies.Records(10).Single().Id);
        Assert.True(record.Head.Good, record.Head.Summary);
        Assert.Equal(["written", "arrived", "compared byte for byte", "removed there", "removed here"], record.Steps.Select(s => s.What));
        // 4,096 bytes at a million a second, and half of 100 ms.
        Assert.Equal(begin.AddMilliseconds(54), record.Steps[1].At);
        Assert.Equal(0, provider.FilesOnDisk);
    }

    [Fact]
    public async Task A_probe_that_one_side_keeps_stays_on_both_until_it_may_go()
    {
        using var provider = new TestProvider(
            TwoPlaces.Estate(
                TwoPlaces.Plain,
                harbour: b =>
                    b with
                    {
                        Keep = new KeepRule { Days = 9, Strength = KeepStrength.Sealed },
                    }
            )
        );
        await provider.Inside.Copies.Probe(Rule(provider), CancellationToken.None);
        provider.PassHours(1);
        var record = provider.Inside.Copies.Record(provider.Inside.Copies.Records(1).Single().Id);
        Assert.Equal(["left there: kept until 2026-11-10", "left here: kept until 2026-11-10"], record.Steps.Skip(3).Select(s => s.What));
        Assert.EndsWith("Retention has it stay on both sides until 2026-11-10.", record.Head.Summary, StringComparison.Ordinal);
        Assert.Equal(new DateOnly(2026, 11, 10), provider.Inside.Copies.Rules().Single().ProbeStaysUntil);
        var audit = provider.Inside.Copies.Audit(Rule(provider), true, CancellationToken.None);
        Assert.Equal((true, 1), (audit.Good, audit.Same));
        Assert.Empty(audit.Differences);

        // Given up on a cut line it has to stay here, and so it still goes there.
        provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", null);
        provider.Inside.Copies.GiveUpProbe((await provider.Inside.Copies.Probe(Rule(provider), CancellationToken.None)).Id);
        provider.Inside.Copies.Restore("aldmouth", "kestrel-sound");
        provider.PassHours(1);
        Assert.Equal(2, provider.Inside.Copies.Audit(Rule(provider), true, CancellationToken.None).Same);
    }

    [Fact]
    public async Task A_probe_that_was_damaged_on_the_way_fails_and_one_that_nobody_waits_for_says_so()
    {
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain, 0.008));
        await provider.Put("first", new byte[10_000_000]);
        var probe = await provider.Inside.Copies.Probe(Rule(provider), CancellationToken.None);
        provider.PassHours(1);
        Assert.Single(provider.Inside.Copies.ProbesUnderWay());
        provider.Inside.Copies.GiveUpProbe(probe.Id);
        var record = provider.Inside.Copies.Records(10).Single();
        Assert.False(record.Good);
        Assert.Contains("had not arrived after 1 hours", record.Summary, StringComparison.Ordinal);
        Assert.Equal(1, provider.FilesOnDisk);

        // Behind the first, the next takes its turn; its content on the source's disk changes meanwhile.
        await provider.Inside.Copies.Probe(Rule(provider), CancellationToken.None);
        foreach (
            var file in Directory
                .EnumerateFiles(Path.Combine(provider.Folder, "content"), "*", SearchOption.AllDirectories)
                .Where(f => new FileInfo(f).Length == 4096)
        )
            File.WriteAllBytes(file, new byte[4096]);
        provider.PassHours(4);
        Assert.Equal("damaged-content", Assert.Single(provider.Inside.Copies.Rules().Single().Failures).Code);
        Assert.Single(provider.Inside.Copies.ProbesUnderWay());
    }

    [Fact]
    public async Task An_audit_lists_every_difference_and_each_can_be_mended()
    {
        var estate = TwoPlaces.Estate(
            null,
            8,
            harbour: b =>
                b with
                {
                    Streams =
                    [
                        new ObjectStream
                        {
                            Prefix = "s/",
                            ObjectsPerDay = 3,
                            BytesPerObject = 1000,
                        },
                    ],
                }
        );
        using var provider = new TestProvider(estate);
        await provider.Put("before", TestProvider.Bytes(10));
        provider.PassDays(1);
        var withRule = estate with { Buckets = [estate.Buckets[0] with { CopyTo = [TwoPlaces.Plain] }, estate.Buckets[1]] };
        provider.Adopt(withRule, version: 2);
        foreach (var key in new[] { "same", "gone-here", "gone-there", "bad-here", "bad-there" })
            await provider.Put(key, TestProvider.Bytes(2_000_000 + key.Length, key.Length));
        provider.PassDays(1);
        await provider.Put("waits", TestProvider.Bytes(5));
        provider.Objects.Delete("harbour", "gone-here", provider.Objects.Find("harbour", "gone-here", null)!.Version, null);
        provider.Objects.Delete("far-away", "gone-there", provider.Objects.Find("far-away", "gone-there", null)!.Version, null);
        await Damage(provider, 2_000_008, "bad-here", "harbour");
        await Damage(provider, 2_000_009, "bad-there", "far-away");

        var quick = provider.Inside.Copies.Audit(Rule(provider), false, CancellationToken.None);
        Assert.Equal(["left-behind before", "missing-there gone-there", "only-there gone-here", "left-behind s/"], Kinds(quick));
        Assert.Equal((false, 1, 3 + 3), (quick.Good, quick.Waiting, quick.Same));
        var whole = provider.Inside.Copies.Audit(Rule(provider), true, CancellationToken.None);
        Assert.Equal([.. Kinds(quick), "damaged-here bad-here", "damaged-there bad-there"], Kinds(whole));
        Assert.Equal(whole.Differences.Select(d => d.Item), provider.Inside.Copies.Record(whole.Record!.Value).Items);

        Mend("left-behind", Mending.Copy, 2);
        Mend("missing-there", Mending.Copy, 1);
        Mend("only-there", Mending.BringBack, 1);
        Mend("damaged-here", Mending.Mend, 1);
        Mend("damaged-there", Mending.Mend, 1);
        Assert.Equal(
            "no-such-mend",
            Assert
                .Throws<RefusalException>(() =>
                    provider.Inside.Copies.Mend(Rule(provider), "left-behind", Mending.Remove, null, CancellationToken.None)
                )
                .Code
        );
        provider.PassDays(1);
        var mended = provider.Inside.Copies.Audit(Rule(provider), true, CancellationToken.None);
        Assert.Empty(Kinds(mended));
        Assert.True(mended.Good);
        Assert.Equal(7 + 9, mended.Same);
        // What came back is the original again.
        var back = provider.Objects.Find("harbour", "gone-here", null)!;
        Assert.False(back.IsCopy);
        Assert.Equal(TestProvider.Bytes(2_000_009, 9), await provider.Get("gone-here"));

        void Mend(string kind, Mending mending, int count) =>
            Assert.Equal(count, provider.Inside.Copies.Mend(Rule(provider), kind, mending, null, CancellationToken.None));
    }

    /// <summary>Changes a byte of the file that lies on the disk: the one of the two of this size that <paramref name="bucket"/>
    /// reads.</summary>
    private static async Task Damage(TestProvider provider, long size, string key, string bucket)
    {
        foreach (
            var file in Directory
                .EnumerateFiles(Path.Combine(provider.Folder, "content"), "*", SearchOption.AllDirectories)
                .Where(f => new FileInfo(f).Length == size)
                .ToList()
        )
        {
            var bytes = File.ReadAllBytes(file);
            bytes[^1] ^= 1;
            File.WriteAllBytes(file, bytes);
            if (await Record.ExceptionAsync(() => provider.Get(key, bucket: bucket)) is RefusalException { Code: "damaged-content" })
                return;
            bytes[^1] ^= 1;
            File.WriteAllBytes(file, bytes);
        }
    }

    [Fact]
    public async Task A_lost_region_serves_nothing_lists_what_is_nowhere_else_and_is_filled_again_when_it_comes_back_empty()
    {
        using var provider = new TestProvider(
            TwoPlaces.Estate(
                TwoPlaces.Plain,
                harbour: b =>
                    b with
                    {
                        Streams =
                        [
                            new ObjectStream
                            {
                                Prefix = "s/",
                                ObjectsPerDay = 2,
                                BytesPerObject = 10,
                            },
                        ],
                    }
            )
        );
        await provider.Put("safe", TestProvider.Bytes(100));
        provider.PassDays(1);
        await provider.Put("late", TestProvider.Bytes(50));
        var foreseen = provider.Inside.Copies.LossOf("aldmouth");
        Assert.Equal(["late"], foreseen.Items.Select(i => i.Key));
        var loss = provider.Inside.Copies.Lose("aldmouth");
        var risk = Assert.Single(loss.Buckets);
        Assert.Equal(
            ("harbour", 4, 1, 50, "far-away"),
            (risk.Bucket, risk.Objects, risk.LostObjects, risk.LostBytes, risk.ServedBy.Single())
        );
        Assert.Equal(
            ("late", 1, 50, "Waited to be copied."),
            (loss.Items[0].Key, loss.Items[0].Objects, loss.Items[0].Bytes, loss.Items[0].Note)
        );
        Assert.Equal("region-lost", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("new", [1]))).Code);
        Assert.Equal("region-lost", Assert.Throws<RefusalException>(() => provider.Objects.List("harbour", "", null, null, 10)).Code);
        Assert.Equal(TestProvider.Bytes(100), await provider.Get("safe", bucket: "far-away"));
        var stored = StoredInHarbour();
        provider.PassDays(2);
        Assert.Equal(LineState.Lost, provider.Inside.Copies.Rules().Single().Line);
        Assert.Equal(stored, StoredInHarbour());

        var head = provider.Inside.Copies.BringBack("aldmouth", withItsData: false);
        Assert.Equal((ProofKind.RegionBack, false), (head.Kind, head.Good));
        Assert.Equal(["late"], provider.Inside.Copies.Record(head.Id).Items.Select(i => i.Key));
        Assert.Empty(provider.Objects.List("harbour", "", null, null, 10).Objects);
        Assert.Equal(2, provider.Inside.Copies.Refill("harbour", CancellationToken.None));
        provider.PassHours(24);
        Assert.Equal(TestProvider.Bytes(100), await provider.Get("safe"));
        Assert.True(provider.Inside.Copies.Audit(Rule(provider), true, CancellationToken.None).Good);
        Assert.DoesNotContain(provider.Inside.Copies.Rules(), r => r.BringsBack);

        double StoredInHarbour() =>
            provider
                .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour")
                .Where(r => r.Charge == Charge.Storage)
                .Sum(r => r.Quantity);
    }

    [Fact]
    public async Task A_region_that_comes_back_with_its_data_goes_on_where_it_was()
    {
        using var provider = new TestProvider(TwoPlaces.Estate(TwoPlaces.Plain, 8, back: new CopyRule { Bucket = "harbour" }));
        await provider.Put("here", [1]);
        provider.Inside.Copies.Lose("aldmouth");
        await provider.Put("there", [2], bucket: "far-away");
        provider.PassDays(1);
        Assert.True(provider.Inside.Copies.BringBack("aldmouth", withItsData: true).Good);
        provider.PassHours(1);
        Assert.Equal([1], await provider.Get("here", bucket: "far-away"));
        Assert.Equal([2], await provider.Get("there"));
        Assert.Equal("not-lost", Assert.Throws<RefusalException>(() => provider.Inside.Copies.BringBack("aldmouth", true)).Code);
        Assert.Equal("no-region", Assert.Throws<RefusalException>(() => provider.Inside.Copies.Lose("nowhere")).Code);
    }
}
