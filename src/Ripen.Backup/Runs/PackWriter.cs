using System.Buffers;
using System.Threading.Channels;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Runs;

/// <summary>How content is stored.</summary>
/// <param name="Apart">Whatever in the pool equals it.</param>
/// <param name="AsItIs">Not compressed, whatever the pool does.</param>
internal readonly record struct Storing(bool Apart, bool AsItIs);

/// <summary>
/// Puts new chunks into packs: compressed on several threads, sealed into one pack after the other, and one pack is put while the next is
/// filled. Memory is bounded by the two: who adds waits while too much is under way.
/// </summary>
internal sealed class PackWriter : IAsyncDisposable
{
    private const int ChunksUnderWay = 32;

    private readonly Pool pool;
    private readonly PoolIndex index;
    private readonly HashSet<ChunkId> begun = [];
    private readonly Channel<(PackedChunk Chunk, byte[] Rented)> chunks = Channel.CreateBounded<(PackedChunk, byte[])>(ChunksUnderWay);
    private readonly SemaphoreSlim packing = new(1);
    private readonly List<(string Key, IReadOnlyList<PackedChunk> Chunks)> written = [];
    private readonly CancellationTokenSource failed;
    private readonly Task[] workers;
    private Exception? failure;
    private PackBuilder pack;
    private Task<byte[]> put = Task.FromResult(new byte[PackBuilder.FirstSpace]);

    public PackWriter(Pool pool, PoolIndex index, CancellationToken cancel)
    {
        (this.pool, this.index) = (pool, index);
        pack = new PackBuilder(pool.Keys, pool.Description.PackBytes, new byte[PackBuilder.FirstSpace]);
        failed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        workers = [.. Enumerable.Range(0, Math.Max(1, Environment.ProcessorCount)).Select(_ => Task.Run(Work, CancellationToken.None))];
    }

    /// <summary>Content that the pool did not have.</summary>
    public long NewBytes { get; private set; }

    public long StoredBytes { get; private set; }

    /// <summary>Takes a chunk unless the pool has it; what is to lie apart in any case, under an id of its own.</summary>
    public ChunkId Add(ReadOnlySpan<byte> content, Storing how)
    {
        var apart = how.Apart || !pool.Description.Deduplicates;
        var id = apart ? ChunkId.Random() : pool.Keys.IdOf(content);
        if (!apart && (index.Has(id) || !begun.Add(id)))
            return id;
        NewBytes += content.Length;
        var rented = ArrayPool<byte>.Shared.Rent(content.Length);
        content.CopyTo(rented);
        var compress = pool.Description.Compresses && !how.AsItIs;
        var item = (new PackedChunk(id, 0, content.Length, compress, apart), rented);
        while (!chunks.Writer.TryWrite(item))
            Wait();
        return id;

        void Wait()
        {
            try
            {
                chunks.Writer.WaitToWriteAsync(failed.Token).AsTask().GetAwaiter().GetResult();
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
        chunks.Writer.TryComplete();
        try
        {
            await Task.WhenAll(workers);
            if (!pack.IsEmpty)
                await Close();
            await put;
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
            await foreach (var (chunk, rented) in chunks.Reader.ReadAllAsync(failed.Token))
            {
                await Pack(compressor, chunk, rented);
                ArrayPool<byte>.Shared.Return(rented);
            }
        }
        catch (Exception error)
        {
            await Fail(error);
            throw;
        }
    }

    private async Task Pack(ZstdSharp.Compressor compressor, PackedChunk chunk, byte[] content)
    {
        var bytes = chunk.RawBytes;
        var space = ArrayPool<byte>.Shared.Rent(ZstdSharp.Compressor.GetCompressBound(bytes));
        var size = chunk.IsCompressed ? compressor.Wrap(content.AsSpan(0, bytes), space) : bytes;
        // What hardly shrinks is stored as it is, and read the faster.
        var compressed = size < bytes - (bytes / 32);
        await packing.WaitAsync(failed.Token);
        try
        {
            pack.Add(chunk.Id, (compressed ? space : content).AsSpan(0, compressed ? size : bytes), bytes, compressed, chunk.IsApart);
            if (pack.Bytes >= pool.Description.PackBytes)
                await Close();
        }
        finally
        {
            packing.Release();
        }
        ArrayPool<byte>.Shared.Return(space);
    }

    /// <summary>Puts the pack that is full, and begins another in the space of the one before it, when that is put.</summary>
    private async Task Close()
    {
        var full = pack;
        var space = await put;
        pack = new PackBuilder(pool.Keys, pool.Description.PackBytes, space);
        put = Task.Run(() => Put(full));
    }

    /// <returns>Its space.</returns>
    private async Task<byte[]> Put(PackBuilder full)
    {
        try
        {
            var (key, inside, content) = full.Finish();
            await pool.Objects.Put(key, content, failed.Token);
            written.Add((key, inside));
            StoredBytes += content.Length;
            return full.Space;
        }
        catch (Exception error)
        {
            await Fail(error);
            throw;
        }
        finally
        {
            full.Dispose();
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
        chunks.Writer.TryComplete();
        await failed.CancelAsync();
        await Task.WhenAll(workers.Append(put)).ContinueWith(_ => { }, TaskScheduler.Default);
        pack.Dispose();
        packing.Dispose();
        failed.Dispose();
    }
}
