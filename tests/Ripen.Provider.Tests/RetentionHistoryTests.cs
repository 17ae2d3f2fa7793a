using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Ripen.Core.Estates;
using Ripen.Core.Tests;
using Ripen.Provider.Access;
using Ripen.Provider.Index;
using Ripen.Provider.Inventory;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;

namespace Ripen.Provider.Tests;

/// <summary>
/// Random sequences of every public call of the provider, many of them hostile, against one sentence: what is kept on a day is there on
/// that day, with all its bytes, and kept no less than before.
/// </summary>
public sealed class RetentionHistoryTests
{
    private const int CallsInASequence = 18;
    private static readonly string[] Keys = ["a", "a/b", "z"];
    private static readonly string[] Names = ["harbour", "far-away", "third"];
    private static readonly string[] Regions = ["aldmouth", "kestrel-sound"];

    private sealed record Entry(
        long Id,
        string Bucket,
        string Region,
        string Key,
        string? Tags,
        int? Sealed,
        int? Liftable,
        double Count,
        string? Content,
        byte[]? Sha
    );

    [Fact]
    public void No_sequence_of_calls_destroys_or_weakens_what_is_kept()
    {
        var (sequences, first) = (Randomly.Times(60), Randomly.Seed);
        var (kept, refused, done) = (0L, new Dictionary<string, int>(), new Dictionary<string, int>());
        for (var seed = first; seed < first + sequences; seed++)
        {
            try
            {
                kept += Live(new Random(seed), refused, done);
            }
            catch (Exception error)
            {
                throw new InvalidOperationException($"Seed {seed}: {error.Message}", error);
            }
        }
        // The sequences are no walk in the park: a good part of the calls wants what must not be.
        Assert.True(kept > sequences, $"Only {kept} entries were ever kept.");
        Assert.Contains("kept", refused.Keys);
        Assert.Contains("held", refused.Keys);
        Assert.Contains("holds-by-name", refused.Keys);
        Assert.True(done.Count >= 20, $"Only {done.Count} kinds of calls were ever allowed: {string.Join(", ", done.Keys)}.");
    }

    /// <summary>How many entries were kept at the end.</summary>
    private static int Live(Random random, Dictionary<string, int> refused, Dictionary<string, int> done)
    {
        var estate = Begin(random);
        var (version, import) = (1L, 1L);
        using var provider = new TestProvider(estate);
        var before = Kept(provider, estate);
        for (var call = 0; call < CallsInASequence; call++)
        {
            var (lifted, destroyed, name) = ((string?)null, (string?)null, "");
            var (holding, released) = (estate, (string?)null);
            try
            {
                (name, lifted, destroyed) =
                    random.Next(5) == 0
                        ? HoldOrRelease(provider, random, ref estate, ref version, import, out released)
                        : Call(provider, random, ref estate, ref version, ref import);
                done[name] = done.GetValueOrDefault(name) + 1;
            }
            catch (RefusalException refusal)
            {
                refused[refusal.Code] = refused.GetValueOrDefault(refusal.Code) + 1;
            }
            var after = Kept(provider, estate);
            var today = provider.Inside.Clock.Today.DayNumber;
            var byId = after.ToDictionary(e => e.Id);
            bool IsHeld(Entry e) =>
                holding
                    .Find(e.Bucket)!
                    .Holds.Any(h =>
                        h.Id != released
                        && h.Placed.DayNumber <= today
                        && (h.Released is null || h.Released.Value.DayNumber > today)
                        && h.Scope.Takes(e.Key, TagText.Read(e.Tags))
                    );
            foreach (var entry in before.Where(e => Math.Max(e.Sealed ?? 0, e.Liftable ?? 0) > today || IsHeld(e)))
            {
                if (entry.Region == destroyed)
                    continue;
                var free = entry.Bucket == lifted && !(entry.Sealed > today) && !IsHeld(entry);
                if (free)
                    continue;
                Assert.True(
                    byId.TryGetValue(entry.Id, out var now),
                    $"{name} removed entry {entry.Id} of {entry.Bucket}, kept until {entry.Sealed} / {entry.Liftable} on {today}, held: "
                        + $"{IsHeld(entry)}."
                );
                Assert.True((now!.Sealed ?? 0) >= (entry.Sealed > today ? entry.Sealed : 0), $"{name} unsealed entry {entry.Id}.");
                Assert.True(
                    entry.Bucket == lifted
                        || Math.Max(entry.Sealed ?? 0, entry.Liftable ?? 0) <= today
                        || Math.Max(now.Sealed ?? 0, now.Liftable ?? 0) >= Math.Max(entry.Sealed ?? 0, entry.Liftable ?? 0),
                    $"{name} has entry {entry.Id} kept less."
                );
                Assert.Equal((entry.Count, entry.Content), (now.Count, now.Content));
            }
            before = after;
        }
        foreach (var entry in before.Where(e => e.Content is not null))
            Assert.Equal(entry.Sha, SHA256.HashData(provider.Content(entry.Content!)));
        return before.Count(e => Math.Max(e.Sealed ?? 0, e.Liftable ?? 0) > 0 || estate.Find(e.Bucket)!.Holds.Count > 0);
    }

