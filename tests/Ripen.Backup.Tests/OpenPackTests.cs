using System.Security.Cryptography;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;

namespace Ripen.Backup.Tests;

/// <summary>Packs go to their place while they are filled, and are there whole or not at all.</summary>
public sealed class OpenPackTests : IDisposable
{
    private const int Most = 1_000_000;
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    [Fact]
    public async Task The_place_has_most_of_a_pack_before_it_is_closed_however_large_packs_are()
    {
        var place = new Watched(new MemoryObjects());
        using var pool = await Pool.Create(place, Folders.Options with { PackBytes = 64_000_000 }, DateTimeOffset.UtcNow, Never);
        await using var pack = new OpenPack(pool, Packs.Folder, Never);
        var chunk = RandomNumberGenerator.GetBytes(100_000);
        for (var i = 0; i < 400; i++)
        {
            await pack.Add(pool.Keys.IdOf(BitConverter.GetBytes(i)), chunk, chunk.Length, isCompressed: false, isApart: false);
            Assert.True(pack.Bytes - place.Taken < 5_000_000, $"{pack.Bytes} bytes were added and {place.Taken} taken.");
        }
        Assert.DoesNotContain(await place.List(Packs.Folder, Never), o => o.Key == pack.Key);
        await pack.Close();
        var there = Assert.Single(await place.List(Packs.Folder, Never));
        Assert.Equal((pack.Key, (long)pack.Bytes), (there.Key, there.Bytes));
        Assert.Equal(pack.Chunks, await Packs.ReadList(place, pool.Keys, there, Never));
    }

    [Fact]
    public async Task What_the_place_refuses_is_told_to_who_adds_and_nothing_is_left_of_a_pack_that_is_not_closed()
    {
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        await using (var pack = new OpenPack(pool, Packs.Folder, Never))
            await pack.Add(pool.Keys.IdOf("ebb"u8), "ebb"u8, 3, isCompressed: false, isApart: false);
        Assert.DoesNotContain(
            Directory.GetFiles(folders.PoolFolder, "*", SearchOption.AllDirectories),
            f => f.Contains(Packs.Folder, StringComparison.Ordinal)
        );

        using var full = await Pool.OpenBySecret(new Refusing(folders.Objects), pool.Secret, Never);
        await using var refused = new OpenPack(full, Packs.Folder, Never);
        var code = await BackupTests.Code(async () =>
        {
            while (true)
                await refused.Add(pool.Keys.IdOf("flood"u8), new byte[1_000_000], 1_000_000, isCompressed: false, isApart: false);
        });
        Assert.Equal("place-full", code);
        await Assert.ThrowsAsync<RefusalException>(refused.Close);
    }

    /// <summary>A run into it ends with the place's reason, and not with the ends of all that was under way.</summary>
    [Fact]
    public async Task A_run_ends_with_the_reason_of_the_place()
    {
        folders.Fill(seed: 7);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        using var full = await Pool.OpenBySecret(new Refusing(folders.Objects), pool.Secret, Never);
        var code = await BackupTests.Code(() =>
            BackupRun.Of(full, new Sources.FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never)
        );
        Assert.Equal("place-full", code);
        Assert.Empty((await full.Points(Never)).Points);
    }

    /// <summary>Content of unknown length reserves the most that it may be, and gives back what it is not.</summary>
    [Fact]
    public async Task A_directory_takes_what_fits_though_it_might_have_been_more()
    {
        var place = new DirectoryObjects(folders.PoolFolder, 1_500_000);
        await Put(place, "packs/a", 700_000);
        Assert.Equal(700_000, place.StoredBytes);
        // 800,000 are left, fewer than it might have been.
        await Put(place, "packs/b", 800_000);
        Assert.Equal((1_500_000, 0), (place.StoredBytes, place.FreeBytes));
        Assert.Equal("place-full", await BackupTests.Code(() => Put(place, "packs/c", 1)));
        Assert.Equal("exists", await BackupTests.Code(() => Put(place, "packs/a", 1)));
        Assert.Equal(1_500_000, place.StoredBytes);
        Assert.Equal(1_500_000, new DirectoryObjects(folders.PoolFolder).StoredBytes);
    }

