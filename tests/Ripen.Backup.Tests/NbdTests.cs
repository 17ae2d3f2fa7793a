using System.Buffers.Binary;
using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json.Nodes;
using Ripen.Backup.Nbd;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;
using Ripen.Backup.Volumes;

namespace Ripen.Backup.Tests;

/// <summary>A volume over NBD with the clients that Debian has for it (libnbd, QEMU, fio), and with one that lies.</summary>
public sealed class NbdTests : IAsyncDisposable
{
    private const long Size = 64L << 20;
    private const int Block = 256 * 1024;

    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();
    private readonly MemoryObjects place = new();
    private readonly NbdServer server = new(0);
    private Volume? volume;

    private string Uri => $"nbd://127.0.0.1:{server.Port}/cellar";

    public async ValueTask DisposeAsync()
    {
        await server.DisposeAsync();
        if (volume is not null)
            await volume.DisposeAsync();
        folders.Dispose();
    }

    private async Task Offer()
    {
        var secret = await Volume.Create(place, Size, Block, "under the third bollard", DateTimeOffset.UnixEpoch, Never);
        volume = await Volume.Open(
            place,
            secret,
            new VolumeDisk(folders.Target("disk"), 16 << 20, 8 << 20) { Lag = TimeSpan.FromMilliseconds(50) },
            Never
        );
        server.Offer("cellar", volume);
    }

    private static async Task<string> Run(string program, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var (text, errors) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        await process.WaitForExitAsync();
        Assert.True(process.ExitCode == 0, $"{program} {string.Join(' ', arguments)}: {await text}{await errors}");
        return await text;
    }

    private string NewFile(string name, int seed)
    {
        var path = folders.Target(name);
        var random = new Random(seed);
        using var file = File.Create(path);
        var part = new byte[1 << 20];
        for (var i = 0; i < Size / part.Length; i++)
        {
            if (i % 5 == 4)
                Array.Clear(part);
            else
                random.NextBytes(part);
            file.Write(part);
        }
        return path;
    }

    [Fact]
    public async Task Nbdinfo_and_nbdcopy_see_what_there_is_and_bring_it_back()
    {
        await Offer();
        var info = JsonNode.Parse(await Run("nbdinfo", "--json", Uri))!["exports"]!.AsArray().Single()!;
        Assert.Equal(Size, (long)info["export-size"]!);
        foreach (var can in new[] { "can_flush", "can_fua", "can_trim", "can_zero", "can_multi_conn", "can_df" })
            Assert.True((bool)info[can]!, can);
        Assert.False((bool)info["is_read_only"]!);
        Assert.Equal("newstyle-fixed", (string)JsonNode.Parse(await Run("nbdinfo", "--json", Uri))!["protocol"]!);
        Assert.True((bool)JsonNode.Parse(await Run("nbdinfo", "--json", Uri))!["structured"]!);
        Assert.Contains("cellar", await Run("nbdinfo", "--list", $"nbd://127.0.0.1:{server.Port}"), StringComparison.Ordinal);

        var source = NewFile("source.img", 1);
        await Run("nbdcopy", source, Uri);
        var back = folders.Target("back.img");
        await Run("nbdcopy", Uri, back);
        Assert.Equal(File.ReadAllBytes(source), File.ReadAllBytes(back));

        // Once everything is in the bucket, it is read from there.
        await volume!.Drain(Never);
        Assert.Equal(0, volume.Status.JournalBytes);
        await Run("nbdcopy", Uri, back);
        Assert.Equal(File.ReadAllBytes(source), File.ReadAllBytes(back));
        var allocation = JsonNode.Parse(await Run("nbdinfo", "--map", "--json", Uri))!.AsArray();
        Assert.Equal(Size, allocation.Sum(e => (long)e!["length"]!));
        Assert.Equal(12L << 20, allocation.Where(e => (int)e!["type"]! == 3).Sum(e => (long)e!["length"]!));

        // A snapshot is an export of its own, that nobody writes.
        var snapshot = await volume.TakeSnapshot("as it was", false, DateTimeOffset.UnixEpoch, Never);
        server.Offer("then", await volume.OpenSnapshot(snapshot.Id, Never));
        await Run("nbdcopy", NewFile("other.img", 2), Uri);
        await Run("nbdcopy", Uri.Replace("cellar", "then", StringComparison.Ordinal), back);
        Assert.Equal(File.ReadAllBytes(source), File.ReadAllBytes(back));
        var then = JsonNode.Parse(await Run("nbdinfo", "--json", Uri.Replace("cellar", "then", StringComparison.Ordinal)))!;
        Assert.True((bool)then["exports"]![0]!["is_read_only"]!);
    }

