using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>Where something is there already, it becomes what was said and nothing else; a rehearsal sees every byte.</summary>
public sealed class RestoreTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    private string Source(string path) => Path.Combine(folders.Source, path);

    private string There(string path) => Path.Combine(folders.Target(), path);

    private async Task<(Pool Pool, Point Point)> Filled()
    {
        Directory.CreateDirectory(Source("notes"));
        File.WriteAllText(Source("notes/tides.txt"), "high at six");
        File.WriteAllText(Source("notes/crew.txt"), "nine aboard");
        File.CreateSymbolicLink(Source("newest"), "notes/tides.txt");
        var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        Directory.CreateDirectory(There("notes"));
        File.WriteAllText(There("notes/tides.txt"), "written since");
        File.CreateSymbolicLink(There("newest"), "notes/crew.txt");
        return (pool, point);
    }

    private Task<RestoreResult> Bring((Pool Pool, Point Point) from, Existing existing) =>
        Restore.Into(from.Pool, from.Point, "", folders.Target(), existing, null, Never);

    [Fact]
    public async Task What_is_there_stays_and_only_what_is_missing_comes()
    {
        var from = await Filled();
        using var pool = from.Pool;
        Assert.Equal("not-empty", (await Assert.ThrowsAsync<RefusalException>(() => Bring(from, Existing.Refused))).Code);
        var result = await Bring(from, Existing.Kept);
        Assert.Equal((1, 2, 0), (result.Files, result.Left, result.Problems.Count));
        Assert.Equal("written since", File.ReadAllText(There("notes/tides.txt")));
        Assert.Equal("nine aboard", File.ReadAllText(There("notes/crew.txt")));
        Assert.Equal("notes/crew.txt", new FileInfo(There("newest")).LinkTarget);
    }

    /// <summary>Three are written and read back at once: each comes to its end, or goes.</summary>
    [Fact]
    public async Task A_restore_that_is_stopped_leaves_whole_files_and_nothing_half_written()
    {
        for (var i = 0; i < 30; i++)
            File.WriteAllText(Source($"{i:00}.txt"), new string((char)('a' + (i % 26)), 100_000 + i));
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        for (var stopAt = 0; stopAt < 30; stopAt++)
        {
            using var stop = new CancellationTokenSource();
            var progress = new Told(path =>
            {
                if (path == $"{stopAt:00}.txt")
                    stop.Cancel();
            });
            await Assert.ThrowsAnyAsync<OperationCanceledException>(() =>
                Restore.Into(pool, point, "", folders.Target(), Existing.Replaced, progress, stop.Token)
            );
            var there = Directory.GetFiles(folders.Target()).Select(f => Path.GetFileName(f)).ToHashSet();
            Assert.Subset(Enumerable.Range(0, stopAt).Select(i => $"{i:00}.txt").ToHashSet(), there);
            Assert.Superset(Enumerable.Range(0, Math.Max(0, stopAt - 3)).Select(i => $"{i:00}.txt").ToHashSet(), there);
            foreach (var file in Directory.GetFiles(folders.Target()))
                Assert.Equal(File.ReadAllBytes(Source(Path.GetFileName(file))), File.ReadAllBytes(file));
        }
    }

    private sealed class Told(Action<string> tell) : IProgress<string>
    {
        public void Report(string value) => tell(value);
    }

    [Fact]
    public async Task What_is_restored_goes_beside_by_a_name_of_its_own_as_often_as_one_likes()
    {
        var from = await Filled();
        using var pool = from.Pool;
        await Bring(from, Existing.Beside);
        await Bring(from, Existing.Beside);
        Assert.Equal("written since", File.ReadAllText(There("notes/tides.txt")));
        var beside = Directory.GetFiles(There("notes"), "tides (as of *").Order(StringComparer.Ordinal).ToList();
        Assert.Equal(2, beside.Count);
        Assert.All(beside, b => Assert.Equal("high at six", File.ReadAllText(b)));
        Assert.All(beside, b => Assert.EndsWith(".txt", b, StringComparison.Ordinal));
        Assert.Single(Directory.GetFiles(There("notes"), "crew (as of *"));
    }

    [Fact]
    public async Task What_is_there_is_replaced_and_what_the_point_does_not_have_stays()
    {
        var from = await Filled();
        using var pool = from.Pool;
        File.WriteAllText(There("notes/own.txt"), "nobody else's");
        var result = await Bring(from, Existing.Replaced);
        Assert.Equal((3, 0, 0), (result.Files, result.Left, result.Problems.Count));
        File.Delete(There("notes/own.txt"));
        Directory.SetLastWriteTimeUtc(There("notes"), Directory.GetLastWriteTimeUtc(Source("notes")));
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target()));
    }

    [Theory]
    [InlineData(Existing.Kept)]
    [InlineData(Existing.Beside)]
    [InlineData(Existing.Replaced)]
    public async Task Nothing_is_written_through_a_link_or_over_a_folder(Existing existing)
    {
        var from = await Filled();
        using var pool = from.Pool;
        var outside = folders.Made("outside");
        Directory.Delete(There("notes"), recursive: true);
        Directory.CreateSymbolicLink(There("notes"), outside);
        File.Delete(There("newest"));
        Directory.CreateDirectory(There("newest/full"));
        var result = await Bring(from, existing);
        Assert.Empty(Directory.EnumerateFileSystemEntries(outside));
        Assert.Equal(
            ["newest", "notes", "notes/crew.txt", "notes/tides.txt"],
            result.Problems.Select(p => p.Path).Order(StringComparer.Ordinal)
        );
        Assert.True(Directory.Exists(There("newest/full")));
        Assert.Empty(Directory.EnumerateFileSystemEntries(folders.Target(), ".ripen-*", SearchOption.AllDirectories));
    }

    /// <summary>A damaged chunk does not take the place of what is there whole.</summary>
    [Fact]
    public async Task What_cannot_be_read_leaves_what_is_there()
    {
        var from = await Filled();
        from.Pool.Dispose();
        var pack = Directory.GetFiles(Path.Combine(folders.PoolFolder, "packs"), "*", SearchOption.AllDirectories).Single();
        var bytes = File.ReadAllBytes(pack);
        bytes[13] ^= 1;
        File.WriteAllBytes(pack, bytes);
        using var pool = await Pool.Open(folders.Objects, Folders.Options.Passphrase, Never);
        File.WriteAllText(There("notes/crew.txt"), "ten aboard");
        var before = Folders.Picture(There("notes"));
        var point = await pool.FindPoint(from.Point.Id, Never);
        var result = await Restore.Into(pool, point, "", folders.Target(), Existing.Replaced, null, Never);
        var problem = Assert.Single(result.Problems);
        var name = Path.GetFileName(problem.Path);
        Assert.Equal(before[name], Folders.Picture(There("notes"))[name]);
        var rehearsed = await Restore.IntoNowhere(pool, point, null, Never);
        Assert.Equal(problem.Path, Assert.Single(rehearsed.Problems).Path);
    }

    [Fact]
    public async Task A_rehearsal_reads_everything_and_writes_nothing()
    {
        folders.Fill(21);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        var before = Folders.Picture(folders.PoolFolder);
        var result = await Restore.IntoNowhere(pool, point, null, Never);
        Assert.Equal((point.Files, point.LogicalBytes, 0), (result.Files, result.Bytes, result.Problems.Count));
        Assert.Equal(before, Folders.Picture(folders.PoolFolder));
    }

    /// <summary>Somebody with the pool's secret sealed other bytes under a chunk's id: only its content tells.</summary>
    [Fact]
    public async Task A_rehearsal_notices_bytes_that_are_whole_and_not_those_that_were_backed_up()
    {
        File.WriteAllText(Source("tides.txt"), "high at six");
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        await using (var pack = new OpenPack(pool, Packs.Folder, Never))
        {
            await pack.Add(pool.Keys.IdOf("high at six"u8), "high at two"u8, 11, isCompressed: false, isApart: false);
            await pack.Close();
        }
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        Assert.Empty((await Restore.Into(pool, point, "", folders.Target(), Existing.Refused, null, Never)).Problems);
        Assert.Equal("tides.txt", Assert.Single((await Restore.IntoNowhere(pool, point, null, Never)).Problems).Path);
    }
}
