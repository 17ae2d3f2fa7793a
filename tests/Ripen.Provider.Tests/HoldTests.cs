using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>Legal holds: what they match cannot go by any path, and can when they are released.</summary>
public sealed class HoldTests
{
    private static readonly DateOnly Today = TestProvider.Demo.Today;

    private static Hold Case(string id, string prefix = "", string? deck = null, int placed = 0, int? released = null) =>
        new()
        {
            Id = id,
            Prefix = prefix,
            Tags = deck is null ? null : new Dictionary<string, string> { ["deck"] = deck },
            Reason = "the collision of the ninth",
            Placed = Today.AddDays(placed),
            Released = released is { } days ? Today.AddDays(days) : null,
        };

    private static Estate Harbour(params Hold[] holds) => Harbour(b => b, holds);

    private static Estate Harbour(Func<Bucket, Bucket> with, params Hold[] holds) =>
        TestProvider.OneBucket(b =>
            with(
                b with
                {
                    Holds = holds,
                    Rules =
                    [
                        new LifecycleRule
                        {
                            Id = "go",
                            ExpireAt = 3,
                            Steps = [],
                        },
                    ],
                    Stock =
                    [
                        new Lot
                        {
                            Prefix = "log/",
                            Created = Today,
                            Tier = "counter",
                            InTierSince = Today,
                            Objects = 12,
                            BytesPerObject = 5000,
                        },
                    ],
                }
            )
        );

    private static string Refused(Action act) => Assert.Throws<RefusalException>(act).Code;

    private static Task<StoredVersion> Put(TestProvider provider, string key, string? deck = null) =>
        provider.Put(key, [1], new(Tags: deck is null ? null : new Dictionary<string, string> { ["deck"] = deck }));

    private static void Hold(TestProvider provider, Estate after, long version)
    {
        using (provider.Inside.Reserve(new PlannedChange(after, Held: "harbour")))
            provider.Adopt(after, version);
    }

    private static string[] There(TestProvider provider) =>
        [.. provider.Objects.List("harbour", "", null, null, 50).Objects.Select(o => o.Key)];

