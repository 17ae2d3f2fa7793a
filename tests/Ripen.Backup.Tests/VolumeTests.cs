using Ripen.Backup.Pools;
using Ripen.Backup.Volumes;

namespace Ripen.Backup.Tests;

/// <summary>A volume against an array of bytes that does the same; killed, taken over, damaged.</summary>
public sealed class VolumeTests : IDisposable
{
    private const int Block = 64 * 1024;
    private const long Size = (23 * Block) + (3 * 4096);

    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();
    private readonly MemoryObjects place = new();

    public void Dispose() => folders.Dispose();

    private VolumeDisk Disk(string name = "disk") =>
        new(folders.Target(name), JournalBytes: 600_000, ReadBytes: 6 * Block) { Lag = TimeSpan.FromMilliseconds(20) };

    private Task<byte[]> Create() => Volume.Create(place, Size, Block, "under the third bollard", DateTimeOffset.UnixEpoch, Never);

    private static async Task<byte[]> All(IBlockDevice device)
    {
        var content = new byte[device.SizeBytes];
        await device.Read(0, content, Never);
        return content;
    }

    /// <summary>One random write or zeroing, whole pages or not, on both.</summary>
    private static async Task Change(Random random, Volume device, byte[] model)
    {
        var offset = random.Next((int)Size);
        var length = Math.Min((int)Size - offset, random.Next(6) == 0 ? random.Next(3 * Block) : random.Next(9000));
        if (random.Next(2) == 0)
        {
            offset -= offset % 4096;
            length -= length % 4096;
        }
        if (random.Next(4) == 0)
        {
            await device.Zero(offset, length, Never);
            model.AsSpan(offset, length).Clear();
            return;
        }
        var content = new byte[length];
        if (random.Next(2) == 0)
            random.NextBytes(content);
        else
            content.AsSpan().Fill((byte)random.Next(256));
        await device.Write(offset, content, Never);
        content.CopyTo(model, offset);
    }

