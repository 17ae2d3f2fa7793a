using FsCheck;
using FsCheck.Fluent;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;
using Ripen.Core.Estates;
using Ripen.Core.Tests;
using Ripen.Data;

namespace Ripen.Server.Tests;

/// <summary>The store on its own, against a real SQLite file.</summary>
public sealed class EstateStoreTests : IAsyncLifetime
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-store-").FullName;
    private readonly ServiceProvider services;
    private readonly EstateStore store;

    public EstateStoreTests()
    {
        services = new ServiceCollection().AddSingleton(TimeProvider.System).AddEstateStore(Path.Combine(folder, "store.db")).BuildServiceProvider();
        store = services.GetRequiredService<EstateStore>();
    }

    public async ValueTask InitializeAsync() => await store.Prepare();

    public async ValueTask DisposeAsync()
    {
        await services.DisposeAsync();
        SqliteConnection.ClearAllPools();
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public void Any_valid_estate_comes_back_from_the_database_as_it_went_in()
    {
        var version = 0L;
        Prop.ForAll(Arb.From(RandomEstates.Estate), estate =>
        {
            store.Replace(estate, version).GetAwaiter().GetResult();
            version++;
            var stored = store.Load().GetAwaiter().GetResult()!;
            Assert.Equal(version, stored.Version);
            Assert.Equal(EstateDocument.Write(estate), EstateDocument.Write(stored.Estate));
        }).Check(Config.QuickThrowOnFailure.WithMaxTest(40));
    }

    [Fact]
    public async Task A_change_that_fails_half_way_leaves_nothing_behind()
    {
        var estate = CurrentEstate.Demo();
        await store.Replace(estate, 0);
        var before = EstateDocument.Write((await store.Load())!.Estate);

        // A bucket that the checks would never let through: the foreign key refuses it after the version was raised and rows were written.
        var impossible = estate.Buckets[0] with { Name = "impossible", Tier = "no-such-tier" };
        await Assert.ThrowsAnyAsync<Exception>(() => store.Add(impossible, estate.Today, 1, []));
        var after = (await store.Load())!;
        Assert.Equal(1, after.Version);
        Assert.Equal(before, EstateDocument.Write(after.Estate));
        Assert.Single(await store.Changes(10));
    }

    [Fact]
    public async Task A_version_that_is_no_longer_the_newest_is_refused()
    {
        var estate = CurrentEstate.Demo();
        await store.Replace(estate, 0);
        await Assert.ThrowsAsync<StaleVersionException>(() => store.Replace(estate, 0));
        var bucket = estate.Buckets[0];
        await store.Change(bucket, bucket with { Keep = null }, estate.Today, 1, 1, []);
        await Assert.ThrowsAsync<StaleVersionException>(() => store.Change(bucket, bucket, estate.Today, 1, 2, []));
        await Assert.ThrowsAsync<StaleVersionException>(() => store.Delete(bucket, 1, 2));
        await Assert.ThrowsAsync<StaleVersionException>(() => store.Add(bucket with { Name = "another" }, estate.Today, 1, []));
        Assert.Null((await store.Load())!.Estate.Buckets[0].Keep);
        Assert.Equal(2, (await store.Load())!.Buckets[bucket.Name].Version);
    }

    [Fact]
    public async Task An_empty_database_has_no_estate_and_no_version()
    {
        Assert.Null(await store.Load());
        Assert.Equal(0, await store.Version());
        Assert.Empty(await store.Changes(10));
    }
}
