using System.Buffers.Binary;

namespace Ripen.Backup.Pools;

/// <summary>HMAC-SHA-256 of a chunk's content under the pool's chunk key: equal content has equal ids in one pool, and ids of two pools say
/// nothing of each other. Of a chunk that is stored apart, whatever equals it: random bytes.</summary>
public readonly record struct ChunkId(ulong A, ulong B, ulong C, ulong D)
{
    public const int Size = 32;

    public static ChunkId Read(ReadOnlySpan<byte> bytes) =>
        new(
            BinaryPrimitives.ReadUInt64LittleEndian(bytes),
            BinaryPrimitives.ReadUInt64LittleEndian(bytes[8..]),
            BinaryPrimitives.ReadUInt64LittleEndian(bytes[16..]),
            BinaryPrimitives.ReadUInt64LittleEndian(bytes[24..])
        );

    public void Write(Span<byte> bytes)
    {
        BinaryPrimitives.WriteUInt64LittleEndian(bytes, A);
        BinaryPrimitives.WriteUInt64LittleEndian(bytes[8..], B);
        BinaryPrimitives.WriteUInt64LittleEndian(bytes[16..], C);
        BinaryPrimitives.WriteUInt64LittleEndian(bytes[24..], D);
    }

    public override string ToString()
    {
        Span<byte> bytes = stackalloc byte[Size];
        Write(bytes);
        return Convert.ToHexStringLower(bytes);
    }

    /// <summary>Ids are as good as random.</summary>
    public override int GetHashCode() => A.GetHashCode();
}