    /// <summary>Exactly the blocks lie in the bucket that the volume or a snapshot needs.</summary>
    private async Task NothingTooMuch(byte[] secret)
    {
        var keys = new PoolKeys(secret);
        var objects = new SealedObjects(place, keys);
        var needed = new HashSet<string>(StringComparer.Ordinal);
        var now = new Dictionary<long, long>();
        foreach (
            var name in place.All.Keys.Where(k => k.StartsWith(VolumeNames.Maps, StringComparison.Ordinal)).Order(StringComparer.Ordinal)
        )
        {
            foreach (var (block, by) in MapPart.Read(await objects.Read(name, MapPart.MostBytes, Never), name, 100).Entries)
                now[block] = by;
        }
        needed.UnionWith(now.Where(e => e.Value != 0).Select(e => VolumeNames.Block(e.Key, e.Value)));
        foreach (var name in place.All.Keys.Where(k => k.EndsWith(".map", StringComparison.Ordinal)))
        {
            foreach (var (block, by) in MapPart.Read(await objects.Read(name, MapPart.MostBytes, Never), name, 100).Entries)
                needed.Add(VolumeNames.Block(block, by));
        }
        var there = place.All.Keys.Where(k => k.StartsWith(VolumeNames.Blocks, StringComparison.Ordinal)).ToHashSet(StringComparer.Ordinal);
        Assert.Equal(needed.Order(StringComparer.Ordinal), there.Order(StringComparer.Ordinal));
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public async Task Random_histories_read_back_what_was_written_and_snapshots_stay_as_they_were(int seed)
    {
        var random = new Random(seed);
        var secret = await Create();
        var model = new byte[Size];
        var pictures = new Dictionary<string, byte[]>();
        var volume = await Volume.Open(place, secret, Disk(), Never);
        for (var step = 0; step < 260; step++)
        {
            switch (random.Next(40))
            {
                case 0:
                    await volume.DisposeAsync();
                    volume = await Volume.Open(place, secret, Disk(), Never);
                    break;
                case 1:
                    pictures[(await volume.TakeSnapshot($"after {step}", false, DateTimeOffset.UnixEpoch, Never)).Id] = (byte[])
                        model.Clone();
                    break;
                case 2 when pictures.Count > 2:
                    var gone = pictures.Keys.ElementAt(random.Next(pictures.Count));
                    await volume.RemoveSnapshot(gone, Never);
                    pictures.Remove(gone);
                    break;
                case 3:
                    await volume.Drain(Never);
                    Assert.Equal(0, volume.Status.JournalBytes);
                    break;
                case 4:
                    Assert.Equal(model, await All(volume));
                    break;
                case < 12:
                    var offset = random.Next((int)Size);
                    var part = new byte[Math.Min((int)Size - offset, random.Next(20_000))];
                    await volume.Read(offset, part, Never);
                    Assert.Equal(model[offset..(offset + part.Length)], part);
                    break;
                default:
                    await Change(random, volume, model);
                    break;
            }
        }
        Assert.Equal(model, await All(volume));
        Assert.Equal(pictures.Keys.Order(), volume.Snapshots.Select(s => s.Id).Order());
        foreach (var (id, picture) in pictures)
            Assert.Equal(picture, await All(await volume.OpenSnapshot(id, Never)));
        var holes = volume.Extents(0, Size);
        Assert.Equal(Size, holes.Sum(e => e.Bytes));
        var at = 0L;
        foreach (var extent in holes)
        {
            if (extent.IsHole)
                Assert.False(model.AsSpan((int)at, (int)extent.Bytes).ContainsAnyExcept((byte)0));
            at += extent.Bytes;
        }
        await volume.Drain(Never);
        await volume.DisposeAsync();
        await NothingTooMuch(secret);
    }

    [Fact]
    public async Task A_kill_at_any_moment_loses_nothing_that_was_acknowledged()
    {
        var secret = await Create();
        var model = new byte[Size];
        var random = new Random(11);
        var cut = 0;
        // A place that takes nothing lets a full journal wait: here it has room for all of it.
        var roomy = Disk() with
        {
            JournalBytes = 200_000_000,
        };
        for (var kill = 0; kill < 160; kill++)
        {
            // The place dies with the process: nothing of a checkpoint comes after.
            var dying = new Deadly(place, random.Next(30));
            try
            {
                await using var volume = await Volume.Open(dying, secret, roomy, Never);
                for (var i = random.Next(12); i >= 0; i--)
                    await Change(random, volume, model);
                if (random.Next(3) == 0)
                    await volume
                        .TakeSnapshot("kept", false, DateTimeOffset.UnixEpoch, Never)
                        .WaitAsync(TimeSpan.FromMilliseconds(300), Never);
            }
            catch (Exception died) when (died is IOException or TimeoutException)
            {
                cut++;
            }
            // What a write left half done when the power went.
            var last = Directory.GetFiles(Disk().Folder, "journal-*").Order().Last();
            using (var torn = File.OpenWrite(last))
            {
                torn.Seek(0, SeekOrigin.End);
                var rest = new byte[random.Next(200)];
                random.NextBytes(rest);
                torn.Write(rest);
            }
            if (kill % 10 == 9)
            {
                await using var whole = await Volume.Open(place, secret, roomy, Never);
                Assert.Equal(model, await All(whole));
                foreach (var snapshot in whole.Snapshots)
                    await All(await whole.OpenSnapshot(snapshot.Id, Never));
                if (whole.Snapshots.Count > 3)
                    await whole.RemoveSnapshot(whole.Snapshots[random.Next(whole.Snapshots.Count)].Id, Never);
                await whole.Drain(Never);
            }
        }
        Assert.True(cut > 12, $"Only {cut} died while something was under way.");
        await using (var end = await Volume.Open(place, secret, roomy, Never))
            await end.Drain(Never);
        await NothingTooMuch(secret);
    }

    [Fact]
    public async Task A_kill_while_it_is_opened_leaves_nothing_behind_that_nothing_needs()
    {
        var secret = await Create();
        var model = new byte[Size];
        var random = new Random(12);
        for (var changes = 1; changes < 6; changes++)
        {
            // Its blocks are put, and it dies before it says so; then at each change that opening makes.
            await using (var volume = await Volume.Open(new Deadly(place, 1, "maps/"), secret, Disk(), Never))
            {
                for (var i = 0; i < 6; i++)
                    await Change(random, volume, model);
                using var enough = new CancellationTokenSource();
                var drained = volume.Drain(enough.Token);
                while (volume.Status.Failure is null)
                    await Task.Delay(5, Never);
                await enough.CancelAsync();
                await Assert.ThrowsAnyAsync<OperationCanceledException>(() => drained);
            }
            try
            {
                await (await Volume.Open(new Deadly(place, changes), secret, Disk(), Never)).DisposeAsync();
            }
            catch (IOException) { }
            await using var whole = await Volume.Open(place, secret, Disk(), Never);
            Assert.Equal(model, await All(whole));
            await whole.Drain(Never);
        }
        await NothingTooMuch(secret);
    }

    [Fact]
    public async Task A_lost_local_disk_leaves_the_last_checkpoint_whole()
    {
        var secret = await Create();
        var model = new byte[Size];
        var random = new Random(5);
        await using (var volume = await Volume.Open(place, secret, Disk(), Never))
        {
            for (var i = 0; i < 30; i++)
                await Change(random, volume, model);
            await volume.Drain(Never);
        }
        Directory.Delete(Disk().Folder, recursive: true);
        await using var again = await Volume.Open(place, secret, Disk("another"), Never);
        Assert.Equal(model, await All(again));
    }

    [Fact]
    public async Task Who_was_taken_over_writes_nothing_more_and_keeps_its_journal()
    {
        var secret = await Create();
        var first = await Volume.Open(place, secret, Disk() with { Lag = TimeSpan.FromHours(1) }, Never);
        await first.Write(0, new byte[] { 1, 2, 3 }, Never);
        await using (var second = await Volume.Open(place, secret, Disk("other"), Never))
        {
            await second.Write(0, new byte[] { 9 }, Never);
            await second.Drain(Never);
            var refused = await Assert.ThrowsAsync<RefusalException>(() => first.Drain(Never));
            Assert.Equal("taken-over", refused.Code);
            await Assert.ThrowsAsync<IOException>(() => first.Write(0, new byte[] { 4 }, Never));
            var one = new byte[1];
            await second.Read(0, one, Never);
            Assert.Equal(9, one[0]);
        }
        await first.DisposeAsync();
        var back = await Assert.ThrowsAsync<RefusalException>(() => Volume.Open(place, secret, Disk(), Never));
        Assert.Equal("taken-over", back.Code);
        Assert.NotEmpty(Directory.GetFiles(Disk().Folder, "journal-*"));
    }

    [Fact]
    public async Task A_flipped_bit_is_noticed_wherever_it_is()
    {
        var secret = await Create();
        var model = new byte[Size];
        new Random(3).NextBytes(model);
        await using (var volume = await Volume.Open(place, secret, Disk(), Never))
        {
            await volume.Write(0, model.AsMemory(0, 4 * Block), Never);
            await volume.Drain(Never);
        }
        // The local disk's copies: not believed, and asked for anew.
        var cache = Path.Combine(Disk().Folder, "cache");
        File.WriteAllBytes(cache, [.. File.ReadAllBytes(cache).Select(b => (byte)(b ^ 0x10))]);
        await using (var volume = await Volume.Open(place, secret, Disk(), Never))
        {
            var read = new byte[4 * Block];
            await volume.Read(0, read, Never);
            Assert.Equal(model[..read.Length], read);
            Assert.True(volume.Status.FarReads > 0);
        }
        var key = place.All.Keys.First(k => k.StartsWith(VolumeNames.Blocks, StringComparison.Ordinal));
        place.All[key][1000] ^= 1;
        await using (var volume = await Volume.Open(place, secret, Disk("fresh"), Never))
        {
            var damaged = await Assert.ThrowsAsync<RefusalException>(() => All(volume));
            Assert.Equal(RefusalKind.Damaged, damaged.Kind);
        }
    }

    [Fact]
    public async Task What_is_not_right_is_refused()
    {
        var secret = await Create();
        Assert.Equal("exists", (await Assert.ThrowsAsync<RefusalException>(Create)).Code);
        Assert.Equal(
            "no-volume",
            (await Assert.ThrowsAsync<RefusalException>(() => Volume.Open(new MemoryObjects(), secret, Disk("none"), Never))).Code
        );
        await using var volume = await Volume.Open(place, secret, Disk(), Never);
        await Assert.ThrowsAsync<IOException>(() => Volume.Open(place, secret, Disk(), Never));
        foreach (var (offset, bytes) in new[] { (-1L, 1), (Size, 1), (Size - 1, 2), (long.MaxValue, 1) })
        {
            Assert.Equal(
                "beyond-the-end",
                (await Assert.ThrowsAsync<RefusalException>(() => volume.Write(offset, new byte[bytes], Never))).Code
            );
        }
        Assert.Equal("no-snapshot", (await Assert.ThrowsAsync<RefusalException>(() => volume.RemoveSnapshot("none", Never))).Code);
        // A disk that belongs to another volume.
        var other = new MemoryObjects();
        var key = await Volume.Create(other, Size, Block, null, DateTimeOffset.UnixEpoch, Never);
        await using (await Volume.Open(other, key, Disk("theirs"), Never)) { }
        Assert.Equal(
            "foreign-disk",
            (await Assert.ThrowsAsync<RefusalException>(() => Volume.Open(place, secret, Disk("theirs"), Never))).Code
        );
    }
}
