using System.Buffers;
using System.Security.Cryptography;
using System.Threading.Channels;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Runs;

/// <summary>How content is stored.</summary>
/// <param name="Apart">Whatever in the pool equals it.</param>
/// <param name="AsItIs">Not compressed, whatever the pool does.</param>
/// <param name="IsList">Of entries, and no content of files.</param>
internal readonly record struct Storing(bool Apart, bool AsItIs, bool IsList = false);

/// <summary>
/// Puts new chunks into packs: compressed on several threads, and sealed into one pack after the other, of which two come to their end while
/// the next is filled. Memory is bounded, whatever packs' size: who adds waits while too much is under way.
/// </summary>
internal sealed class PackWriter : IAsyncDisposable
{
    private const int ChunksUnderWay = 32;

    private readonly Pool pool;
    private readonly PoolIndex index;
    private readonly HashSet<ChunkId> begun = [];
    private readonly Channel<(PackedChunk Chunk, byte[] Rented, bool IsList)> toPack = Channel.CreateBounded<(PackedChunk, byte[], bool)>(
        ChunksUnderWay
    );
    private readonly SemaphoreSlim packing = new(1);
    private readonly List<(string Key, IReadOnlyList<PackedChunk> Chunks)> written = [];
    private readonly CancellationTokenSource failed;
    private readonly Task[] workers;
    private Exception? failure;
    private readonly Filling content;
    private readonly Filling lists;

    public PackWriter(Pool pool, PoolIndex index, CancellationToken cancel)
    {
        (this.pool, this.index) = (pool, index);
        (content, lists) = (new Filling(this, Packs.Folder), new Filling(this, pool.Description.ListFolder));
        failed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        workers = [.. Enumerable.Range(0, Math.Max(1, Environment.ProcessorCount)).Select(_ => Task.Run(Work, CancellationToken.None))];
    }

    /// <summary>Content that the pool did not have.</summary>
    public long NewBytes { get; private set; }

    public long StoredBytes { get; private set; }

    /// <summary>Takes chunks that the pool does not have; what is to lie apart in any case, under ids of its own.</summary>
    /// <param name="chunks">One behind the other.</param>
    /// <param name="lengths">Of each.</param>
    /// <param name="how">How they are stored.</param>
    /// <returns>The id of each, one behind the other.</returns>
    public byte[] Add(ReadOnlySpan<byte> chunks, ReadOnlySpan<int> lengths, Storing how)
    {
        var apart = how.Apart || !pool.Description.Deduplicates;
        var ids = new byte[lengths.Length * ChunkId.Size];
        if (apart)
            RandomNumberGenerator.Fill(ids);
        else
            pool.Keys.WriteIds(chunks, lengths, ids);
        for (var i = 0; i < lengths.Length; i++)
        {
            Add(chunks[..lengths[i]], ChunkId.Read(ids.AsSpan(i * ChunkId.Size)), apart, how);
            chunks = chunks[lengths[i]..];
        }
        return ids;
    }

    private void Add(ReadOnlySpan<byte> content, ChunkId id, bool apart, Storing how)
    {
        if (!apart && (index.Has(id) || !begun.Add(id)))
            return;
        NewBytes += content.Length;
        var rented = ArrayPool<byte>.Shared.Rent(content.Length);
        content.CopyTo(rented);
        var compress = pool.Description.Compresses && !how.AsItIs;
        var item = (new PackedChunk(id, 0, content.Length, compress, apart), rented, how.IsList);
        while (!toPack.Writer.TryWrite(item))
            Wait();

        void Wait()
        {
            try
            {
                toPack.Writer.WaitToWriteAsync(failed.Token).AsTask().GetAwaiter().GetResult();
            }
            catch (OperationCanceledException) when (failure is not null)
            {
                throw failure;
            }
        }
    }

