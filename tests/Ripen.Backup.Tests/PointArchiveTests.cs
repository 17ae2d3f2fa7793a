using System.Diagnostics;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>A point as an archive, taken apart by Debian's tar and unzip.</summary>
public sealed class PointArchiveTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    [Theory]
    [InlineData(ArchiveFormat.Tar)]
    [InlineData(ArchiveFormat.Zip)]
    public async Task What_comes_out_is_what_went_in(ArchiveFormat format)
    {
        folders.Fill(3);
        // The first instant that both keep; zip keeps even seconds.
        foreach (
            var path in Directory
                .EnumerateFileSystemEntries(folders.Source, "*", SearchOption.AllDirectories)
                .Where(p => new FileInfo(p).LinkTarget is null)
        )
            Directory.SetLastWriteTimeUtc(path, new DateTime(1996, 2, 29, 11, 22, 34, DateTimeKind.Utc));
        var before = Folders.Picture(folders.Source);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        await Unpack(format, await Packed(pool, point, "", format));
        Assert.Equal(before, Folders.Picture(folders.Target()));
    }

    [Fact]
    public async Task A_folder_comes_alone_and_a_path_that_is_not_there_is_refused_before_a_byte_is_written()
    {
        folders.Fill(4);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        await Unpack(ArchiveFormat.Zip, await Packed(pool, point, "berth 2", ArchiveFormat.Zip));
        Assert.Equal(["berth 2"], Directory.GetFileSystemEntries(folders.Target()).Select(Path.GetFileName));
        Assert.Equal(Folders.Picture(Path.Combine(folders.Source, "berth 2")).Keys, Folders.Picture(folders.Target("target/berth 2")).Keys);
        using var nothing = new MemoryStream();
        var refused = await Assert.ThrowsAsync<RefusalException>(() =>
            PointArchive.Write(pool, point, "berth 9", ArchiveFormat.Tar, nothing, null, Never)
        );
        Assert.Equal(("no-path", 0), (refused.Code, nothing.Length));
    }

    /// <summary>A pack that is damaged in its middle: the archive has no end, and neither program takes it for whole.</summary>
    [Theory]
    [InlineData(ArchiveFormat.Tar)]
    [InlineData(ArchiveFormat.Zip)]
    public async Task What_is_damaged_is_never_taken_for_whole(ArchiveFormat format)
    {
        folders.Fill(5);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        var pack = new DirectoryInfo(Path.Combine(folders.PoolFolder, "packs"))
            .EnumerateFiles("*", SearchOption.AllDirectories)
            .MaxBy(f => f.Length)!;
        var bytes = File.ReadAllBytes(pack.FullName);
        bytes[bytes.Length / 3] ^= 1;
        File.WriteAllBytes(pack.FullName, bytes);
        using var again = await Pool.Open(folders.Objects, Folders.Options.Passphrase, Never);
        var archive = folders.Target("cut");
        await using (var file = File.Create(archive))
        {
            var damaged = await Assert.ThrowsAsync<RefusalException>(() => PointArchive.Write(again, point, "", format, file, null, Never));
            Assert.Equal(RefusalKind.Damaged, damaged.Kind);
        }
        Assert.NotEqual(0, await Run(format == ArchiveFormat.Zip ? ["unzip", "-tq", archive] : ["tar", "-tf", archive]));
    }

    /// <summary>A list of files that is damaged between two of them: tar takes what ends between two files for whole, unless it is told.</summary>
    [Theory]
    [InlineData(ArchiveFormat.Tar)]
    [InlineData(ArchiveFormat.Zip)]
    public async Task A_list_that_breaks_off_between_two_files_is_never_taken_for_whole(ArchiveFormat format)
    {
        for (var i = 0; i < 1500; i++)
            File.WriteAllText(Path.Combine(folders.Source, $"note {i:0000}"), $"{i}");
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        var index = await pool.Index(Never);
        var place = index.Find(ChunkId.Read(point.Entries.AsSpan(ChunkId.Size * (point.Entries.Length / ChunkId.Size / 2))));
        var pack = Path.Combine(folders.PoolFolder, index.KeyOf(place));
        var bytes = File.ReadAllBytes(pack);
        bytes[place.Offset] ^= 1;
        File.WriteAllBytes(pack, bytes);
        using var again = await Pool.Open(folders.Objects, Folders.Options.Passphrase, Never);
        var archive = folders.Target("cut");
        await using (var file = File.Create(archive))
            await Assert.ThrowsAsync<RefusalException>(() => PointArchive.Write(again, point, "", format, file, null, Never));
        Assert.True(new FileInfo(archive).Length > 30_000, "Much of it was written before.");
        Assert.NotEqual(0, await Run(format == ArchiveFormat.Zip ? ["unzip", "-tq", archive] : ["tar", "-tf", archive]));
    }

    private async Task<string> Packed(Pool pool, Point point, string under, ArchiveFormat format)
    {
        var archive = folders.Target("archive");
        await using var file = new ForwardOnly(File.Create(archive));
        await PointArchive.Write(pool, point, under, format, file, null, Never);
        return archive;
    }

    private async Task Unpack(ArchiveFormat format, string archive)
    {
        var to = folders.Made("target");
        Assert.Equal(
            0,
            await Run(format == ArchiveFormat.Zip ? ["unzip", "-q", "-K", archive, "-d", to] : ["tar", "-xpf", archive, "-C", to])
        );
    }

    private static async Task<int> Run(string[] command)
    {
        var start = new ProcessStartInfo(command[0], command[1..]) { RedirectStandardError = true, RedirectStandardOutput = true };
        start.Environment["TZ"] = "UTC";
        using var process = Process.Start(start)!;
        await Task.WhenAll(process.StandardError.ReadToEndAsync(Never), process.StandardOutput.ReadToEndAsync(Never));
        await process.WaitForExitAsync(Never);
        return process.ExitCode;
    }

    /// <summary>As the body of an answer is: written forward, never sought.</summary>
    private sealed class ForwardOnly(Stream under) : Stream
    {
        public override bool CanRead => false;
        public override bool CanSeek => false;
        public override bool CanWrite => true;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override void Flush() => under.Flush();

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) =>
            throw new NotSupportedException("Bodies are written asynchronously.");

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancel = default) =>
            under.WriteAsync(buffer, cancel);

        public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancel) =>
            under.WriteAsync(buffer, offset, count, cancel);

        protected override void Dispose(bool disposing)
        {
            under.Dispose();
            base.Dispose(disposing);
        }
    }
}
