using System.Diagnostics;
using System.Formats.Tar;
using Ripen.Backup.Cartridges;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

/// <summary>Cartridges with programs that only know tape: tar, cpio and dd.</summary>
public sealed class CartridgeTests : IAsyncDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;
    private static readonly DateOnly Today = new(2026, 11, 26);

    private readonly Folders folders = new();
    private readonly MemoryObjects place = new();
    private CartridgeDrive? drive;

    public async ValueTask DisposeAsync()
    {
        if (drive is not null)
            await drive.DisposeAsync();
        folders.Dispose();
    }

    private async Task<CartridgeShelf> Shelf(long bytes = 60_000_000)
    {
        var secret = await CartridgeShelf.Create(place, bytes, true, "under the third bollard", DateTimeOffset.UnixEpoch, Never);
        return CartridgeShelf.Open(place, await CartridgeShelf.Describe(place, Never), secret);
    }

    private async Task<CartridgeDrive> Loaded(CartridgeShelf shelf, DriveUse use)
    {
        drive ??= new CartridgeDrive(shelf, folders.Target("drive-1"));
        await drive.Load(1, use, Never);
        return drive;
    }

    private async Task<int> Shell(string command)
    {
        var start = new ProcessStartInfo("/bin/sh", ["-c", command]) { WorkingDirectory = folders.Source, RedirectStandardError = true };
        start.Environment["DRIVE"] = folders.Target("drive-1");
        using var process = Process.Start(start)!;
        await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return process.ExitCode;
    }

    /// <summary>A program has closed the pipe before this side has noted it.</summary>
    private static async Task<IReadOnlyList<CartridgeFile>> Files(CartridgeShelf shelf, int expected)
    {
        while (true)
        {
            var files = (await shelf.Find(1, Never)).Files;
            if (files.Count >= expected)
                return files;
            await Task.Delay(10);
        }
    }

    [Fact]
    public async Task Tar_cpio_and_dd_write_one_after_the_other_and_read_back()
    {
        folders.Fill(7);
        var shelf = await Shelf();
        await shelf.Add(Never);
        var tape = await Loaded(shelf, DriveUse.Write);
        // At once, one after the other: what one program writes never runs into the next one's.
        Assert.Equal(
            0,
            await Shell("tar --format=posix -cf $DRIVE . && find . -type f | cpio -o > $DRIVE && dd if=holes of=$DRIVE bs=64k")
        );
        var files = await Files(shelf, 3);
        Assert.Equal(9_000_000, files[2].Bytes);
        Assert.Equal(4, tape.Status.File);
        await tape.Unload();
        Assert.False(File.Exists(tape.Path));

        await Loaded(shelf, DriveUse.Read);
        folders.Made("source/../tarred");
        folders.Made("source/../copied");
        Assert.Equal(0, await Shell("tar xf $DRIVE -C ../tarred"));
        Assert.Equal(0, await Shell("cd ../copied && cpio -id < $DRIVE"));
        Assert.Equal(0, await Shell("dd if=$DRIVE of=../dd-holes bs=64k"));
        // Behind the last file a tape gives nothing.
        Assert.Equal(0, await Shell("test $(wc -c < $DRIVE) = 0"));
        await tape.Unload();
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target("tarred")));
        Assert.Equal(File.ReadAllBytes(Path.Combine(folders.Source, "holes")), File.ReadAllBytes(folders.Target("dd-holes")));
        foreach (
            var file in new DirectoryInfo(folders.Source).EnumerateFiles("*", SearchOption.AllDirectories).Where(f => f.LinkTarget is null)
        )
        {
            var copied = folders.Target(Path.Combine("copied", Path.GetRelativePath(folders.Source, file.FullName)));
            Assert.Equal(File.ReadAllBytes(file.FullName), File.ReadAllBytes(copied));
        }
    }

    [Fact]
    public async Task What_lies_in_the_place_is_one_tar_archive_that_tar_reads()
    {
        var shelf = await Shelf();
        await shelf.Add(Never);
        var content = new byte[20_000_000];
        new Random(4).NextBytes(content);
        await shelf.Append(1, new MemoryStream(content), _ => { }, Never);
        await shelf.Append(1, new MemoryStream([1, 2, 3]), _ => { }, Never);
        var archive = folders.Target("cartridge.tar");
        await using (var file = File.Create(archive))
            await shelf.SendArchive(1, file, Never);
        var out_ = folders.Made("unpacked");
        Assert.Equal(0, await Shell($"tar xf {archive} -C {out_} && cat {out_}/0001/0* > ../whole"));
        Assert.Equal(content, File.ReadAllBytes(folders.Target("whole")));
        Assert.Equal([1, 2, 3], File.ReadAllBytes(Path.Combine(out_, "0002", "00000000")));
        using var back = new MemoryStream();
        await shelf.Send(1, 1, back, Never);
        Assert.Equal(content, back.ToArray());
    }

    [Fact]
    public async Task What_is_protected_kept_or_full_is_refused_and_nothing_of_it_stays()
    {
        var shelf = await Shelf(bytes: 10_000_000);
        await shelf.Add(Never);
        await shelf.Append(1, new MemoryStream(new byte[1_000_000]), _ => { }, Never);
        var before = place.All.Keys.Order().ToList();
        Assert.Equal(
            "cartridge-full",
            (await Assert.ThrowsAsync<RefusalException>(() => shelf.Append(1, new MemoryStream(new byte[9_500_000]), _ => { }, Never))).Code
        );
        Assert.Null(await shelf.Append(1, Stream.Null, _ => { }, Never));
        Assert.Equal(before, place.All.Keys.Order());

        await shelf.Change(1, isProtected: true, Today.AddDays(30), Never);
        Assert.Equal(
            "write-protected",
            (await Assert.ThrowsAsync<RefusalException>(() => shelf.Append(1, new MemoryStream([1]), _ => { }, Never))).Code
        );
        Assert.Equal("write-protected", (await Assert.ThrowsAsync<RefusalException>(() => shelf.Erase(1, Today.AddDays(99), Never))).Code);
        foreach (var sooner in new DateOnly?[] { null, Today.AddDays(29) })
            Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => shelf.Change(1, false, sooner, Never))).Code);
        await shelf.Change(1, isProtected: false, Today.AddDays(31), Never);
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => shelf.Erase(1, Today.AddDays(30), Never))).Code);
        Assert.Single((await shelf.Find(1, Never)).Files);
        var anew = await shelf.Erase(1, Today.AddDays(31), Never);
        Assert.Equal((2, (DateOnly?)null), (anew.Generation, anew.KeepUntil));
        Assert.Empty((await shelf.Find(1, Never)).Files);
        Assert.DoesNotContain(place.All.Keys, k => k.StartsWith("data/", StringComparison.Ordinal));
        Assert.Equal("no-cartridge", (await Assert.ThrowsAsync<RefusalException>(() => shelf.Erase(9, Today, Never))).Code);
    }

    [Fact]
    public async Task A_stream_that_breaks_off_anywhere_leaves_the_files_before_it_whole()
    {
        var random = new Random(9);
        for (var kill = 0; kill < 30; kill++)
        {
            var objects = new MemoryObjects();
            var secret = await CartridgeShelf.Create(objects, 60_000_000, true, null, DateTimeOffset.UnixEpoch, Never);
            var description = await CartridgeShelf.Describe(objects, Never);
            var shelf = CartridgeShelf.Open(objects, description, secret);
            await shelf.Add(Never);
            var first = new byte[random.Next(1, 9_000_000)];
            random.NextBytes(first);
            await shelf.Append(1, new MemoryStream(first), _ => { }, Never);
            var dying = CartridgeShelf.Open(new Deadly(objects, random.Next(4)), description, secret);
            var whole = true;
            try
            {
                await dying.Append(1, new MemoryStream(new byte[random.Next(1, 24_000_000)]), _ => { }, Never);
            }
            catch (IOException)
            {
                whole = false;
            }
            Assert.Equal(whole ? 2 : 1, (await shelf.Find(1, Never)).Files.Count);
            await shelf.Append(1, new MemoryStream([7]), _ => { }, Never);
            using var back = new MemoryStream();
            await shelf.Send(1, 1, back, Never);
            Assert.Equal(first, back.ToArray());
            using var last = new MemoryStream();
            await shelf.Send(1, whole ? 3 : 2, last, Never);
            Assert.Equal([7], last.ToArray());
        }
    }

    [Fact]
    public async Task A_flipped_bit_is_noticed_and_a_reader_that_stops_early_harms_nothing()
    {
        folders.Fill(8);
        var shelf = await Shelf();
        await shelf.Add(Never);
        var tape = await Loaded(shelf, DriveUse.Write);
        Assert.Equal(0, await Shell("tar cf $DRIVE . && tar cf $DRIVE ./empty"));
        await Files(shelf, 2);
        await tape.Unload();
        await Loaded(shelf, DriveUse.Read);
        Assert.Equal(0, await Shell("head -c 100000 $DRIVE > /dev/null"));
        Assert.Equal(0, await Shell("tar tf $DRIVE > /dev/null"));
        // Unloaded while a program holds it open and says nothing.
        await tape.Unload();
        await Loaded(shelf, DriveUse.Write);
        var silent = Shell("sleep 5 > $DRIVE");
        while (!tape.Status.Busy)
            await Task.Delay(10);
        await tape.Unload();
        Assert.Equal(2, (await shelf.Find(1, Never)).Files.Count);
        Assert.False(silent.IsCompleted);

        var piece = place.All.Keys.Single(k =>
            k.StartsWith("data/000001/0001/0001.", StringComparison.Ordinal) && k.EndsWith("/00000000", StringComparison.Ordinal)
        );
        place.All[piece][500] ^= 4;
        var damaged = await Assert.ThrowsAsync<RefusalException>(() => shelf.Send(1, 1, Stream.Null, Never));
        Assert.Equal(RefusalKind.Damaged, damaged.Kind);
    }
}
