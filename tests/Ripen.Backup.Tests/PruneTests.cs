using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>What no point needs goes; what one needs stays, whatever is killed and whoever is at work.</summary>
public sealed class PruneTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    private async Task<(byte[] Secret, Point First, Point Second, SortedDictionary<string, string> Picture)> TwoPoints()
    {
        folders.Fill(21);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var noise = new byte[12_000_000];
        new Random(21).NextBytes(noise);
        var large = Path.Combine(folders.Source, "zz-large");
        await File.WriteAllBytesAsync(large, noise);
        var first = await Run(pool);
        File.Delete(large);
        await File.WriteAllTextAsync(Path.Combine(folders.Source, "new"), "of the second day");
        var second = await Run(pool);
        return (pool.Secret, first, second, Folders.Picture(folders.Source));
    }

    private Task<Point> Run(Pool pool) =>
        BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);

    private long Stored() => new DirectoryInfo(folders.PoolFolder).EnumerateFiles("*", SearchOption.AllDirectories).Sum(f => f.Length);

    private async Task ComesBack(Pool pool, Point point, SortedDictionary<string, string> picture)
    {
        var target = folders.Target($"t{Guid.NewGuid():N}");
        var result = await Restore.Into(pool, point, "", target, Existing.Refused, null, Never);
        Assert.Empty(result.Problems);
        Assert.Equal(picture, Folders.Picture(target));
        Directory.Delete(target, recursive: true);
    }

    [Fact]
    public async Task What_only_a_removed_point_needed_goes_and_the_other_comes_back()
    {
        var (secret, first, second, picture) = await TwoPoints();
        using var pool = await Pool.OpenBySecret(folders.Objects, secret, Never);
        var before = await PoolPrune.Of(pool, TimeProvider.System, Never);
        Assert.Equal((0, 0), (before.RemovedPacks, before.RewrittenBytes));
        var full = Stored();
        await pool.Remove(first.Id, Never);
        var pruned = await PoolPrune.Of(pool, TimeProvider.System, Never);
        Assert.True(pruned is { RemovedPacks: > 0, WaitingPacks: 0, Kept.Count: 0 }, pruned.ToString());
        Assert.True(Stored() < full - 11_000_000, $"{Stored()} of {full}");
        await ComesBack(pool, second, picture);
        Assert.Empty((await PoolCheck.Of(pool, Never)).Lost);
        Assert.Equal("no-point", await BackupTests.Code(() => pool.Remove(first.Id, Never)));

        // Nothing is left over: neither leases nor dooms, and one index.
        Assert.Equal(
            ["index", "lists", "packs", "points"],
            Directory
                .GetDirectories(folders.PoolFolder)
                .Where(d => Directory.EnumerateFiles(d, "*", SearchOption.AllDirectories).Any())
                .Select(Path.GetFileName)
                .Order()
        );
        Assert.Single(Directory.GetFiles(Path.Combine(folders.PoolFolder, "index")));
        await Run(pool);
    }

    /// <summary>Killed after every number of changes of the pool: the point that stays comes back each time, and the next prune ends the
    /// work.</summary>
    [Fact]
    public async Task A_prune_that_is_killed_anywhere_loses_nothing()
    {
        var (secret, first, second, picture) = await TwoPoints();
        var whole = folders.Made("whole");
        Copy(folders.PoolFolder, whole);
        for (var changes = 0; ; changes++)
        {
            Directory.Delete(folders.PoolFolder, recursive: true);
            Copy(whole, folders.PoolFolder);
            var killed = false;
            var deadly = new Deadly(folders.Objects, changes);
            using (var pool = await Pool.OpenBySecret(deadly, secret, Never))
            {
                try
                {
                    await pool.Remove(first.Id, Never);
                    await PoolPrune.Of(pool, TimeProvider.System, Never);
                }
                catch (IOException)
                {
                    killed = true;
                }
            }
            // Hours later, when the killed prune's lease has ended.
            var later = new Shifted(TimeSpan.FromHours(2));
            using var again = await Pool.OpenBySecret(folders.Objects, secret, Never);
            await ComesBack(again, second, picture);
            if ((await again.Points(Never)).Points.Any(p => p.Id == first.Id))
                await again.Remove(first.Id, Never);
            await PoolPrune.Of(again, later, Never);
            await ComesBack(again, second, picture);
            Assert.Empty((await PoolCheck.Of(again, Never)).Lost);
            if (!killed)
            {
                Assert.True(changes > 6, $"after {changes} changes");
                break;
            }
        }
    }

    [Fact]
    public async Task While_a_run_is_at_work_nothing_is_removed_and_what_it_came_to_need_is_spared()
    {
        var (secret, first, second, picture) = await TwoPoints();
        using var pool = await Pool.OpenBySecret(folders.Objects, secret, Never);
        using var other = await Pool.OpenBySecret(folders.Objects, secret, Never);
        await pool.Remove(first.Id, Never);
        PruneResult? meanwhile = null;
        // The run sees the pool as it is, then the prune comes, then the run stores a point that needs what is doomed.
        var noise = new byte[12_000_000];
        new Random(21).NextBytes(noise);
        await File.WriteAllBytesAsync(Path.Combine(folders.Source, "00-again"), noise);
        var told = new Told(p =>
        {
            if (p.Path == "00-again")
                meanwhile = PoolPrune.Of(other, TimeProvider.System, Never).GetAwaiter().GetResult();
        });
        var third = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, told, Never);
        Assert.True(meanwhile is { RemovedPacks: 0, WaitingPacks: > 0 }, meanwhile?.ToString());
        await PoolPrune.Of(other, TimeProvider.System, Never);
        await ComesBack(other, third, Folders.Picture(folders.Source));
        await ComesBack(other, second, picture);
    }

    [Fact]
    public async Task Two_prunes_at_once_are_one_and_a_point_that_cannot_be_read_stops_them()
    {
        var (secret, first, _, _) = await TwoPoints();
        using var pool = await Pool.OpenBySecret(folders.Objects, secret, Never);
        await pool.Remove(first.Id, Never);
        await using (await RunLease.Alone(folders.Objects, TimeProvider.System, Never))
        {
            Assert.Equal("under-way", await BackupTests.Code(() => PoolPrune.Of(pool, TimeProvider.System, Never)));
            // Of a machine whose clock is behind: its prune is not the first for that.
            Assert.Equal("under-way", await BackupTests.Code(() => PoolPrune.Of(pool, new Shifted(TimeSpan.FromSeconds(-30)), Never)));
        }
        var point = Directory.GetFiles(Path.Combine(folders.PoolFolder, "points")).Single();
        var bytes = await File.ReadAllBytesAsync(point);
        bytes[20] ^= 4;
        await File.WriteAllBytesAsync(point, bytes);
        var stored = Stored();
        Assert.Equal("damaged", await BackupTests.Code(() => PoolPrune.Of(pool, TimeProvider.System, Never)));
        Assert.Equal(stored, Stored());
    }

    /// <summary>Runs, removals and prunes in random turns, each of them killed now and then: every point there is comes back.</summary>
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task Random_histories_keep_every_point(int seed)
    {
        var random = new Random(seed);
        folders.Fill(seed);
        byte[] secret;
        using (var made = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never))
            secret = made.Secret;
        var pictures = new Dictionary<string, SortedDictionary<string, string>>();
        for (var turn = 0; turn < 45; turn++)
        {
            var clock = new Shifted(TimeSpan.FromHours(2 * turn));
            var kills = random.Next(3) == 0 ? random.Next(1, 8) : int.MaxValue;
            using var pool = await Pool.OpenBySecret(new Deadly(folders.Objects, kills), secret, Never);
            try
            {
                switch (random.Next(4))
                {
                    case 0 when pictures.Count > 2:
                        var gone = pictures.Keys.ElementAt(random.Next(pictures.Count));
                        await pool.Remove(gone, Never);
                        pictures.Remove(gone);
                        break;
                    case 1:
                        await PoolPrune.Of(pool, clock, Never);
                        break;
                    default:
                        Change(random);
                        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, clock, null, Never);
                        pictures[point.Id] = Folders.Picture(folders.Source);
                        break;
                }
            }
            catch (Exception killed) when (killed is IOException or OperationCanceledException)
            {
                // A point that was removed by a removal that was killed is gone all the same.
                using var look = await Pool.OpenBySecret(folders.Objects, secret, Never);
                var there = (await look.Points(Never)).Points.Select(p => p.Id).ToHashSet();
                foreach (var gone in pictures.Keys.Where(k => !there.Contains(k)).ToList())
                    pictures.Remove(gone);
            }
        }
        using var last = await Pool.OpenBySecret(folders.Objects, secret, Never);
        var points = (await last.Points(Never)).Points;
        Assert.True(points.Count > 3);
        foreach (var point in points.Where(p => pictures.ContainsKey(p.Id)))
            await ComesBack(last, point, pictures[point.Id]);
        Assert.Empty((await PoolCheck.Of(last, Never)).Lost);
    }

    private void Change(Random random)
    {
        for (var i = 0; i < 3; i++)
        {
            var content = new byte[random.Next(400_000)];
            random.NextBytes(content);
            File.WriteAllBytes(Path.Combine(folders.Source, $"changing-{random.Next(6)}"), content);
        }
    }

    private static void Copy(string from, string to)
    {
        foreach (var file in Directory.GetFiles(from, "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(to, Path.GetRelativePath(from, file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy, overwrite: true);
        }
    }

    private sealed class Told(Action<RunProgress> act) : IProgress<RunProgress>
    {
        public void Report(RunProgress value) => act(value);
    }
}