    /// <summary>A hold is placed, released, put off, dropped by a hand that may not, or by one that says it may.</summary>
    private static (string, string?, string?) HoldOrRelease(
        TestProvider provider,
        Random random,
        ref Estate estate,
        ref long version,
        long import,
        out string? released
    )
    {
        released = null;
        var bucket = estate.Buckets[random.Next(estate.Buckets.Count)];
        var today = provider.Inside.Clock.Today;
        var some = bucket.Holds.Count == 0 ? null : bucket.Holds[random.Next(bucket.Holds.Count)];
        IReadOnlyList<Hold> Without() => [.. bucket.Holds.Where(h => h != some)];
        var (name, holds, held) = (random.Next(some is null ? 2 : 8)) switch
        {
            0 or 1 => (
                "place",
                [
                    .. bucket.Holds,
                    new Hold
                    {
                        Id = $"case-{version}",
                        Prefix = new[] { "", "a", "s/" }[random.Next(3)],
                        Tags = random.Next(3) == 0 ? new Dictionary<string, string> { ["deck"] = "upper" } : null,
                        Reason = "asked for",
                        Placed = today.AddDays(random.Next(3)),
                    },
                ],
                bucket.Name
            ),
            2 or 3 => ("release", [.. Without(), some! with { Released = some.Placed > today ? some.Placed : today }], bucket.Name),
            4 => ("drop-hold", Without(), bucket.Name),
            5 => ("drop-hold-by-change", Without(), null),
            6 => ("backdate", [.. Without(), some! with { Released = today.AddDays(-1) }], bucket.Name),
            _ => ("narrow", (IReadOnlyList<Hold>)[.. Without(), some! with { Prefix = "nothing/" }], bucket.Name),
        };
        var answer = Change(
            provider,
            estate.With(bucket with { Holds = holds }, bucket.Name),
            ref estate,
            ref version,
            import,
            null,
            name,
            held
        );
        if (name == "release")
            released = some!.Id;
        return answer;
    }

    private static Estate Begin(Random random)
    {
        var estate = TwoPlaces.Estate(
            TwoPlaces.Plain with
            {
                FollowDeletions = true,
                CatchUp = true,
            },
            megabits: random.Next(2) == 0 ? null : 0.001,
            harbour: b => Twisted(b, random),
            far: b => Twisted(b, random)
        );
        return estate with
        {
            Buckets =
            [
                .. estate.Buckets,
                Twisted(
                    new Bucket
                    {
                        Name = "third",
                        Region = "aldmouth",
                        Scheme = "one-site",
                        Tier = "counter",
                    },
                    random
                ),
            ],
        };
    }

    private static Bucket Twisted(Bucket bucket, Random random) =>
        bucket with
        {
            Keep = Rule(random),
            Rules =
                random.Next(2) == 0
                    ? []
                    :
                    [
                        new LifecycleRule
                        {
                            Id = "go",
                            ExpireAt = random.Next(1, 60),
                            Steps = [],
                        },
                    ],
            Stock =
                random.Next(2) == 0
                    ? []
                    :
                    [
                        new Lot
                        {
                            Prefix = "s/",
                            Created = TestProvider.Demo.Today.AddDays(-random.Next(400)),
                            Tier = "counter",
                            InTierSince = TestProvider.Demo.Today,
                            Objects = 3,
                            BytesPerObject = 10,
                        },
                    ],
            Streams =
                random.Next(3) > 0
                    ? []
                    :
                    [
                        new ObjectStream
                        {
                            Prefix = "s/",
                            ObjectsPerDay = 1.5,
                            BytesPerObject = 100,
                        },
                    ],
        };

    private static KeepRule? Rule(Random random)
    {
        var strength = random.Next(2) == 0 ? KeepStrength.Sealed : KeepStrength.Liftable;
        return random.Next(4) switch
        {
            0 => null,
            1 => new KeepRule { Until = TestProvider.Demo.Today.AddDays(random.Next(-10, 700)), Strength = strength },
            _ => new KeepRule { Days = random.Next(0, 500), Strength = strength },
        };
    }