    [Fact]
    public async Task What_it_matches_stays_and_the_rest_goes_until_it_is_released()
    {
        using var provider = new TestProvider(Harbour());
        await Put(provider, "radar/1", "upper");
        await Put(provider, "radar/2", "lower");
        await Put(provider, "tides/1");
        Hold(provider, Harbour(Case("ninth", "radar/", "upper"), Case("logs", "log/")), 2);
        // What comes later is held from birth.
        await Put(provider, "radar/3", "upper");
        Assert.Equal(
            (2, 12),
            ((int)provider.Inside.HeldIn("harbour")["ninth"].Objects, (int)provider.Inside.HeldIn("harbour")["logs"].Objects)
        );
        Assert.Equal((16.0, 60_004.0), provider.Inside.WouldHold("harbour", new Scope("", null)));
        var held = provider.Objects.Find("harbour", "radar/1", null)!.Kept!;
        Assert.True(held is { IsHeld: true, Strength: KeepStrength.Sealed } && held.Until == DateOnly.MaxValue);

        foreach (var version in new long?[] { null, provider.Objects.Find("harbour", "radar/1", null)!.Version })
            Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "radar/1", version, null)));
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => Put(provider, "radar/1"))).Code);
        Assert.Contains(
            "by being released",
            (await Assert.ThrowsAsync<RefusalException>(() => Put(provider, "radar/3"))).Message,
            StringComparison.Ordinal
        );
        provider.PassDays(10);
        Assert.Equal(["radar/1", "radar/3"], There(provider));
        Assert.Equal(12, provider.Objects.List("harbour", "log/", null, null, 10).Batches.Single().Count);

        Hold(provider, Harbour(Case("ninth", "radar/", "upper", released: 10), Case("logs", "log/")), 3);
        Assert.Equal(0, provider.Inside.HeldIn("harbour")["ninth"].Objects);
        provider.Objects.Delete("harbour", "radar/1", null, null);
        provider.PassDays(1);
        Assert.Empty(There(provider));
        Assert.Equal(12, provider.Objects.List("harbour", "log/", null, null, 10).Batches.Single().Count);
    }

    public static TheoryData<string, Hold[], string> Weakenings { get; } =
        new()
        {
            { "dropped", [], "held" },
            { "another case in its place", [Case("other")], "held" },
            { "narrower", [Case("ninth", "radar/")], "held" },
            { "by tags", [Case("ninth", "", "upper")], "held" },
            { "later", [Case("ninth", placed: 1)], "held" },
            { "released before today", [Case("ninth", released: -1)], "held" },
        };

    [Theory]
    [MemberData(nameof(Weakenings))]
    public async Task A_plan_that_holds_less_is_refused_before_it_is_stored_and_when_it_is_adopted(string name, Hold[] after, string code)
    {
        using var provider = new TestProvider(Harbour(Case("ninth")));
        await Put(provider, "radar/1");
        Assert.Equal((name, code), (name, Refused(() => provider.Inside.Reserve(new PlannedChange(Harbour(after), Held: "harbour")))));
        Assert.Equal("holds-by-name", Refused(() => provider.Inside.Reserve(new PlannedChange(Harbour(after)))));
        Assert.Equal(code, Refused(() => provider.Adopt(Harbour(after), version: 2)));
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "radar/1", null, null)));
        provider.Reopen(Harbour(Case("ninth")));
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "radar/1", null, null)));
    }

    [Fact]
    public void Neither_the_bucket_nor_an_import_takes_what_is_held_and_a_bucket_cannot_say_other_holds_by_the_way()
    {
        using var provider = new TestProvider(Harbour(Case("ninth")));
        var without = TestProvider.Demo with { Buckets = [] };
        Assert.Equal("kept", Refused(() => provider.Inside.Reserve(new PlannedChange(without))));
        Assert.Equal("kept", Refused(() => provider.Adopt(without, version: 2)));
        Assert.Equal("kept", Refused(() => provider.Adopt(TestProvider.Small, version: 2, import: 2)));
        Assert.Equal("holds-by-name", Refused(() => provider.Inside.Reserve(new PlannedChange(Harbour(Case("ninth"), Case("more"))))));
        // Anything else of it may change.
        using (provider.Inside.Reserve(new PlannedChange(Harbour(b => b with { Rules = [] }, Case("ninth")))))
            provider.Adopt(Harbour(b => b with { Rules = [] }, Case("ninth")), version: 2);
    }

    [Fact]
    public void One_that_is_placed_for_a_day_to_come_holds_from_that_day_on()
    {
        using var provider = new TestProvider(Harbour(b => b with { Rules = [] }, Case("next-week", "log/", placed: 7)));
        Assert.Null(provider.Inside.KeptIn("harbour"));
        provider.PassDays(6);
        Assert.Null(provider.Inside.KeptIn("harbour"));
        provider.PassDays(1);
        Assert.Equal(12, provider.Inside.KeptIn("harbour")!.Objects);
    }

    [Fact]
    public async Task The_index_itself_refuses_what_would_free_a_held_entry()
    {
        using var provider = new TestProvider(Harbour(Case("ninth", "radar/", "upper")));
        await Put(provider, "radar/1", "upper");
        await Put(provider, "tides/1");
        var folder = provider.Folder;
        using var db = new SqliteConnection($"Data Source={Path.Combine(folder, "index.db")};Pooling=False");
        db.Open();
        foreach (
            var attack in new[]
            {
                "DELETE FROM entry WHERE key = 'radar/1'",
                "DELETE FROM entry",
                "UPDATE entry SET held_until = NULL",
                "UPDATE entry SET held_until = held_until - 1 WHERE key = 'radar/1'",
                "UPDATE entry SET tags = NULL WHERE key = 'radar/1'",
                "UPDATE entry SET tags = 'deck=lower' WHERE key = 'radar/1'",
                "UPDATE entry SET key = 'free' WHERE key = 'radar/1'",
                "UPDATE entry SET count = 0 WHERE key = 'radar/1'",
                "UPDATE entry SET kind = 2 WHERE key = 'radar/1'",
                "UPDATE entry SET content = NULL WHERE key = 'radar/1'",
            }
        )
        {
            using var command = db.CreateCommand();
            command.CommandText = attack;
            Assert.Contains(
                "The entry is",
                Assert.Throws<SqliteException>(() => command.ExecuteNonQuery()).Message,
                StringComparison.Ordinal
            );
        }
        Assert.Equal([1], await provider.Get("radar/1"));
        // What no hold matches is nobody's business.
        provider.Objects.Delete("harbour", "tides/1", null, null);
    }
}
