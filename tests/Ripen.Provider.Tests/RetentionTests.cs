using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Replication;

namespace Ripen.Provider.Tests;

/// <summary>Every way in which something that is kept could go or be kept less, tried from outside; each is refused in words and changes
/// nothing.</summary>
public sealed class RetentionTests
{
    private static readonly KeepRule SealedYear = new() { Days = 365, Strength = KeepStrength.Sealed };
    private static readonly KeepRule LiftableYear = new() { Days = 365, Strength = KeepStrength.Liftable };

    private static Estate Harbour(KeepRule? keep, Func<Bucket, Bucket>? with = null) =>
        TestProvider.OneBucket(b =>
            (with ?? (x => x))(
                b with
                {
                    Keep = keep,
                    Stock =
                    [
                        new Lot
                        {
                            Prefix = "old/",
                            Created = TestProvider.Demo.Today,
                            Tier = "counter",
                            InTierSince = TestProvider.Demo.Today,
                            Objects = 12,
                            BytesPerObject = 5000,
                        },
                    ],
                }
            )
        );

    private static KeepRule Rule(int? days, string? until, KeepStrength strength) =>
        new()
        {
            Days = days,
            Until = until is null ? null : DateOnly.Parse(until),
            Strength = strength,
        };

    /// <summary>The demo's today is 2026-11-01.</summary>
    public static TheoryData<string, KeepRule, KeepRule?, string> Weakenings { get; } =
        new()
        {
            { "shorter", SealedYear, SealedYear with { Days = 364 }, "sealed" },
            { "dropped", SealedYear, null, "sealed" },
            { "unsealed", SealedYear, LiftableYear, "sealed" },
            { "unsealed and longer", SealedYear, LiftableYear with { Days = 9999 }, "sealed" },
            { "days to a date", SealedYear, Rule(null, "2099-01-01", KeepStrength.Sealed), "sealed" },
            { "dated back", Rule(null, "2030-01-01", KeepStrength.Sealed), Rule(null, "2029-12-31", KeepStrength.Sealed), "sealed" },
            { "a date to days", Rule(null, "2030-01-01", KeepStrength.Sealed), Rule(9999, null, KeepStrength.Sealed), "sealed" },
            { "liftable shorter", LiftableYear, LiftableYear with { Days = 364 }, "needs-lifting" },
            { "liftable dropped", LiftableYear, null, "needs-lifting" },
            { "liftable sealed and shorter", LiftableYear, SealedYear with { Days = 30 }, "needs-lifting" },
        };

    [Theory]
    [MemberData(nameof(Weakenings))]
    public void A_plan_that_keeps_less_is_refused_before_it_is_stored_and_when_it_is_adopted(
        string name,
        KeepRule before,
        KeepRule? after,
        string code
    )
    {
        using var provider = new TestProvider(Harbour(before));
        var kept = Kept(provider);
        Assert.NotEmpty(kept);
        Assert.Equal(
            (name, code),
            (name, Assert.Throws<RefusalException>(() => provider.Inside.Reserve(new PlannedChange(Harbour(after)))).Code)
        );
        Assert.Equal(code, Assert.Throws<RefusalException>(() => provider.Adopt(Harbour(after), version: 2)).Code);
        Assert.Equal(code, provider.Inside.Foresee(new PlannedChange(Harbour(after)))!.Code);
        Assert.Equal(kept, Kept(provider));
        Assert.Equal(1, provider.Inside.Standing.Version);

        provider.Reopen(Harbour(before));
        Assert.Equal(kept, Kept(provider));
    }