    /// <summary>Everything that was added is in the pool, and its index tells of it, on return.</summary>
    public async Task Finish(CancellationToken cancel)
    {
        toPack.Writer.TryComplete();
        try
        {
            await Task.WhenAll(workers);
            await content.Finish();
            await lists.Finish();
        }
        catch (OperationCanceledException) when (failure is not null)
        {
            throw failure;
        }
        await pool.WriteIndex(written, cancel);
        foreach (var (key, inside) in written)
            index.Add(key, inside);
    }

    private async Task Work()
    {
        using var compressor = new ZstdSharp.Compressor(Zstd.Level);
        try
        {
            await foreach (var (chunk, rented, isList) in toPack.Reader.ReadAllAsync(failed.Token))
            {
                await Pack(compressor, chunk, rented, isList ? lists : content);
                ArrayPool<byte>.Shared.Return(rented);
            }
        }
        catch (Exception error)
        {
            await Fail(error);
            throw;
        }
    }

    private async Task Pack(ZstdSharp.Compressor compressor, PackedChunk chunk, byte[] bytesOf, Filling into)
    {
        var bytes = chunk.RawBytes;
        var content = bytesOf.AsSpan(0, bytes);
        var space = ArrayPool<byte>.Shared.Rent(ZstdSharp.Compressor.GetCompressBound(bytes));
        var size = chunk.IsCompressed && Zstd.MayShrink(content) ? compressor.Wrap(content, space) : bytes;
        // What hardly shrinks is stored as it is, and read the faster.
        var compressed = size < bytes - (bytes / 32);
        await packing.WaitAsync(failed.Token);
        try
        {
            await into.Add(chunk, (compressed ? space : bytesOf).AsMemory(0, compressed ? size : bytes), compressed);
        }
        finally
        {
            packing.Release();
        }
        ArrayPool<byte>.Shared.Return(space);
    }

    private async Task Close(OpenPack full)
    {
        try
        {
            await full.Close();
            lock (written)
            {
                written.Add((full.Key, full.Chunks));
                StoredBytes += full.Bytes;
            }
        }
        catch (Exception error)
        {
            await Fail(error);
            throw;
        }
        finally
        {
            await full.DisposeAsync();
        }
    }

    /// <summary>Ends everything; the first that went wrong is what is told, not that the rest was ended by it.</summary>
    private Task Fail(Exception error)
    {
        if (error is not OperationCanceledException)
            Interlocked.CompareExchange(ref failure, error, null);
        return failed.CancelAsync();
    }

    public async ValueTask DisposeAsync()
    {
        toPack.Writer.TryComplete();
        await failed.CancelAsync();
        await Task.WhenAll(workers).ContinueWith(_ => { }, TaskScheduler.Default);
        await content.DisposeAsync();
        await lists.DisposeAsync();
        packing.Dispose();
        failed.Dispose();
    }

    /// <summary>Packs of one kind, one after the other: two come to their end while the next is filled, so that one is forced to the disk while
    /// the other is hashed.</summary>
    private sealed class Filling(PackWriter writer, string folder) : IAsyncDisposable
    {
        private const int ClosingAtOnce = 2;

        private readonly Queue<Task> closing = new(ClosingAtOnce);
        private OpenPack? pack;

        public async Task Add(PackedChunk chunk, ReadOnlyMemory<byte> payload, bool compressed)
        {
            pack ??= new OpenPack(writer.pool, folder, writer.failed.Token);
            await pack.Add(chunk.Id, payload.Span, chunk.RawBytes, compressed, chunk.IsApart);
            if (pack.Bytes >= writer.pool.Description.PackBytes)
                await Close();
        }

        public async Task Finish()
        {
            if (pack is not null)
                await Close();
            await Task.WhenAll(closing);
        }

        public async ValueTask DisposeAsync()
        {
            await Task.WhenAll(closing).ContinueWith(_ => { }, TaskScheduler.Default);
            if (pack is not null)
                await pack.DisposeAsync();
        }

        private async Task Close()
        {
            if (closing.Count == ClosingAtOnce)
                await closing.Dequeue();
            var full = pack!;
            pack = null;
            closing.Enqueue(Task.Run(() => writer.Close(full)));
        }
    }
}
