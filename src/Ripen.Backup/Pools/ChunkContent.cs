using System.Buffers;

namespace Ripen.Backup.Pools;

/// <summary>A chunk's content in memory that is lent: it is used again for others once it is disposed of. Chunks are large, and many: fresh memory
/// for each keeps the collector busier than all the rest.</summary>
internal readonly struct ChunkContent(byte[] rented, int length) : IDisposable
{
    public ReadOnlyMemory<byte> Memory => rented.AsMemory(0, length);

    public static ChunkContent OfLength(int length) => new(ArrayPool<byte>.Shared.Rent(length), length);

    public Span<byte> Span => rented.AsSpan(0, length);

    public void Dispose() => ArrayPool<byte>.Shared.Return(rented);
}
