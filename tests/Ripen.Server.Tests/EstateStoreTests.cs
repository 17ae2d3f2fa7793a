using FsCheck;
using FsCheck.Fluent;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Tests;
using Ripen.Data;
using Ripen.Server.Demo;

namespace Ripen.Server.Tests;

/// <summary>The store on its own, against a real SQLite file.</summary>
public sealed class EstateStoreTests : IAsyncLifetime
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-store-").FullName;
    private readonly ServiceProvider services;
    private readonly EstateStore store;
    private readonly ChangeLog log;

    public EstateStoreTests()
    {
        services = new ServiceCollection()
            .AddSingleton(TimeProvider.System)
            .AddSingleton<IActors, LocalActors>()
            .AddEstateStore(Path.Combine(folder, "store.db"))
            .BuildServiceProvider();
        store = services.GetRequiredService<EstateStore>();
        log = services.GetRequiredService<ChangeLog>();
    }

    public async ValueTask InitializeAsync() => await store.Prepare();

    public async ValueTask DisposeAsync()
    {
        await services.DisposeAsync();
        Setup.LetGo(Path.Combine(folder, "store.db"));
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public void Any_valid_estate_comes_back_from_the_database_as_it_went_in()
    {
        var version = 0L;
        Prop.ForAll(
                Arb.From(RandomEstates.Estate),
                estate =>
                {
                    store.Replace(estate, version).GetAwaiter().GetResult();
                    version++;
                    var stored = store.Load().GetAwaiter().GetResult()!;
                    Assert.Equal(version, stored.Version);
                    Assert.Equal(EstateDocument.Write(estate), EstateDocument.Write(stored.Estate));
                }
            )
            .Check(Randomly.Draws(40));
    }

    [Fact]
    public async Task A_change_that_fails_half_way_leaves_nothing_behind()
    {
        var estate = DemoDocument.Read();
        await store.Replace(estate, 0);
        var before = EstateDocument.Write((await store.Load())!.Estate);

        // A bucket that the checks would never let through: the foreign key refuses it after the version was raised and rows were written.
        var impossible = estate.Buckets[0] with
        {
            Name = "impossible",
            Tier = "no-such-tier",
        };
        await Assert.ThrowsAnyAsync<Exception>(() => store.Add(impossible, estate.Today, 1, []));
        var after = (await store.Load())!;
        Assert.Equal(1, after.Version);
        Assert.Equal(before, EstateDocument.Write(after.Estate));
        Assert.Single(await log.Newest(10));
    }

    private static async Task IsStale(Func<Task> attempt) =>
        Assert.Equal("changed-meanwhile", (await Assert.ThrowsAsync<RefusalException>(attempt)).Code);

    [Fact]
    public async Task A_keep_rule_becomes_weaker_in_the_store_by_lifting_alone_and_a_sealed_one_never()
    {
        var estate = DemoDocument.Read();
        var held = estate.Find("deck-cameras")!;
        Assert.Equal(KeepStrength.Sealed, held.Keep!.Strength);
        await store.Replace(estate, 0);
        foreach (
            var weaker in new[] { null, held.Keep with { Days = held.Keep.Days - 1 }, held.Keep with { Strength = KeepStrength.Liftable } }
        )
        {
            Assert.Equal("sealed", await Code(() => store.Change(held, held with { Keep = weaker }, estate.Today, 1, 1, [])));
            Assert.Equal("sealed", await Code(() => store.Lift(held, weaker, "because", estate.Today, 1, 1, [])));
            Assert.Equal(
                "sealed",
                await Code(() =>
                    store.ChangeTogether(estate, estate.With(held with { Keep = weaker }, held.Name), "bucket-changed", 1, _ => [])
                )
            );
        }
        var free = estate.Buckets.First(b => b.Keep is null);
        var liftable = free with
        {
            Keep = new KeepRule { Days = 10, Strength = KeepStrength.Liftable },
        };
        await store.Change(free, liftable, estate.Today, 1, 1, []);
        Assert.Equal("needs-lifting", await Code(() => store.Change(liftable, free, estate.Today, 2, 2, [])));
        await store.Lift(liftable, null, "the case was closed", estate.Today, 2, 2, []);
        var stored = (await store.Load())!;
        Assert.Null(stored.Estate.Find(free.Name)!.Keep);
        Assert.Equal(3, stored.Buckets[free.Name].LiftVersion);
        var logged = (await log.Newest(1)).Single();
        Assert.Equal(("keep-rule-lifted", "the case was closed", "you, on this machine"), (logged.Kind, logged.Reason, logged.Actor));
    }

    private static async Task<string> Code(Func<Task> attempt) => (await Assert.ThrowsAsync<RefusalException>(attempt)).Code;

    [Fact]
    public async Task A_version_that_is_no_longer_the_newest_is_refused()
    {
        var estate = DemoDocument.Read();
        await store.Replace(estate, 0);
        await IsStale(() => store.Replace(estate, 0));
        var bucket = estate.Buckets[0];
        await store.Change(bucket, bucket with { Versioning = true }, estate.Today, 1, 1, []);
        await IsStale(() => store.Change(bucket, bucket, estate.Today, 1, 2, []));
        await IsStale(() => store.Delete(bucket, 1, 2));
        await IsStale(() => store.Add(bucket with { Name = "another" }, estate.Today, 1, []));
        Assert.True((await store.Load())!.Estate.Buckets[0].Versioning);
        Assert.Equal(2, (await store.Load())!.Buckets[bucket.Name].Version);
    }

    [Fact]
    public async Task Several_buckets_change_together_or_not_at_all()
    {
        var estate = DemoDocument.Read();
        await store.Replace(estate, 0);
        var far = new Bucket
        {
            Name = "cameras-far",
            Region = "kestrel-sound",
            Scheme = "one-site",
            Tier = "counter",
            Versioning = true,
        };
        var cameras = estate.Find("deck-cameras")!;
        var after = estate
            .With(
                cameras with
                {
                    Versioning = true,
                    CopyTo =
                    [
                        new CopyRule
                        {
                            Bucket = far.Name,
                            CatchUp = true,
                            Tags = new Dictionary<string, string> { ["deck"] = "bow" },
                        },
                    ],
                },
                cameras.Name
            )
            .With(far, null);
        await store.ChangeTogether(estate, after, "bucket-changed", 1, _ => []);
        var stored = (await store.Load())!;
        Assert.Equal((2, 2, 1), (stored.Version, stored.Buckets["deck-cameras"].Version, stored.Buckets["cameras-far"].Version));
        Assert.Equal(1, stored.Buckets["port-sonar"].Version);
        Assert.Equal("bow", stored.Estate.Find("deck-cameras")!.CopyTo.Single().Tags!["deck"]);
        Assert.Equal(["bucket-made", "bucket-changed"], (await log.Newest(2)).Select(c => c.Kind));

        // The second of the two is refused by a foreign key after the first was written.
        var now = stored.Estate;
        var impossible = now.With(now.Find("port-sonar")! with { Keep = null, Versioning = false }, "port-sonar")
            .With(now.Find("crew-records")! with { Tier = "no-such-tier" }, "crew-records");
        await Assert.ThrowsAnyAsync<Exception>(() => store.ChangeTogether(now, impossible, "bucket-changed", 2, _ => []));
        Assert.Equal(EstateDocument.Write(now), EstateDocument.Write((await store.Load())!.Estate));
        await IsStale(() => store.ChangeTogether(estate, estate, "bucket-changed", 1, _ => []));

        // Dropped together with the rule that leads to it.
        var dropped = now.With(now.Find("deck-cameras")! with { CopyTo = [] }, "deck-cameras");
        dropped = dropped with { Buckets = [.. dropped.Buckets.Where(b => b.Name != far.Name)] };
        await store.ChangeTogether(now, dropped, "bucket-changed", 2, _ => []);
        Assert.Null((await store.Load())!.Estate.Find(far.Name));
    }

    [Fact]
    public async Task A_line_is_put_in_the_place_of_the_one_there_is_or_added()
    {
        var estate = DemoDocument.Read();
        await store.Replace(estate, 0);
        var line = estate.PriceBook.FindTransfer("aldmouth", "kestrel-sound")!;
        await Put(estate.PriceBook, line with { MegabitsPerSecond = null, RoundTripMilliseconds = 3 }, 1);
        var first = (await store.Load())!.Estate.PriceBook;
        await Put(first, line with { From = "kestrel-sound", To = "quarrydown", MegabitsPerSecond = 7 }, 2);
        var book = (await store.Load())!.Estate.PriceBook;
        Assert.Equal(
            (null, 3),
            (
                book.FindTransfer("aldmouth", "kestrel-sound")!.MegabitsPerSecond,
                book.FindTransfer("aldmouth", "kestrel-sound")!.RoundTripMilliseconds
            )
        );
        Assert.Equal(7, book.FindTransfer("kestrel-sound", "quarrydown")!.MegabitsPerSecond);
        Assert.Equal(estate.PriceBook.Transfers.Count + 1, book.Transfers.Count);
        await IsStale(() => Put(book, line, 2));

        Task Put(PriceBook before, Transfer after, long version) => store.ChangePrices(before, before.With(after), version, [], after);
    }

    private static PriceBook OtherPrices(PriceBook prices, int number)
    {
        var (region, last) = (prices.Regions[number % prices.Regions.Count], prices.Tiers[^1]);
        var dearer = region.Prices[0] with
        {
            Recall = new(number),
            Storage = [.. region.Prices[0].Storage.Skip(1), new() { Price = new(1) }],
        };
        var change = new RegionPrices { Id = region.Id, Prices = [dearer] };
        return prices with
        {
            Tiers = [.. prices.Tiers, last with { Id = $"extra-{number}" }],
            Regions = [.. prices.Regions.Where(r => r != region), region.With(change)],
            Changes = [new PriceChange { From = new DateOnly(2030, 1, 1), Regions = [change] }],
            Earlier = [.. prices.Earlier, new EarlierPrices { Until = new DateOnly(2026, 1, 1), Regions = [change] }],
        };
    }

    [Fact]
    public async Task What_was_known_and_what_is_read_anew_make_the_stored_estate()
    {
        var first = DemoDocument.Read();
        await store.Replace(first, 0);
        var known = (await store.Load())!;
        var random = new Random(20261126);
        for (var i = 0; i < 60; i++)
        {
            var (estate, version) = (known.Estate, known.Version);
            var bucket = estate.Buckets[random.Next(estate.Buckets.Count)];
            switch (random.Next(6))
            {
                case 0:
                    var named = bucket with { Name = $"another-{i}", CopyTo = [], Keep = null };
                    await store.Add(named, estate.Today, version, []);
                    break;
                case 1 when bucket.Name.StartsWith("another", StringComparison.Ordinal):
                    await store.Delete(bucket, known.Buckets[bucket.Name].Version, version);
                    // The same name again is another bucket.
                    if (random.Next(2) == 0)
                        await store.Add(bucket with { Versioning = !bucket.Versioning }, estate.Today, version + 1, []);
                    break;
                case 2:
                    var line = estate.PriceBook.Transfers[random.Next(estate.PriceBook.Transfers.Count)];
                    line = line with { MegabitsPerSecond = 1 + i };
                    await store.ChangePrices(estate.PriceBook, estate.PriceBook.With(line), version, [], line);
                    break;
                case 4:
                    var prices = OtherPrices(estate.PriceBook, i);
                    await store.ChangePrices(estate.PriceBook, prices, version, []);
                    Assert.Equal(
                        EstateDocument.Write(estate with { PriceBook = prices }),
                        EstateDocument.Write((await store.Load())!.Estate)
                    );
                    break;
                case 3:
                    await store.Replace(estate, version);
                    break;
                default:
                    var after = bucket with { Streams = [.. bucket.Streams.Select(s => s with { ObjectsPerDay = s.ObjectsPerDay + 1 })] };
                    await store.Change(bucket, after, estate.Today, known.Buckets[bucket.Name].Version, version, []);
                    break;
            }
            var (anew, whole) = ((await store.Load(known))!, (await store.Load())!);
            Assert.Equal(EstateDocument.Write(whole.Estate), EstateDocument.Write(anew.Estate));
            Assert.Equal(whole.Buckets, anew.Buckets);
            Assert.Equal((whole.Version, whole.Mark), (anew.Version, anew.Mark));
            known = anew;
        }
        var same = (await store.Load(known))!.Estate;
        Assert.All(same.Buckets.Zip(known.Estate.Buckets), p => Assert.Same(p.First, p.Second));
        Assert.Same(known.Estate.PriceBook, same.PriceBook);
    }

    [Fact]
    public async Task An_empty_database_has_no_estate_and_no_version()
    {
        Assert.Null(await store.Load());
        Assert.Equal(0, await store.Version());
        Assert.Empty(await log.Newest(10));
    }
}
