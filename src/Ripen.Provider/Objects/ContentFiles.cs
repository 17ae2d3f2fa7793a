using System.Buffers;
using System.Security.Cryptography;
using System.Threading.Channels;

namespace Ripen.Provider.Objects;

/// <summary>Content that lies on the disk, written and named, and not yet known to the index.</summary>
internal sealed record WrittenContent(string Name, long Bytes, byte[] Sha256, byte[] BlockSums);

/// <summary>What a start found: rests of something half done, which it removed, and files that no index knows, which it put
/// aside.</summary>
public sealed record FolderMending(int HalfWritten, int PutAside);

/// <summary>
/// Objects' content as files, apart from the index. A file is written under a temporary name, forced to the disk and renamed before the
/// index may speak of it. When the program starts, a file with a temporary name is a rest of something half done and goes; any other that
/// the index does not know is put into quarantine, with a line in a list, and stays there until an index that knows it is put back.
/// </summary>
internal sealed class ContentFiles
{
    /// <summary>Every block has a SHA-256 of its own, so that a part can be read and checked without the rest.</summary>
    public const int BlockBytes = 1 << 20;

    private const int DigestBytes = SHA256.HashSizeInBytes;

    private readonly string incoming;
    private readonly string settled;
    private readonly string quarantine;
    private readonly Func<string, Stream> create;

    /// <param name="folder">Where files lie.</param>
    /// <param name="create">Makes a file to write to; tests put one here that fails.</param>
    public ContentFiles(string folder, Func<string, Stream>? create = null)
    {
        incoming = Path.Combine(folder, "incoming");
        settled = Path.Combine(folder, "content");
        quarantine = Path.Combine(folder, "quarantine");
        Directory.CreateDirectory(incoming);
        Directory.CreateDirectory(settled);
        this.create = create ?? (path => new FileStream(path, FileMode.CreateNew, FileAccess.Write, FileShare.None, 0, FileOptions.None));
    }

    /// <summary>Removes what was half written, and puts settled files that <paramref name="isKnown"/> does not know aside. For the start,
    /// before anybody writes.</summary>
    public FolderMending Mend(Func<string, bool> isKnown)
    {
        var halfWritten = Directory.GetFiles(incoming);
        foreach (var file in halfWritten)
            File.Delete(file);
        var unknown = Directory
            .EnumerateFiles(settled, "*", SearchOption.AllDirectories)
            .Where(f => !isKnown(Path.GetFileName(f)))
            .ToList();
        if (unknown.Count > 0)
            PutAside(unknown);
        if (Directory.Exists(quarantine))
            TakeBack(isKnown);
        return new FolderMending(halfWritten.Length, unknown.Count);
    }

    /// <summary>An index that was put back knows files again that were put aside when it was missing.</summary>
    private void TakeBack(Func<string, bool> isKnown)
    {
        foreach (
            var file in Directory.GetFiles(quarantine).Where(f => isKnown(Path.GetFileName(f)) && !File.Exists(PathOf(Path.GetFileName(f))))
        )
        {
            var home = PathOf(Path.GetFileName(file));
            Directory.CreateDirectory(Path.GetDirectoryName(home)!);
            File.Move(file, home);
        }
    }

    private void PutAside(List<string> files)
    {
        Directory.CreateDirectory(quarantine);
        var list = Path.Combine(quarantine, "list.csv");
        var isNew = !File.Exists(list);
        using var lines = new StreamWriter(list, append: true);
        if (isNew)
            lines.WriteLine("name,bytes,written");
        foreach (var file in files.Select(f => new FileInfo(f)))
        {
            lines.WriteLine(
                string.Create(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"{file.Name},{file.Length},{file.LastWriteTimeUtc:yyyy-MM-dd'T'HH:mm:ss'Z'}"
                )
            );
            file.MoveTo(Path.Combine(quarantine, file.Name), overwrite: true);
        }
    }

