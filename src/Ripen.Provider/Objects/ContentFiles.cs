using System.Buffers;
using System.Security.Cryptography;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Objects;

/// <summary>What a start found: rests of something half done, which it removed, and files that no index knows, which it put
/// aside.</summary>
public sealed record FolderMending(int HalfWritten, int PutAside);

/// <summary>
/// Objects' content as files, apart from the index. A file is written under a temporary name, forced to the disk and renamed before the
/// index may speak of it. When the program starts, a file with a temporary name is a rest of something half done and goes; any other that
/// the index does not know is put into quarantine, with a line in a list, and stays there until an index that knows it is put back. What is
/// written is encrypted; the file is as long as the content.
/// </summary>
internal sealed class ContentFiles
{
    /// <summary>Every block is encrypted and checked by itself, so that a part can be read without the rest.</summary>
    public const int BlockBytes = 1 << 20;

    private const int DigestBytes = SHA256.HashSizeInBytes;

    private readonly string incoming;
    private readonly string settled;
    private readonly string quarantine;
    private readonly KeyChest chest;
    private readonly Func<string, Stream> create;

    /// <param name="folder">Where files lie.</param>
    /// <param name="chest">Where the secrets lie.</param>
    /// <param name="create">Makes a file to write to; tests put one here that fails.</param>
    public ContentFiles(string folder, KeyChest chest, Func<string, Stream>? create = null)
    {
        this.chest = chest;
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
    /// <param name="body">Read to its end.</param>
    /// <param name="key">What wraps the content's own key.</param>
    /// <param name="sumOfBlocks">Which <see cref="ContentSum"/> it gets.</param>
    /// <param name="cancel">Leaves nothing.</param>
    /// <exception cref="IOException">The disk or the sender failed; nothing is left.</exception>
    /// <exception cref="RefusalException">The key is not at hand; nothing was taken.</exception>
    public async Task<WrittenContent> Write(Stream body, SealingKey key, bool sumOfBlocks, CancellationToken cancel)
    {
        var secret = chest.Secret(key);
        var name = Guid.NewGuid().ToString("N");
        var temporary = Path.Combine(incoming, name);
        try
        {
            WrittenContent written;
            await using (var file = create(temporary))
            {
                var dataKey = DataKey.New();
                var (bytes, sum, sums) = await Receive(body, file, dataKey, sumOfBlocks, cancel);
                written = new WrittenContent(name, bytes, sum, sums, dataKey.Wrap(secret, name), key.Id);
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
    /// A copy of settled content under a name and a data key of its own, every block checked on the way. It is on the disk for good after
    /// <see cref="Settle"/>; until the index speaks of it, a start takes it for something half done.
    /// </summary>
    /// <exception cref="RefusalException">The content is damaged, or a key is not at hand; no copy is left.</exception>
    public async Task<WrittenContent> Copy(StoredContent content, ContentSum sum, SealingKey key, CancellationToken cancel)
    {
        var secret = chest.Secret(key);
        var (name, dataKey) = (Guid.NewGuid().ToString("N"), DataKey.New());
        var sums = await Rewrite(content, name, dataKey, cancel);
        return new WrittenContent(name, content.Bytes, sum, sums, dataKey.Wrap(secret, name), key.Id);
    }

    /// <summary>Forces all copies made so far to the disk.</summary>
    public void Settle() => Durable.Everything(settled);

    /// <summary>Writes the bytes of settled content anew, from another content with the same ones.</summary>
    /// <exception cref="RefusalException">The other one is damaged too or has other bytes, or a key is not at hand; nothing was
    /// changed.</exception>
    public async Task Mend(StoredContent damaged, StoredContent good, CancellationToken cancel)
    {
        var copy = Guid.NewGuid().ToString("N");
        var sums = await Rewrite(good, copy, KeyOf(damaged), cancel);
        if (!sums.AsSpan().SequenceEqual(damaged.Sums))
        {
            File.Delete(PathOf(copy));
            throw new RefusalException(RefusalKind.Damaged, "damaged-content", "The other side holds other bytes; write the object anew.");
        }
        Settle();
        File.Move(PathOf(copy), PathOf(damaged.Name), overwrite: true);
        Durable.Folder(Path.GetDirectoryName(PathOf(damaged.Name))!);
    }

    /// <exception cref="RefusalException">The file is not there or cut short, or its key is not at hand.</exception>
    public CheckedContent Open(StoredContent content) => new(PathOf(content.Name), content, KeyOf(content));

    private DataKey? KeyOf(StoredContent content) =>
        content.Key is { } key ? DataKey.Unwrap(content.Wrapped, chest.Secret(key), content.Name) : null;

    /// <returns>The blocks' sums.</returns>
    private async Task<byte[]> Rewrite(StoredContent content, string name, DataKey? dataKey, CancellationToken cancel)
    {
        var temporary = Path.Combine(incoming, name);
        Directory.CreateDirectory(Path.GetDirectoryName(PathOf(name))!);
        try
        {
            byte[] sums;
            using (var from = Open(content))
            {
                await using var to = create(temporary);
                sums = await from.CopyTo(to, dataKey, cancel);
            }
            File.Move(temporary, PathOf(name));
            return sums;
        }
        catch
        {
            File.Delete(temporary);
            throw;
        }
    }

    private string PathOf(string name) => Path.Combine(settled, name[..2], name);

    /// <summary>Blocks come while those before them are hashed, and encrypted and written beside.</summary>
    private static async Task<(long Bytes, ContentSum Sum, byte[] Sums)> Receive(
        Stream body,
        Stream file,
        DataKey dataKey,
        bool sumOfBlocks,
        CancellationToken cancel
    )
    {
        using var hash = new ContentHash(sumOfBlocks);
        using var sums = new MemoryStream();
        var total = 0L;
        await foreach (var blocks in BodyBlocks.Of(body, hash.AtOnce, cancel))
        {
            var first = total / BlockBytes;
            var writing = Task.Run(() => PutBlocks(file, dataKey, first, blocks, cancel), cancel);
            hash.Add(blocks);
            sums.Write(await writing);
            total += blocks.Sum(b => (long)b.Length);
        }
        return (total, hash.Finish(), sums.ToArray());
    }

    /// <returns>The blocks' sums.</returns>
    private static async Task<byte[]> PutBlocks(
        Stream file,
        DataKey dataKey,
        long first,
        IReadOnlyList<ReadOnlyMemory<byte>> blocks,
        CancellationToken cancel
    )
    {
        using var sums = new MemoryStream();
        for (var i = 0; i < blocks.Count; i++)
            sums.Write(await PutBlock(file, dataKey, first + i, blocks[i], cancel));
        return sums.ToArray();
    }

    /// <returns>The block's sum.</returns>
    private static async Task<byte[]> PutBlock(
        Stream file,
        DataKey? dataKey,
        long number,
        ReadOnlyMemory<byte> block,
        CancellationToken cancel
    )
    {
        if (dataKey is null)
        {
            await file.WriteAsync(block, cancel);
            return SHA256.HashData(block.Span);
        }
        var (cipher, tag) = (ArrayPool<byte>.Shared.Rent(block.Length), new byte[DataKey.TagBytes]);
        dataKey.Encrypt(number, block.Span, cipher.AsSpan(0, block.Length), tag);
        await file.WriteAsync(cipher.AsMemory(0, block.Length), cancel);
        ArrayPool<byte>.Shared.Return(cipher);
        return tag;
    }

    /// <summary>Content that is read block by block, each checked before a byte of it is handed out.</summary>
    internal sealed class CheckedContent : IDisposable
    {
        private readonly FileStream file;
        private readonly StoredContent content;
        private readonly DataKey? dataKey;

        public CheckedContent(string path, StoredContent content, DataKey? dataKey)
        {
            (this.content, this.dataKey) = (content, dataKey);
            try
            {
                file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read | FileShare.Delete, 0, FileOptions.Asynchronous);
            }
            catch (IOException)
            {
                throw Damaged();
            }
            if (file.Length == content.Bytes)
                return;
            file.Dispose();
            throw Damaged();
        }

        /// <summary>Sends the bytes [from, to) to <paramref name="target"/>.</summary>
        /// <exception cref="RefusalException">A block is not what was stored; nothing of it was sent.</exception>
        public Task Send(long from, long to, Stream target, CancellationToken cancel) =>
            Blocks(
                from,
                to,
                async (at, block) =>
                {
                    var begin = (int)Math.Max(0, from - (at * BlockBytes));
                    var end = (int)Math.Min(block.Length, to - (at * BlockBytes));
                    await target.WriteAsync(block[begin..end], cancel);
                },
                cancel
            );

        /// <summary>Writes all of it to a file, under another data key or none; returns the blocks' sums.</summary>
        /// <exception cref="RefusalException">A block is not what was stored.</exception>
        public async Task<byte[]> CopyTo(Stream target, DataKey? other, CancellationToken cancel)
        {
            using var sums = new MemoryStream();
            await Blocks(0, content.Bytes, async (at, block) => sums.Write(await PutBlock(target, other, at, block, cancel)), cancel);
            return sums.ToArray();
        }

        /// <summary>The next blocks are read and checked while one is being used.</summary>
        private async Task Blocks(long from, long to, Func<long, ReadOnlyMemory<byte>, Task> use, CancellationToken cancel)
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
                    await use(at, block.AsMemory(0, length));
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
                    var length = (int)Math.Min(BlockBytes, content.Bytes - (at * BlockBytes));
                    var block = ArrayPool<byte>.Shared.Rent(BlockBytes);
                    var got = 0;
                    while (got < length)
                    {
                        var n = RandomAccess.Read(file.SafeFileHandle, block.AsSpan(got, length - got), (at * BlockBytes) + got);
                        if (n == 0)
                            throw Damaged();
                        got += n;
                    }
                    return IsWhole(at, block.AsSpan(0, length)) ? (block, length) : throw Damaged();
                },
                cancel
            );

        private bool IsWhole(long at, Span<byte> block)
        {
            if (dataKey is not null)
                return dataKey.TryDecrypt(at, block, content.Sums.AsSpan((int)(at * DataKey.TagBytes), DataKey.TagBytes));
            Span<byte> sum = stackalloc byte[DigestBytes];
            SHA256.HashData(block, sum);
            return sum.SequenceEqual(content.Sums.AsSpan((int)(at * DigestBytes), DigestBytes));
        }

        public void Dispose() => file.Dispose();

        private static RefusalException Damaged() =>
            new(
                RefusalKind.Damaged,
                "damaged-content",
                "What lies on the disk is not what was stored. Nothing of the damaged part was sent; restore the object from a copy."
            );
    }
}
