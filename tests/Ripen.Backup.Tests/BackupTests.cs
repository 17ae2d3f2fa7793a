using System.Diagnostics;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>Folders go into a pool and come back.</summary>
public sealed class BackupTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    private Task<Point> Run(Pool pool, IProgress<RunProgress>? progress = null, CancellationToken cancel = default) =>
        BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, progress, cancel);

    private Task<Point> Run(Pool pool, RunOptions options) =>
        BackupRun.Of(pool, new FolderSource(folders.Source), "office", options, TimeProvider.System, null, Never);

    private Task<Pool> Open() => Pool.Open(folders.Objects, Folders.Options.Passphrase, Never);

    private Task<Pool> Make() => Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);

    [Fact]
    public async Task A_folder_comes_back_byte_for_byte_with_times_permissions_links_and_holes()
    {
        folders.Fill(1);
        using (var pool = await Make())
        {
            var point = await Run(pool);
            Assert.Equal((0, 77), (point.ProblemCount, point.Files));
        }
        using var again = await Open();
        var stored = Assert.Single((await again.Points(Never)).Points);
        var result = await Restore.Into(again, stored, "", folders.Target(), Existing.Refused, null, Never);
        Assert.Empty(result.Problems);
        Assert.Equal((stored.Files, stored.LogicalBytes), (result.Files, result.Bytes));
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target()));
        Assert.True(FileStatus.Of(Path.Combine(folders.Target(), "holes"))!.Value.HasHoles);
    }

    [Fact]
    public async Task The_second_run_stores_nearly_nothing_and_both_points_come_back()
    {
        folders.Fill(2);
        using var pool = await Make();
        var first = await Run(pool);
        var picture = Folders.Picture(folders.Source);
        var second = await Run(pool);
        Assert.Equal((0, 0), (second.NewBytes, second.StoredBytes));
        Assert.Equal(first.LogicalBytes, second.LogicalBytes);

        File.AppendAllText(Path.Combine(folders.Source, "berth 0", "file-1"), "one line more");
        Directory.Move(Path.Combine(folders.Source, "berth 2"), Path.Combine(folders.Source, "berth 9"));
        var third = await Run(pool);
        Assert.InRange(third.NewBytes, 1, first.NewBytes / 20);
        using var again = await Open();
        await Restore.Into(again, first, "", folders.Target("first"), Existing.Refused, null, Never);
        await Restore.Into(again, third, "", folders.Target("third"), Existing.Refused, null, Never);
        Assert.Equal(picture, Folders.Picture(folders.Target("first")));
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("third")));
    }

    [Fact]
    public async Task A_plain_pool_stores_every_full_run_whole_and_between_them_what_changed()
    {
        folders.Fill(2);
        using var pool = await Pool.Create(folders.Objects, Folders.Options with { Deduplicates = false }, DateTimeOffset.UtcNow, Never);
        var first = await Run(pool);
        Assert.Equal((true, first.LogicalBytes), (first.IsFull!.Value, first.NewBytes - ListBytes(pool, first)));
        // A file that equals another is stored again, and so is one that was only touched.
        File.Copy(Path.Combine(folders.Source, "berth 0", "file-1"), Path.Combine(folders.Source, "berth 0", "file-1 again"));
        File.SetLastWriteTimeUtc(Path.Combine(folders.Source, "berth 0", "file-3"), DateTime.UtcNow.AddDays(-3));
        var changed =
            new FileInfo(Path.Combine(folders.Source, "berth 0", "file-1 again")).Length
            + new FileInfo(Path.Combine(folders.Source, "berth 0", "file-3")).Length;
        var second = await Run(pool);
        Assert.Equal((false, changed), (second.IsFull!.Value, second.NewBytes - ListBytes(pool, second)));
        var third = await Run(pool, new RunOptions { Full = true });
        Assert.Equal((true, third.LogicalBytes), (third.IsFull!.Value, third.NewBytes - ListBytes(pool, third)));

        // The full one does not need the ones before; the one between needs the first one's packs as long as it is there.
        await pool.Remove(first.Id, Never);
        await PoolPrune.Of(pool, TimeProvider.System, Never);
        using var again = await Open();
        Assert.False(again.Description.Deduplicates);
        await Restore.Into(again, second, "", folders.Target("second"), Existing.Refused, null, Never);
        await again.Remove(second.Id, Never);
        await PoolPrune.Of(again, TimeProvider.System, Never);
        await Restore.Into(again, third, "", folders.Target("third"), Existing.Refused, null, Never);
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("second")));
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("third")));
        var report = await PoolCheck.Of(again, Never);
        Assert.Empty(report.Damaged);
        Assert.True(folders.Objects.StoredBytes < 1.2 * third.StoredBytes, "What only removed points needed is gone.");
    }

    [Fact]
    public async Task What_arrives_encrypted_is_kept_apart_and_as_it_is()
    {
        folders.Fill(2);
        using var pool = await Make();
        var open = await Run(pool);
        var apart = await Run(pool, new RunOptions { Full = true, EncryptedAtSource = true });
        Assert.Null(open.IsFull);
        // Nothing is shared with what lies there, and nothing compressed although it would be.
        Assert.Equal(apart.LogicalBytes, apart.NewBytes - ListBytes(pool, apart));
        Assert.True(apart.StoredBytes > apart.LogicalBytes, $"{apart.StoredBytes} of {apart.LogicalBytes}");
        Assert.True(open.StoredBytes < open.LogicalBytes);
        Assert.Empty((await PoolCheck.Of(pool, Never)).Damaged);
        await Restore.Into(pool, apart, "", folders.Target("apart"), Existing.Refused, null, Never);
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("apart")));
    }

    /// <summary>Of the list of entries: new with every run whose chunks lie apart.</summary>
    private static long ListBytes(Pool pool, Point point)
    {
        var bytes = 0L;
        for (var at = 0; at < point.Entries.Length; at += ChunkId.Size)
            bytes += pool.Chunk(ChunkId.Read(point.Entries.AsSpan(at)), Never).GetAwaiter().GetResult().Length;
        return bytes;
    }

    [Fact]
    public async Task One_path_comes_back_alone()
    {
        folders.Fill(3);
        using var pool = await Make();
        var point = await Run(pool);
        await Restore.Into(pool, point, "quay 0/Ærø 🚢 1", folders.Target("folder"), Existing.Refused, null, Never);
        Assert.Equal(12, Directory.EnumerateFiles(Path.Combine(folders.Target("folder"), "Ærø 🚢 1")).Count());
        await Restore.Into(pool, point, "berth 0/file-3", folders.Target("file"), Existing.Refused, null, Never);
        Assert.Equal(
            File.ReadAllBytes(Path.Combine(folders.Source, "berth 0", "file-3")),
            File.ReadAllBytes(Path.Combine(folders.Target("file"), "file-3"))
        );
        Assert.Equal(
            "no-path",
            await Code(() => Restore.Into(pool, point, "berth", folders.Target("none"), Existing.Refused, null, Never))
        );
        Assert.Equal("not-empty", await Code(() => Restore.Into(pool, point, "", folders.Source, Existing.Refused, null, Never)));
    }

    [Fact]
    public async Task What_cannot_be_stored_is_named()
    {
        folders.Fill(4);
        var pipe = Path.Combine(folders.Source, "pipe");
        Process.Start("mkfifo", pipe)!.WaitForExit();
        var doomed = Path.Combine(folders.Source, "zz-doomed");
        var grows = Path.Combine(folders.Source, "zz-grows");
        File.WriteAllBytes(doomed, new byte[100]);
        File.WriteAllBytes(grows, new byte[100]);
        using var pool = await Make();
        var told = new Told(p =>
        {
            if (p.Path != "pipe" && File.Exists(doomed))
                File.Delete(doomed);
        });
        // The folder's names are read before the file is deleted.
        var point = await Run(pool, told);
        Assert.Equal(
            [
                ("pipe", "It is neither a file, a folder nor a link."),
                ("zz-doomed", "It vanished while the folder was walked, or its name is not UTF-8."),
            ],
            point.Problems.Select(p => (p.Path, p.What))
        );
        await Assert.ThrowsAsync<RefusalException>(() =>
            BackupRun.Of(pool, new FolderSource(folders.Target("never")), "office", null, TimeProvider.System, null, Never)
        );
    }

    /// <summary>Killed anywhere: no point of it, earlier points whole, and what it stored is not stored again.</summary>
    [Fact]
    public async Task A_run_that_ends_early_harms_nothing_and_is_gone_on_with()
    {
        folders.Fill(5);
        using (var pool = await Make())
            await Run(pool);
        var picture = Folders.Picture(folders.Source);
        var noise = new byte[30_000_000];
        new Random(5).NextBytes(noise);
        File.WriteAllBytes(Path.Combine(folders.Source, "zz-large"), noise);
        File.WriteAllBytes(Path.Combine(folders.Source, "zz-last"), [1]);
        var places = new CutOff(folders.Objects, puts: 3);
        using (var pool = await Pool.Open(places, Folders.Options.Passphrase, Never))
            Assert.Equal("The line is dead.", (await Assert.ThrowsAsync<IOException>(() => Run(pool))).Message);
        using var again = await Open();
        var before = Assert.Single((await again.Points(Never)).Points);
        await Restore.Into(again, before, "", folders.Target("before"), Existing.Refused, null, Never);
        Assert.Equal(picture, Folders.Picture(folders.Target("before")));

        var point = await Run(again);
        Assert.InRange(point.NewBytes, 1, noise.Length - 8_000_000);
        await Restore.Into(again, point, "", folders.Target("after"), Existing.Refused, null, Never);
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("after")));
    }

    [Fact]
    public async Task Two_runs_at_once_into_one_pool_both_come_back()
    {
        folders.Fill(6);
        using var pool = await Make();
        using var other = await Open();
        var points = await Task.WhenAll(Task.Run(() => Run(pool)), Task.Run(() => Run(other)));
        using var again = await Open();
        foreach (var point in points)
        {
            await Restore.Into(again, point, "", folders.Target(point.Id), Existing.Refused, null, Never);
            Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target(point.Id)));
        }
    }

    internal static async Task<string> Code(Func<Task> attempt) => (await Assert.ThrowsAsync<RefusalException>(attempt)).Code;

    private sealed class Told(Action<RunProgress> act) : IProgress<RunProgress>
    {
        public void Report(RunProgress value) => act(value);
    }

    /// <summary>A place that takes so many objects and then nothing any more, as when the process was killed.</summary>
    [Fact]
    public void What_became_a_link_since_it_was_looked_at_is_not_followed()
    {
        var secret = folders.Target("secret");
        File.WriteAllText(secret, "not below the source");
        Directory.CreateDirectory(Path.Combine(folders.Source, "berth"));
        foreach (var name in (string[])["berth/rota", "rota"])
            File.WriteAllText(Path.Combine(folders.Source, name), "below it");
        var source = new FolderSource(folders.Source);
        var seen = source.Walk(_ => { }).Where(e => e.Kind == EntryKind.File).ToList();
        Assert.Equal(2, seen.Count);
        using (var read = new StreamReader(source.Open(seen[0])))
            Assert.Equal("below it", read.ReadToEnd());

        // The file itself, and the folder that it is in.
        File.Delete(Path.Combine(folders.Source, "rota"));
        File.CreateSymbolicLink(Path.Combine(folders.Source, "rota"), secret);
        Directory.Delete(Path.Combine(folders.Source, "berth"), recursive: true);
        var beside = folders.Made("beside");
        File.Copy(secret, Path.Combine(beside, "rota"));
        Directory.CreateSymbolicLink(Path.Combine(folders.Source, "berth"), beside);
        foreach (var entry in seen)
            Assert.Contains("link", Assert.Throws<IOException>(() => source.Open(entry)).Message, StringComparison.Ordinal);
        Assert.Throws<FileNotFoundException>(() => source.Open(seen[0] with { Path = "gone" }));
        Assert.Throws<IOException>(() => source.Open(seen[0] with { Path = "../secret" }));
    }

    private sealed class CutOff(IPoolObjects objects, int puts) : IPoolObjects
    {
        private int left = puts;

        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) =>
            Interlocked.Decrement(ref left) >= 0 ? objects.Put(key, content, cancel) : throw new IOException("The line is dead.");

        public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => objects.Read(key, from, length, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => objects.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => objects.Delete(key, cancel);
    }

    [Theory]
    [InlineData("")]
    [InlineData("\0")]
    [InlineData("../pool")]
    [InlineData("/etc/hostname")]
    [InlineData("20260101T000000000Z-0000/../../pool")]
    public async Task An_id_that_is_no_points_is_none_and_leads_nowhere(string id)
    {
        using var place = new Folders();
        var objects = place.Objects;
        using var pool = await Pool.Create(objects, Folders.Options, DateTimeOffset.UnixEpoch, CancellationToken.None);
        foreach (var reach in new Func<Task>[] { () => pool.FindPoint(id, default), () => pool.Remove(id, default) })
            Assert.Equal("no-point", (await Assert.ThrowsAsync<RefusalException>(reach)).Code);
        Assert.True(objects.Has(PoolDescription.Key));
    }
}
