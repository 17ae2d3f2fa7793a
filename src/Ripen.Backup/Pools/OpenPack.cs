using System.Buffers.Binary;
using System.IO.Pipelines;

namespace Ripen.Backup.Pools;

/// <summary>A pack that is being filled: what is added is sealed and on its way to the pool's place at once, so that memory holds a few chunks
/// of it, however large packs are. It is there when it is closed, or not at all.</summary>
internal sealed class OpenPack : IAsyncDisposable
{
    /// <summary>Sealed and not yet taken by the place: who adds waits beyond.</summary>
    private const int MostWaiting = 1 << 22;

    /// <summary>A pack's last chunk and its list go beyond its size.</summary>
    private const int Rest = 1 << 23;

    private readonly List<PackedChunk> chunks = [];
    private readonly PoolKeys.ObjectSeal seal;
    private readonly Pipe pipe = new(new PipeOptions(pauseWriterThreshold: MostWaiting, useSynchronizationContext: false));
    private readonly CancellationToken cancel;
    private readonly Task put;

    /// <param name="pool">Where it will lie.</param>
    /// <param name="folder">Of packs of content, or of lists.</param>
    /// <param name="cancel">Leaves nothing of it.</param>
    public OpenPack(Pool pool, string folder, CancellationToken cancel)
    {
        this.cancel = cancel;
        Key = Packs.NewKey(folder);
        seal = pool.Keys.Of(Key);
        Packs.Head.CopyTo(Next(Packs.Head.Length));
        put = Task.Run(() => Put(pool), CancellationToken.None);
    }

    public string Key { get; }

    public int Bytes { get; private set; }

    public IReadOnlyList<PackedChunk> Chunks => chunks;

    /// <exception cref="RefusalException">The place takes nothing.</exception>
    public ValueTask Add(ChunkId id, ReadOnlySpan<byte> payload, int rawBytes, bool isCompressed, bool isApart)
    {
        Span<byte> about = stackalloc byte[ChunkId.Size];
        id.Write(about);
        seal.Seal((ulong)chunks.Count, payload, about, Next(payload.Length + PoolKeys.TagSize));
        chunks.Add(new PackedChunk(id, payload.Length + PoolKeys.TagSize, rawBytes, isCompressed, isApart));
        return HandOn();
    }

    /// <summary>Nothing is added any more; it is whole and durable on return.</summary>
    /// <exception cref="RefusalException">The place takes nothing.</exception>
    public async Task Close()
    {
        var list = Packs.WriteDirectory(chunks);
        seal.Seal(Packs.DirectoryPart, list, Packs.Head, Next(list.Length + PoolKeys.TagSize));
        var trailer = Next(Packs.TrailerSize);
        BinaryPrimitives.WriteUInt32LittleEndian(trailer, (uint)(list.Length + PoolKeys.TagSize));
        Packs.End.CopyTo(trailer[sizeof(uint)..]);
        await HandOn();
        await pipe.Writer.CompleteAsync();
        await put;
    }

    public async ValueTask DisposeAsync()
    {
        await pipe.Writer.CompleteAsync(new OperationCanceledException());
        await put.ContinueWith(_ => { }, TaskScheduler.Default);
        seal.Dispose();
    }

    private async Task Put(Pool pool)
    {
        try
        {
            await pool.Objects.Put(Key, pipe.Reader.AsStream(leaveOpen: true), pool.Description.PackBytes + Rest, cancel);
            await pipe.Reader.CompleteAsync();
        }
        catch (Exception failed)
        {
            await pipe.Reader.CompleteAsync(failed);
            throw;
        }
    }

    private async ValueTask HandOn()
    {
        if ((await pipe.Writer.FlushAsync(cancel)).IsCompleted)
            await put;
    }

    private Span<byte> Next(int length)
    {
        var next = pipe.Writer.GetSpan(length)[..length];
        pipe.Writer.Advance(length);
        Bytes += length;
        return next;
    }
}