    /// <summary>A pool lies in a file system on the volume. From a snapshot it comes back although everything was overwritten meanwhile: the
    /// file system is read by programs that know nothing of Ripen, the pool by what stands in it and its passphrase.</summary>
    [Fact]
    public async Task A_pool_on_a_snapshot_is_read_and_restored_from()
    {
        await Offer();
        folders.Fill(8);
        var picture = Folders.Picture(folders.Source);
        using (var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never))
            await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        var image = folders.Target("disk.img");
        await Run("/usr/sbin/mke2fs", "-q", "-F", "-t", "ext4", "-d", folders.PoolFolder, image, $"{Size >> 10}k");
        await Run("nbdcopy", image, Uri);
        var snapshot = await volume!.TakeSnapshot("with the pool", false, DateTimeOffset.UnixEpoch, Never);
        await Run("nbdcopy", NewFile("other.img", 4), Uri);
        await volume.Drain(Never);

        server.Offer("then", await volume.OpenSnapshot(snapshot.Id, Never));
        var back = folders.Target("back.img");
        await Run("nbdcopy", Uri.Replace("cellar", "then", StringComparison.Ordinal), back);
        var lies = Directory.CreateDirectory(folders.Target("lies")).FullName;
        await Run("/usr/sbin/debugfs", "-R", $"rdump / {lies}", back);
        Directory.Delete(folders.PoolFolder, recursive: true);
        using var found = await Pool.Open(new DirectoryObjects(lies), Folders.Options.Passphrase, Never);
        var point = Assert.Single((await found.Points(Never)).Points);
        Assert.Empty((await Restore.Into(found, point, "", folders.Target("restored"), Existing.Refused, null, Never)).Problems);
        Assert.Equal(picture, Folders.Picture(folders.Target("restored")));
    }

    [Fact]
    public async Task Qemu_writes_reads_zeroes_and_discards()
    {
        await Offer();
        var source = NewFile("source.img", 3);
        await Run("qemu-img", "convert", "-n", "-f", "raw", "-O", "raw", source, Uri);
        await Run("qemu-img", "compare", "-f", "raw", "-F", "raw", source, Uri);
        // Not at the bounds of pages, on both, and compared afterwards.
        string[] deeds =
        [
            "write -P 0x5a 1000 70001",
            "write -z 300k 1M",
            "write -f -P 0x11 5M 512",
            "discard 8M 2M",
            "flush",
            "read -P 0x5a 1000 70001",
            "read -P 0 300k 1M",
            "read -P 0 8M 2M",
        ];
        foreach (var at in new[] { Uri, source })
        {
            var arguments = deeds.SelectMany(d => new[] { "-c", d });
            var told = await Run("qemu-io", ["-f", "raw", "-d", "unmap", .. arguments, at]);
            Assert.DoesNotContain("Pattern verification failed", told, StringComparison.Ordinal);
        }
        await Run("qemu-img", "compare", "-f", "raw", "-F", "raw", source, Uri);
        await volume!.Drain(Never);
        await Run("qemu-img", "compare", "-f", "raw", "-F", "raw", source, Uri);
    }

    [Fact]
    public async Task Fio_finds_every_block_as_it_wrote_it()
    {
        await Offer();
        var told = await Run(
            "fio",
            "--name=verify",
            "--ioengine=nbd",
            $"--uri={Uri}",
            "--rw=randrw",
            "--bs=4k",
            "--iodepth=16",
            "--size=64M",
            "--io_size=8M",
            "--verify=crc32c",
            "--verify_fatal=1",
            "--fsync=64",
            "--randseed=7",
            "--output-format=json"
        );
        var job = JsonNode.Parse(told[told.IndexOf('{', StringComparison.Ordinal)..])!["jobs"]![0]!;
        Assert.Equal(0, (int)job["error"]!);
        Assert.True((long)job["write"]!["total_ios"]! > 1000);
    }

    [Fact]
    public async Task A_client_that_lies_ends_its_own_connection_and_nothing_else()
    {
        await Offer();
        await volume!.Write(Size - 4096, new byte[] { 1, 2, 3 }, Never);
        // Flags nobody knows; an option longer than any; a name longer than its option; something that is no option.
        foreach (
            byte[] said in new[]
            {
                Number32(0xffff),
                [.. Number32(3), .. Option(7, uint.MaxValue, [])],
                [.. Number32(3), .. Option(7, 6, [.. Number32(1000), 0, 0])],
                [.. Number32(3), .. new byte[16]],
            }
        )
        {
            using var client = await Connect();
            var stream = client.GetStream();
            await stream.WriteAsync(said);
            client.Client.Shutdown(SocketShutdown.Send);
            await stream.CopyToAsync(Stream.Null);
        }

        using (var client = await Go())
        {
            var stream = client.GetStream();
            // Beyond the end, by one and by far; unknown commands: refused, and the connection goes on.
            Assert.Equal(28u, await Ask(stream, Request(1, Size - 1, 2), [7, 7]));
            Assert.Equal(28u, await Ask(stream, Request(6, ulong.MaxValue - 5, 10), []));
            Assert.Equal(28u, await Ask(stream, Request(4, Size, uint.MaxValue), []));
            Assert.Equal(22u, await Ask(stream, Request(0, Size, 1), []));
            Assert.Equal(22u, await Ask(stream, Request(0, 0, (40 << 20) + 0u), []));
            Assert.Equal(22u, await Ask(stream, Request(99, 0, 1), []));
            Assert.Equal(0u, await Ask(stream, Request(1, 0, 3), [4, 5, 6]));
            Assert.Equal(0u, await Ask(stream, Request(3, 0, 0), []));
            // A write that is announced larger than any may be.
            await stream.WriteAsync(Request(1, 0, uint.MaxValue));
            Assert.Equal(0, await stream.ReadAsync(new byte[1]));
        }
        using (var client = await Go())
        {
            // Half of what it announced: nothing of it is written.
            await client.GetStream().WriteAsync((byte[])[.. Request(1, 0, 1000), 9, 9, 9]);
        }
        using (var client = await Go())
        {
            await client.GetStream().WriteAsync(new byte[28]);
            Assert.Equal(0, await client.GetStream().ReadAsync(new byte[1]));
        }
        var start = new byte[4];
        await volume.Read(0, start, Never);
        Assert.Equal([4, 5, 6, 0], start);
        await Run("nbdinfo", Uri);
    }

    private async Task<TcpClient> Connect()
    {
        var client = new TcpClient();
        await client.ConnectAsync(IPAddress.Loopback, server.Port);
        await client.GetStream().ReadExactlyAsync(new byte[18]);
        return client;
    }

    /// <summary>With the oldest option, and simple replies.</summary>
    private async Task<TcpClient> Go()
    {
        var client = await Connect();
        var name = Encoding.UTF8.GetBytes("cellar");
        await client.GetStream().WriteAsync((byte[])[.. Number32(3), .. Option(1, (uint)name.Length, name)]);
        var told = new byte[10];
        await client.GetStream().ReadExactlyAsync(told);
        Assert.Equal(Size, BinaryPrimitives.ReadInt64BigEndian(told));
        return client;
    }

    private static async Task<uint> Ask(NetworkStream stream, byte[] request, byte[] payload)
    {
        await stream.WriteAsync((byte[])[.. request, .. payload]);
        var reply = new byte[16];
        await stream.ReadExactlyAsync(reply);
        Assert.Equal(0x67446698u, BinaryPrimitives.ReadUInt32BigEndian(reply));
        Assert.Equal(42ul, BinaryPrimitives.ReadUInt64BigEndian(reply.AsSpan(8)));
        return BinaryPrimitives.ReadUInt32BigEndian(reply.AsSpan(4));
    }

    private static byte[] Request(ushort command, long offset, uint length) => Request(command, (ulong)offset, length);

    private static byte[] Request(ushort command, ulong offset, uint length)
    {
        var request = new byte[28];
        BinaryPrimitives.WriteUInt32BigEndian(request, 0x25609513);
        BinaryPrimitives.WriteUInt16BigEndian(request.AsSpan(6), command);
        BinaryPrimitives.WriteUInt64BigEndian(request.AsSpan(8), 42);
        BinaryPrimitives.WriteUInt64BigEndian(request.AsSpan(16), offset);
        BinaryPrimitives.WriteUInt32BigEndian(request.AsSpan(24), length);
        return request;
    }

    private static byte[] Number32(uint number)
    {
        var bytes = new byte[4];
        BinaryPrimitives.WriteUInt32BigEndian(bytes, number);
        return bytes;
    }

    private static byte[] Option(uint option, uint length, byte[] data)
    {
        var head = new byte[16];
        BinaryPrimitives.WriteUInt64BigEndian(head, 0x49484156454f5054);
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(8), option);
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(12), length);
        return [.. head, .. data];
    }
}