    /// <summary>Takes a body to the disk. Memory stays at a few blocks, whatever its length.</summary>
    /// <exception cref="IOException">The disk or the sender failed; nothing is left.</exception>
    public async Task<WrittenContent> Write(Stream body, CancellationToken cancel)
    {
        var name = Guid.NewGuid().ToString("N");
        var temporary = Path.Combine(incoming, name);
        try
        {
            WrittenContent written;
            await using (var file = create(temporary))
            {
                written = await Receive(body, file, name, cancel);
                if (file is FileStream disk)
                    disk.Flush(flushToDisk: true);
            }
            var folder = Path.GetDirectoryName(PathOf(name))!;
            var isNew = !Directory.Exists(folder);
            Directory.CreateDirectory(folder);
            File.Move(temporary, PathOf(name));
            Durable.Folder(folder);
            if (isNew)
                Durable.Folder(settled);
            return written;
        }
        catch
        {
            File.Delete(temporary);
            throw;
        }
    }

    public void Remove(string name) => File.Delete(PathOf(name));

    /// <summary>
    /// A copy of settled content under a name of its own, every block checked on the way. It is on the disk for good after
    /// <see cref="Settle"/>; until the index speaks of it, a start takes it for something half done.
    /// </summary>
    /// <exception cref="RefusalException">The content is damaged; no copy is left.</exception>
    public async Task<string> Copy(string name, long bytes, byte[] blockSums, CancellationToken cancel)
    {
        var copy = Guid.NewGuid().ToString("N");
        var temporary = Path.Combine(incoming, copy);
        Directory.CreateDirectory(Path.GetDirectoryName(PathOf(copy))!);
        try
        {
            using (var from = Open(name, bytes, blockSums))
            {
                await using var to = create(temporary);
                await from.Send(0, bytes, to, cancel);
            }
            File.Move(temporary, PathOf(copy));
        }
        catch
        {
            File.Delete(temporary);
            throw;
        }
        return copy;
    }

    /// <summary>Forces all copies made so far to the disk.</summary>
    public void Settle() => Durable.Everything(settled);

    /// <summary>Writes the bytes of settled content anew, from another content with the same ones.</summary>
    public async Task Mend(string damaged, string good, long bytes, byte[] blockSums, CancellationToken cancel)
    {
        var copy = await Copy(good, bytes, blockSums, cancel);
        Settle();
        File.Move(PathOf(copy), PathOf(damaged), overwrite: true);
        Durable.Folder(Path.GetDirectoryName(PathOf(damaged))!);
    }

    public CheckedContent Open(string name, long bytes, byte[] blockSums) => new(PathOf(name), bytes, blockSums);

    private string PathOf(string name) => Path.Combine(settled, name[..2], name);

    /// <summary>One block is received while the one before it is hashed (whole and by itself, on two cores) and written.</summary>
    private static async Task<WrittenContent> Receive(Stream body, Stream file, string name, CancellationToken cancel)
    {
        using var whole = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        using var sums = new MemoryStream();
        var total = 0L;
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var receivingToken = stop.Token;
        var blocks = Channel.CreateBounded<(byte[] Block, int Length)>(2);
        var receiving = Task.Run(
            async () =>
            {
                try
                {
                    while (true)
                    {
                        var block = ArrayPool<byte>.Shared.Rent(BlockBytes);
                        var length = await body.ReadAtLeastAsync(
                            block.AsMemory(0, BlockBytes),
                            BlockBytes,
                            throwOnEndOfStream: false,
                            receivingToken
                        );
                        if (length > 0)
                            await blocks.Writer.WriteAsync((block, length), receivingToken);
                        if (length < BlockBytes)
                            break;
                    }
                    blocks.Writer.Complete();
                }
                catch (Exception error)
                {
                    blocks.Writer.Complete(error);
                }
            },
            cancel
        );
        try
        {
            await foreach (var (block, length) in blocks.Reader.ReadAllAsync(cancel))
            {
                var sum = total == 0 && length < BlockBytes ? null : Task.Run(() => SHA256.HashData(block.AsSpan(0, length)), cancel);
                var writing = file.WriteAsync(block.AsMemory(0, length), cancel);
                whole.AppendData(block, 0, length);
                await writing;
                // A body of one block has one sum: its own.
                sums.Write(sum is null ? whole.GetCurrentHash() : await sum);
                total += length;
                ArrayPool<byte>.Shared.Return(block);
            }
            await receiving;
        }
        finally
        {
            await stop.CancelAsync();
        }
        return new WrittenContent(name, total, whole.GetHashAndReset(), sums.ToArray());
    }