    /// <summary>A pack of very many small chunks has a list of many megabytes: nothing brings a directory above its capacity by being longer than
    /// was said.</summary>
    [Fact]
    public async Task What_is_longer_than_was_said_is_taken_only_where_it_fits()
    {
        var place = new DirectoryObjects(folders.PoolFolder, 2_000_000);
        await Put(place, "packs/a", 1_500_000 - 700_000);
        await Put(place, "packs/b", Most + 100_000);
        Assert.Equal(1_900_000, place.StoredBytes);
        var small = new DirectoryObjects(folders.Target("small"), Most + 50_000);
        Assert.Equal("place-full", await BackupTests.Code(() => Put(small, "packs/a", Most + 100_000)));
        Assert.Equal((0, 0), (small.StoredBytes, small.ObjectCount));
        Assert.Empty(Directory.GetFiles(small.Folder, "*", SearchOption.AllDirectories));
    }

    [Fact]
    public async Task Content_that_breaks_off_leaves_nothing_and_takes_no_room()
    {
        foreach (var capacity in new long[] { 2_000_000, 900_000 })
        {
            var place = new DirectoryObjects(folders.Target($"{capacity}"), capacity);
            using var broken = new BreakingOff(RandomNumberGenerator.GetBytes(500_000));
            await Assert.ThrowsAsync<IOException>(() => place.Put("packs/a", broken, Most, Never));
            Assert.Equal((0, 0), (place.StoredBytes, place.ObjectCount));
            if (Directory.Exists(place.Folder))
                Assert.Empty(Directory.GetFiles(place.Folder, "*", SearchOption.AllDirectories));
        }
    }

    [Fact]
    public async Task Over_several_directories_what_comes_little_by_little_goes_where_it_surely_fits_or_is_tried_everywhere()
    {
        DirectoryObjects[] places = [new(folders.Target("one"), 900_000), new(folders.Target("two"), 2_500_000)];
        var spread = new SpreadObjects(places);
        await Put(spread, "packs/a", 800_000);
        Assert.Equal(800_000, places[1].StoredBytes);
        await Put(spread, "packs/b", 900_000);
        Assert.Equal(1_700_000, places[1].StoredBytes);
        // Neither has room for the most that it may be; the first has for what it is.
        await Put(spread, "packs/c", 890_000);
        Assert.Equal((890_000, 1_700_000), (places[0].StoredBytes, places[1].StoredBytes));
        Assert.Equal("place-full", await BackupTests.Code(() => Put(spread, "packs/d", 850_000)));
        Assert.Equal("exists", await BackupTests.Code(() => Put(spread, "packs/a", 1)));
        Assert.Equal(3, (await spread.List("packs/", Never)).Count);
    }

    private static async Task Put(IPoolObjects place, string key, int bytes)
    {
        var content = RandomNumberGenerator.GetBytes(bytes);
        await place.Put(key, new MemoryStream(content), Most, Never);
        Assert.Equal(content, await place.Read(key, 0, bytes + 1, Never));
    }

    /// <summary>Counts what it has taken of content that comes little by little.</summary>
    private sealed class Watched(IPoolObjects objects) : IPoolObjects
    {
        private long taken;

        public long Taken => Interlocked.Read(ref taken);

        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) => objects.Put(key, content, cancel);

        public async Task Put(string key, Stream content, int most, CancellationToken cancel)
        {
            var gathered = new MemoryStream();
            var part = new byte[65536];
            for (int read; (read = await content.ReadAsync(part, cancel)) > 0; Interlocked.Add(ref taken, read))
                gathered.Write(part, 0, read);
            await objects.Put(key, gathered.ToArray(), cancel);
        }

        public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => objects.Read(key, from, length, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => objects.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => objects.Delete(key, cancel);
    }

    /// <summary>Is full after the first bytes of a pack.</summary>
    private sealed class Refusing(IPoolObjects objects) : IPoolObjects
    {
        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) => objects.Put(key, content, cancel);

        public async Task Put(string key, Stream content, int most, CancellationToken cancel)
        {
            await content.ReadExactlyAsync(new byte[20], cancel);
            throw new RefusalException(RefusalKind.Full, "place-full", "The place is full.");
        }

        public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => objects.Read(key, from, length, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => objects.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => objects.Delete(key, cancel);
    }

    private sealed class BreakingOff(byte[] content) : MemoryStream(content)
    {
        public override Task CopyToAsync(Stream destination, int bufferSize, CancellationToken cancellationToken)
        {
            CopyTo(destination);
            throw new IOException("The line broke.");
        }
    }
}