    /// <summary>The name of the call, the bucket whose rule it lifted, the region whose data it destroyed.</summary>
    private static (string Name, string? Lifted, string? Destroyed) Call(
        TestProvider provider,
        Random random,
        ref Estate estate,
        ref long version,
        ref long import
    )
    {
        var inside = provider.Inside;
        var (bucket, key, region) = (Names[random.Next(Names.Length)], Keys[random.Next(Keys.Length)], Regions[random.Next(2)]);
        switch (random.Next(24))
        {
            case 0 or 1 or 2:
                var tags = random.Next(3) == 0 ? new Dictionary<string, string> { ["deck"] = "upper" } : null;
                provider
                    .Put(key, TestProvider.Bytes(random.Next(200), random.Next()), new WriteConditions { Tags = tags }, bucket)
                    .GetAwaiter()
                    .GetResult();
                return ("write", null, null);
            case 3:
                inside.Objects.Delete(bucket, key, null, null);
                return ("delete", null, null);
            case 4:
                var some = provider.Index(db =>
                    db.List(
                        "SELECT e.id, e.key FROM entry e JOIN bucket b ON b.id = e.bucket WHERE b.name = ?1",
                        r => (r.GetInt64(0), r.GetString(1)),
                        bucket
                    )
                );
                if (some.Count == 0)
                    return ("nothing", null, null);
                var (id, named) = some[random.Next(some.Count)];
                inside.Objects.Delete(bucket, named, id, null);
                return ("delete-version", null, null);
            case 5:
                inside.Objects.Move(bucket, random.Next(2) == 0 ? "" : "s/", true, "counter");
                return ("move", null, null);
            case 6 or 7:
                var days = random.Next(12) switch
                {
                    0 => random.Next(800),
                    < 4 => random.Next(40),
                    _ => random.Next(3),
                };
                var until = inside.Clock.Now.AddDays(days).AddHours(random.Next(24));
                inside.Clock.PassUntil(
                    until,
                    null,
                    CancellationToken.None,
                    random.Next(2) == 0 ? null : until.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)
                );
                return ("pass", null, null);
            case 8 or 9:
                return Change(
                    provider,
                    estate.With(
                        Twisted(estate.Find(bucket) ?? estate.Buckets[0], random) with
                        {
                            Stock = [],
                        },
                        (estate.Find(bucket) ?? estate.Buckets[0]).Name
                    ),
                    ref estate,
                    ref version,
                    import,
                    null,
                    "twist"
                );
            case 10:
                return Change(
                    provider,
                    estate.With(
                        (estate.Find(bucket) ?? estate.Buckets[0]) with
                        {
                            Versioning = random.Next(2) == 0,
                            CopyTo = [],
                        },
                        (estate.Find(bucket) ?? estate.Buckets[0]).Name
                    ),
                    ref estate,
                    ref version,
                    import,
                    null,
                    "switch-versions"
                );
            case 11:
                return Change(
                    provider,
                    estate.With(
                        (estate.Find(bucket) ?? estate.Buckets[0]) with
                        {
                            Region = region,
                        },
                        (estate.Find(bucket) ?? estate.Buckets[0]).Name
                    ),
                    ref estate,
                    ref version,
                    import,
                    null,
                    "move-region"
                );
            case 12:
                var without = estate with
                {
                    Buckets =
                    [
                        .. estate
                            .Buckets.Where(b => b.Name != bucket)
                            .Select(b => b with { CopyTo = [.. b.CopyTo.Where(c => c.Bucket != bucket)] }),
                    ],
                };
                return without.Buckets.Count == 0
                    ? ("nothing", null, null)
                    : Change(provider, without, ref estate, ref version, import, null, "drop");
            case 13:
                import = version + 1;
                try
                {
                    return Change(
                        provider,
                        Begin(random) with
                        {
                            Today = inside.Clock.Today,
                        },
                        ref estate,
                        ref version,
                        import,
                        null,
                        "import"
                    );
                }
                catch (RefusalException)
                {
                    import = provider.Inside.Standing.ImportVersion;
                    throw;
                }
            case 14 or 15:
                var lifting = estate.Find(bucket) ?? estate.Buckets[0];
                return Change(
                    provider,
                    estate.With(lifting with { Keep = Rule(random) }, lifting.Name),
                    ref estate,
                    ref version,
                    import,
                    lifting.Name,
                    "lift"
                );
            case 16:
                inside.Copies.Lose(region);
                return ("lose", null, null);
            case 17 or 18:
                var empty = random.Next(2) == 0;
                var seen = random.Next(2) == 0 ? null : inside.Copies.LossOf(region).KeptSeen;
                inside.Copies.BringBack(region, !empty, seen);
                return ("bring-back", null, empty ? region : null);
            case 19:
                if (random.Next(2) == 0)
                    inside.Copies.Cut("aldmouth", "kestrel-sound", random.Next(2) == 0 ? null : inside.Clock.Now.AddHours(5));
                else
                    inside.Copies.Restore("aldmouth", "kestrel-sound");
                return ("line", null, null);
            case 20:
                var rules = inside.Copies.Rules();
                if (rules.Count == 0)
                    return ("nothing", null, null);
                var rule = rules[random.Next(rules.Count)].Id;
                if (random.Next(3) == 0 && inside.Copies.ProbesUnderWay() is [var probe, ..])
                {
                    inside.Copies.GiveUpProbe(probe.Id);
                    return ("give-up", null, null);
                }
                inside.Copies.Probe(rule, CancellationToken.None).GetAwaiter().GetResult();
                return ("probe", null, null);
            case 21:
                foreach (var one in inside.Copies.Rules())
                {
                    foreach (var difference in inside.Copies.Audit(one.Id, false, CancellationToken.None).Differences)
                    {
                        foreach (var mend in difference.Mends)
                            inside.Copies.Mend(one.Id, difference.Item.Kind, mend, null, CancellationToken.None);
                    }
                }
                inside.Copies.Refill(bucket, CancellationToken.None);
                return ("mend", null, null);
            case 22:
                var csv = $"key,bytes,modified\nin/{key},{random.Next(1000)},{inside.Clock.Today.AddDays(-random.Next(500)):yyyy-MM-dd}\n";
                var inventory = inside
                    .Inventories.Receive(new MemoryStream(Encoding.UTF8.GetBytes(csv)), CancellationToken.None)
                    .GetAwaiter()
                    .GetResult();
                inside
                    .Inventories.Import(
                        inventory.Id,
                        bucket,
                        new ColumnMapping
                        {
                            Key = "key",
                            Bytes = "bytes",
                            LastModified = "modified",
                        },
                        false,
                        CancellationToken.None
                    )
                    .GetAwaiter()
                    .GetResult();
                return ("inventory", null, null);
            default:
                if (random.Next(2) == 0)
                {
                    provider.Reopen(estate, version, import);
                    return ("restart", null, null);
                }
                var access = inside.Access.Make(bucket, "anybody", "", [Right.Read, Right.Write, Right.List], null);
                _ = AccessTest
                    .Run(
                        inside.Access,
                        inside.Objects,
                        bucket,
                        new Credentials(access.Secret.KeyId, access.Secret.Secret),
                        CancellationToken.None
                    )
                    .GetAwaiter()
                    .GetResult();
                inside.Access.Links.Make(bucket, "", true, inside.Clock.Now.AddDays(1));
                return ("access", null, null);
        }
    }

    private static (string, string?, string?) Change(
        TestProvider provider,
        Estate after,
        ref Estate estate,
        ref long version,
        long import,
        string? lifted,
        string name,
        string? held = null
    )
    {
        var isImport = import > provider.Inside.Standing.ImportVersion;
        var (stock, next) = (isImport ? import : 1, version + 1);
        var plan = new ProviderPlan(
            after,
            next,
            import,
            after.Buckets.ToDictionary(
                b => b.Name,
                b => new PlannedBucket(after.Today, stock, b.Name == lifted ? next : LiftOf(provider, b.Name))
            )
        );
        using (provider.Inside.Reserve(new PlannedChange(after, isImport, lifted, held)))
            provider.Inside.Adopt(plan);
        version++;
        estate = after;
        return (name, lifted, null);
    }

    private static long LiftOf(TestProvider provider, string bucket) =>
        provider.Index(db => db.Value<long?>("SELECT lift_version FROM bucket WHERE name = ?1", bucket) ?? 0);

    private static List<Entry> Kept(TestProvider provider, Estate estate) =>
        provider.Index(db =>
            db.List(
                """
                SELECT e.id, b.name, e.sealed_until, e.liftable_until, e.count, e.content, c.sha256, e.key, e.tags FROM entry e
                    JOIN bucket b ON b.id = e.bucket LEFT JOIN content c ON c.name = e.content
                WHERE e.kind < 2
                """,
                r => new Entry(
                    r.GetInt64(0),
                    r.GetString(1),
                    estate.Find(r.GetString(1))!.Region,
                    r.GetString(7),
                    r.Text(8),
                    r.Int(2),
                    r.Int(3),
                    r.GetDouble(4),
                    r.Text(5),
                    r.Blob(6)
                )
            )
        );
}