    /// <summary>Content that is read block by block, each compared with its sum before a byte of it is handed out.</summary>
    internal sealed class CheckedContent : IDisposable
    {
        private readonly FileStream file;
        private readonly long bytes;
        private readonly byte[] sums;

        public CheckedContent(string path, long bytes, byte[] sums)
        {
            (this.bytes, this.sums) = (bytes, sums);
            try
            {
                file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read | FileShare.Delete, 0, FileOptions.Asynchronous);
            }
            catch (IOException)
            {
                throw Damaged();
            }
            if (file.Length == bytes)
                return;
            file.Dispose();
            throw Damaged();
        }

        /// <summary>Sends the bytes [from, to) to <paramref name="target"/>; the next blocks are read and checked while one is being
        /// sent.</summary>
        /// <exception cref="RefusalException">A block is not what was stored; nothing of it was sent.</exception>
        public async Task Send(long from, long to, Stream target, CancellationToken cancel)
        {
            if (to <= from)
                return;
            var (first, last) = (from / BlockBytes, (to - 1) / BlockBytes);
            var ahead = new Queue<Task<(byte[] Block, int Length)>>();
            var next = first;
            try
            {
                for (var at = first; at <= last; at++)
                {
                    while (next <= last && ahead.Count < 3)
                        ahead.Enqueue(Fetch(next++, cancel));
                    var (block, length) = await ahead.Dequeue();
                    var begin = (int)Math.Max(0, from - (at * BlockBytes));
                    var end = (int)Math.Min(length, to - (at * BlockBytes));
                    await target.WriteAsync(block.AsMemory(begin, end - begin), cancel);
                    ArrayPool<byte>.Shared.Return(block);
                }
            }
            finally
            {
                // Blocks under way still read from the file.
                await Task.WhenAll(ahead)
                    .ContinueWith(_ => { }, CancellationToken.None, TaskContinuationOptions.None, TaskScheduler.Default);
            }
        }

        private Task<(byte[] Block, int Length)> Fetch(long at, CancellationToken cancel) =>
            Task.Run(
                () =>
                {
                    cancel.ThrowIfCancellationRequested();
                    var length = (int)Math.Min(BlockBytes, bytes - (at * BlockBytes));
                    var block = ArrayPool<byte>.Shared.Rent(BlockBytes);
                    var got = 0;
                    while (got < length)
                    {
                        var n = RandomAccess.Read(file.SafeFileHandle, block.AsSpan(got, length - got), (at * BlockBytes) + got);
                        if (n == 0)
                            throw Damaged();
                        got += n;
                    }
                    Span<byte> sum = stackalloc byte[DigestBytes];
                    SHA256.HashData(block.AsSpan(0, length), sum);
                    return sum.SequenceEqual(sums.AsSpan((int)(at * DigestBytes), DigestBytes)) ? (block, length) : throw Damaged();
                },
                cancel
            );

        public void Dispose() => file.Dispose();

        private static RefusalException Damaged() =>
            new(
                RefusalKind.Damaged,
                "damaged-content",
                "What lies on the disk is not what was stored: its SHA-256 differs. Nothing of the damaged part was sent; restore the "
                    + "object from a copy."
            );
    }
}