    [Fact]
    public void A_sealed_rule_can_be_made_longer_and_what_lies_there_is_kept_longer_with_it()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        provider.Adopt(Harbour(SealedYear with { Days = 400 }), version: 2);
        Assert.Equal(TestProvider.Demo.Today.AddDays(400), provider.Inside.KeptIn("harbour")!.First);
        provider.Adopt(Harbour(SealedYear with { Days = 400 }), version: 3);
        Assert.Equal("sealed", Assert.Throws<RefusalException>(() => provider.Adopt(Harbour(SealedYear), version: 4)).Code);
    }

    [Fact]
    public void A_rule_until_a_day_that_has_come_keeps_nothing_and_may_go()
    {
        using var provider = new TestProvider(Harbour(Rule(null, "2026-11-20", KeepStrength.Sealed)));
        Assert.Equal("sealed", Assert.Throws<RefusalException>(() => provider.Adopt(Harbour(null), version: 2)).Code);
        provider.PassDays(19);
        provider.Adopt(Harbour(null), version: 2);
        Assert.Null(provider.Inside.KeptIn("harbour"));
    }

    [Fact]
    public async Task A_liftable_rule_is_lifted_by_its_own_request_only_and_frees_what_it_kept()
    {
        using var provider = new TestProvider(Harbour(LiftableYear));
        await provider.Put("a", [1]);
        Assert.Equal(KeepStrength.Liftable, provider.Objects.Find("harbour", "a", null)!.Kept!.Strength);
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", null, null)));
        using (provider.Inside.Reserve(new PlannedChange(Harbour(null), Lifted: "harbour")))
            Lift(provider, null, 2);
        provider.Objects.Delete("harbour", "a", null, null);
        Assert.Null(provider.Inside.KeptIn("harbour"));
        // The same version lifts once.
        provider.Inside.Adopt(Plan(Harbour(LiftableYear), 3, lift: 2));
        Assert.Equal("needs-lifting", Refused(() => Lift(provider, null, 2)));
    }

    [Fact]
    public void Lifting_does_not_help_against_a_seal()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        Assert.Equal("sealed", Refused(() => provider.Inside.Reserve(new PlannedChange(Harbour(null), Lifted: "harbour"))));
        Assert.Equal("sealed", Refused(() => Lift(provider, null, 2)));
    }

    [Fact]
    public async Task What_is_kept_is_neither_deleted_nor_overwritten_by_anybody()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        var written = await provider.Put("a", [1]);
        var batch = provider.Objects.List("harbour", "old/", null, null, 10).Batches.Single();
        Assert.Equal(12, batch.Count);
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", null, null)));
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", written.Version, null)));
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "old/", EntryOf(provider, "old/"), null)));
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", [2]))).Code);
        Assert.Equal([1], await provider.Get("a"));

        var versioned = Harbour(SealedYear, b => b with { Versioning = true });
        provider.Adopt(versioned, version: 2);
        var newer = await provider.Put("a", [2]);
        foreach (var version in new[] { written.Version, newer.Version })
            Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", version, null)));
        // Switching versions off again makes neither of them fair game.
        provider.Adopt(Harbour(SealedYear), version: 3);
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", [3]))).Code);
        Assert.Equal(2, provider.Objects.Versions("harbour", "a").Count);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task Neither_a_deleted_bucket_nor_an_import_takes_what_is_kept(bool weightless)
    {
        using var provider = new TestProvider(weightless ? Harbour(SealedYear) : TestProvider.OneBucket(b => b with { Keep = SealedYear }));
        if (!weightless)
            await provider.Put("a", [1]);
        var kept = Kept(provider);
        var without = TestProvider.Demo with { Buckets = [] };
        Assert.Equal("kept", Refused(() => provider.Inside.Reserve(new PlannedChange(without))));
        Assert.Equal("kept", Refused(() => provider.Adopt(without, version: 2)));
        Assert.Equal("kept", Refused(() => provider.Inside.Reserve(new PlannedChange(TestProvider.Small, IsImport: true))));
        Assert.Equal("kept", Refused(() => provider.Adopt(TestProvider.Small, version: 2, import: 2)));
        // Not even an import of the very same estate: it would begin anew.
        Assert.Equal("kept", Refused(() => provider.Adopt(Harbour(SealedYear), version: 2, import: 2)));
        Assert.Equal(kept, Kept(provider));
    }

    [Fact]
    public async Task Nothing_is_added_to_a_bucket_that_is_about_to_go_and_time_stands_still_meanwhile()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("a", [1]);
        var without = TestProvider.Demo with { Buckets = [] };
        using (provider.Inside.Reserve(new PlannedChange(without)))
        {
            Assert.Equal("bucket-closing", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("b", [2]))).Code);
            Assert.Equal("change-under-way", Refused(() => provider.PassDays(1)));
            Assert.Equal("change-under-way", Refused(() => provider.Inside.Copies.Lose("aldmouth")));
        }
        await provider.Put("b", [2]);
        provider.PassDays(1);
        using (provider.Inside.Reserve(new PlannedChange(without)))
            provider.Adopt(without, version: 2);
        Assert.Equal("no-bucket", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("c", [3]))).Code);
    }

    [Fact]
    public void Buckets_do_not_go_while_time_passes()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var seen = new List<string>();
        provider.Inside.Clock.PassUntil(
            provider.Inside.Clock.Now.AddDays(1),
            _ =>
            {
                seen.Add(Refused(() => provider.Inside.Reserve(new PlannedChange(TestProvider.Demo with { Buckets = [] }))));
                seen.Add(Refused(() => provider.Inside.Reserve(new PlannedChange(TestProvider.Small, IsImport: true))));
                seen.Add(Refused(() => provider.Inside.Copies.Lose("aldmouth")));
                seen.Add(Refused(() => provider.PassDays(1)));
            },
            CancellationToken.None
        );
        Assert.Equal(Enumerable.Repeat("time-passes", 4), seen);
    }

    [Fact]
    public async Task A_bucket_with_objects_keeps_its_region_and_none_moves_out_of_or_into_a_lost_one()
    {
        static Estate In(string region) => TestProvider.OneBucket(b => b with { Region = region });
        using var provider = new TestProvider(In("aldmouth"));
        provider.Adopt(In("kestrel-sound"), version: 2);
        provider.Inside.Copies.Lose("aldmouth");
        Assert.Equal("region-lost", Refused(() => provider.Adopt(In("aldmouth"), version: 3)));
        provider.Inside.Copies.BringBack("aldmouth", withItsData: true);
        provider.Inside.Copies.Lose("kestrel-sound");
        Assert.Equal("region-lost", Refused(() => provider.Adopt(In("aldmouth"), version: 3)));
        provider.Inside.Copies.BringBack("kestrel-sound", withItsData: true);
        await provider.Put("a", [1]);
        Assert.Equal("region-fixed", Refused(() => provider.Adopt(In("aldmouth"), version: 3)));
        Assert.Equal("region-fixed", Refused(() => provider.Inside.Reserve(new PlannedChange(In("aldmouth")))));
    }

    [Fact]
    public async Task A_copy_rule_stays_while_a_probe_of_it_is_kept()
    {
        var estate = TwoPlaces.Estate(TwoPlaces.Plain, harbour: b => b with { Keep = SealedYear });
        using var provider = new TestProvider(estate);
        var rule = provider.Inside.Copies.Rules().Single();
        provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", null);
        var probe = await provider.Inside.Copies.Probe(rule.Id, CancellationToken.None);
        var without = TwoPlaces.Estate(null, harbour: b => b with { Keep = SealedYear });
        Assert.Equal("probe-kept", Refused(() => provider.Inside.Reserve(new PlannedChange(without))));
        Assert.Equal("probe-kept", Refused(() => provider.Adopt(without, version: 2)));
        provider.Inside.Copies.GiveUpProbe(probe.Id);
        provider.Adopt(without, version: 2);
        Assert.NotNull(provider.Objects.Find("harbour", probe.Key, null));
    }

    [Fact]
    public async Task A_disaster_destroys_what_is_kept_only_after_the_list_of_it_was_seen()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        await provider.Put("a", [1, 2, 3]);
        provider.Inside.Copies.Lose("aldmouth");
        var kept = Kept(provider);
        Assert.Equal("kept-unseen", Refused(() => provider.Inside.Copies.BringBack("aldmouth", withItsData: false)));
        Assert.Equal("kept-unseen", Refused(() => provider.Inside.Copies.BringBack("aldmouth", withItsData: false, "0123456789ab")));
        Assert.Equal(kept, Kept(provider));
        var loss = provider.Inside.Copies.LossOf("aldmouth");
        Assert.Equal([("a", 1.0, 3.0), ("old/", 12, 60_000)], loss.Kept.Select(k => (k.Key, k.Objects, k.Bytes)));
        provider.Inside.Copies.BringBack("aldmouth", withItsData: false, loss.KeptSeen);
        Assert.Empty(provider.Objects.List("harbour", "", null, null, 10).Objects);
    }

    [Fact]
    public void Letting_more_than_a_year_pass_over_the_end_of_retention_needs_the_day_typed()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        var now = provider.Inside.Clock.Now;
        Assert.Empty(provider.Inside.Clock.Lapses(now.AddDays(366)));
        Assert.Equal(("harbour", 12.0), provider.Inside.Clock.Lapses(now.AddDays(367)).Select(l => (l.Bucket, l.Objects)).Single());
        void Pass(int days, string? confirm) => provider.Inside.Clock.PassUntil(now.AddDays(days), null, CancellationToken.None, confirm);
        var refusal = Assert.Throws<RefusalException>(() => Pass(367, null));
        Assert.Equal("retention-lapses", refusal.Code);
        Assert.Contains("2027-11-03", refusal.Message, StringComparison.Ordinal);
        Assert.Equal("retention-lapses", Refused(() => Pass(367, "yes")));
        Assert.Equal(now, provider.Inside.Clock.Now);
        Pass(367, "2027-11-03");
        Assert.Null(provider.Inside.KeptIn("harbour"));
    }

    [Fact]
    public async Task The_index_itself_refuses_what_no_gate_was_asked_for()
    {
        using var provider = new TestProvider(Harbour(SealedYear));
        await provider.Put("a", [1]);
        var estate = Harbour(SealedYear);
        provider.Inside.Dispose();
        using (var db = new SqliteConnection($"Data Source={Path.Combine(provider.Folder, "index.db")};Pooling=False"))
        {
            db.Open();
            foreach (
                var attack in new[]
                {
                    "DELETE FROM entry",
                    "DELETE FROM entry WHERE kind = 0",
                    "UPDATE entry SET sealed_until = NULL",
                    "UPDATE entry SET sealed_until = sealed_until - 1",
                    "UPDATE entry SET kind = 2",
                    "UPDATE entry SET content = NULL WHERE kind = 1",
                }
            )
                Assert.Throws<SqliteException>(() => db.Run(attack));
            db.Run(
                "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since) SELECT bucket, 0, 1, "
                    + "'by-the-side', 1, 1, created, written, tier, since FROM entry LIMIT 1"
            );
            Assert.Equal(3, db.Value<long>("SELECT count(*) FROM entry WHERE sealed_until = created + 365"));
        }
        provider.Reopen(estate);
    }

    private static string Refused(Action attack) => Assert.Throws<RefusalException>(attack).Code;

    private static void Lift(TestProvider provider, KeepRule? to, long version) =>
        provider.Inside.Adopt(Plan(Harbour(to), version, lift: version));

    private static ProviderPlan Plan(Estate estate, long version, long lift) =>
        TestProvider.Plan(estate, version, 1) with
        {
            Buckets = estate.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(estate.Today, 1, lift)),
        };

    private static long EntryOf(TestProvider provider, string key) =>
        provider.Index(db => db.Value<long>("SELECT id FROM entry WHERE key = ?1", key));

    private static List<(string, double, int?, int?)> Kept(TestProvider provider) =>
        provider.Index(db =>
            db.List(
                "SELECT key, count, sealed_until, liftable_until FROM entry WHERE kind < 2 AND (sealed_until IS NOT NULL OR "
                    + "liftable_until IS NOT NULL) ORDER BY id",
                r => (r.GetString(0), r.GetDouble(1), r.Int(2), r.Int(3))
            )
        );
}
