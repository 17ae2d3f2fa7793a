using System.Buffers.Binary;
using System.Security.Cryptography;
using Ripen.Core.Backups;

namespace Ripen.Backup.Pools;

/// <summary>A chunk as it lies in a pack.</summary>
/// <param name="Id">Of its content.</param>
/// <param name="SealedBytes">In the pack, the tag included.</param>
/// <param name="RawBytes">Of the content.</param>
/// <param name="IsCompressed">By zstd.</param>
/// <param name="IsApart">Whether its id is random, and not its content's: it is stored for one point, whatever equals it.</param>
public readonly record struct PackedChunk(ChunkId Id, int SealedBytes, int RawBytes, bool IsCompressed, bool IsApart);

/// <summary>
/// Packs: the sealed chunks one after the other, behind them the sealed list of them, its length and a mark. See docs/backup-format.md.
/// </summary>
internal static class Packs
{
    /// <summary>Of packs of content.</summary>
    public const string Folder = BackupTarget.PackFolder;

    /// <summary>Of packs of points' lists of entries: whoever looks into points needs no others, so that content may rest where reading takes
    /// a wait.</summary>
    public const string ListFolder = "lists/";
    public const ulong DirectoryPart = ulong.MaxValue;
    public const int TrailerSize = sizeof(uint) + 12;
    public const int DirectoryEntrySize = ChunkId.Size + sizeof(uint) + sizeof(uint) + 1;

    private const byte Compressed = 1;
    private const byte Apart = 2;

    public static ReadOnlySpan<byte> Head => "RIPEN-PACK-1"u8;

    public static ReadOnlySpan<byte> End => "RIPEN-END--1"u8;

    /// <summary>Two digits of the random name are a folder, so that none grows too large.</summary>
    public static string NewKey(string folder)
    {
        var name = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
        return $"{folder}{name[..2]}/{name}";
    }

    /// <summary>Packs of either kind.</summary>
    public static async Task<IReadOnlyList<PoolObject>> In(IPoolObjects objects, CancellationToken cancel) =>
        [.. await objects.List(Folder, cancel), .. await objects.List(ListFolder, cancel)];

    public static bool IsPack(string key) =>
        key.StartsWith(Folder, StringComparison.Ordinal) || key.StartsWith(ListFolder, StringComparison.Ordinal);

    public static string FolderOf(string key) => key.StartsWith(ListFolder, StringComparison.Ordinal) ? ListFolder : Folder;

    public static byte[] WriteDirectory(IReadOnlyList<PackedChunk> chunks)
    {
        var bytes = new byte[chunks.Count * DirectoryEntrySize];
        for (var i = 0; i < chunks.Count; i++)
        {
            var entry = bytes.AsSpan(i * DirectoryEntrySize);
            chunks[i].Id.Write(entry);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[32..], (uint)chunks[i].SealedBytes);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[36..], (uint)chunks[i].RawBytes);
            entry[40] = (byte)((chunks[i].IsCompressed ? Compressed : 0) | (chunks[i].IsApart ? Apart : 0));
        }
        return bytes;
    }

    public static IReadOnlyList<PackedChunk> ReadDirectory(ReadOnlySpan<byte> bytes, string key)
    {
        if (bytes.Length % DirectoryEntrySize != 0)
            throw Damage.Of(key, "has no whole list of chunks");
        var chunks = new PackedChunk[bytes.Length / DirectoryEntrySize];
        for (var i = 0; i < chunks.Length; i++)
        {
            var entry = bytes[(i * DirectoryEntrySize)..];
            var (sealedBytes, raw) = (
                BinaryPrimitives.ReadUInt32LittleEndian(entry[32..]),
                BinaryPrimitives.ReadUInt32LittleEndian(entry[36..])
            );
            if (sealedBytes is < PoolKeys.TagSize or > int.MaxValue || raw > int.MaxValue || entry[40] > (Compressed | Apart))
                throw Damage.Of(key, "has no whole list of chunks");
            chunks[i] = new PackedChunk(
                ChunkId.Read(entry),
                (int)sealedBytes,
                (int)raw,
                (entry[40] & Compressed) != 0,
                (entry[40] & Apart) != 0
            );
        }
        return chunks;
    }

    /// <summary>The list of a pack that no index tells of: of a run that did not come to its end.</summary>
    public static async Task<IReadOnlyList<PackedChunk>> ReadList(
        IPoolObjects objects,
        PoolKeys keys,
        PoolObject pack,
        CancellationToken cancel
    )
    {
        var trailer = await objects.Read(pack.Key, -TrailerSize, TrailerSize, cancel);
        if (trailer.Length < TrailerSize || !trailer.AsSpan(sizeof(uint)).SequenceEqual(End))
            throw Damage.Short(pack.Key);
        var length = BinaryPrimitives.ReadUInt32LittleEndian(trailer);
        if (length > pack.Bytes - TrailerSize)
            throw Damage.Short(pack.Key);
        var sealedList = await objects.Read(pack.Key, pack.Bytes - TrailerSize - length, (int)length, cancel);
        using var seal = keys.Of(pack.Key);
        return ReadDirectory(seal.Open(DirectoryPart, sealedList, Head), pack.Key);
    }
}

/// <summary>A pack that is being filled, in memory.</summary>
/// <param name="keys">Of its pool.</param>
/// <param name="packBytes">It is put when it has so many.</param>
/// <param name="space">Where; taken over, and exchanged for more where it does not do.</param>
/// <param name="folder">Of packs of content, or of lists.</param>
internal sealed class PackBuilder(PoolKeys keys, int packBytes, byte[] space, string folder) : IDisposable
{
    /// <summary>What a first pack begins with: most runs store little.</summary>
    public const int FirstSpace = 1 << 16;

    /// <summary>Doubling goes so far; most packs that are no whole ones are smaller.</summary>
    private const int Doubled = 1 << 22;

    /// <summary>For the last chunk of a pack and its list.</summary>
    private const int Rest = 1 << 21;

    private readonly List<PackedChunk> chunks = [];
    private readonly string key = Packs.NewKey(folder);
    private byte[] bytes = space;
    private PoolKeys.ObjectSeal? seal;

    public int Bytes { get; private set; }

    public bool IsEmpty => chunks.Count == 0;

    /// <summary>For another pack, once this one is disposed of.</summary>
    public byte[] Space => bytes;

    public void Add(ChunkId id, ReadOnlySpan<byte> payload, int rawBytes, bool isCompressed, bool isApart)
    {
        seal ??= keys.Of(key);
        if (Bytes == 0)
            Packs.Head.CopyTo(Next(Packs.Head.Length));
        Span<byte> about = stackalloc byte[ChunkId.Size];
        id.Write(about);
        seal.Seal((ulong)chunks.Count, payload, about, Next(payload.Length + PoolKeys.TagSize));
        chunks.Add(new PackedChunk(id, payload.Length + PoolKeys.TagSize, rawBytes, isCompressed, isApart));
    }

    /// <summary>Of a pack that is not empty.</summary>
    public (string Key, IReadOnlyList<PackedChunk> Chunks, ReadOnlyMemory<byte> Content) Finish()
    {
        var list = Packs.WriteDirectory(chunks);
        seal!.Seal(Packs.DirectoryPart, list, Packs.Head, Next(list.Length + PoolKeys.TagSize));
        var trailer = Next(Packs.TrailerSize);
        BinaryPrimitives.WriteUInt32LittleEndian(trailer, (uint)(list.Length + PoolKeys.TagSize));
        Packs.End.CopyTo(trailer[sizeof(uint)..]);
        return (key, chunks, bytes.AsMemory(0, Bytes));
    }

    public void Dispose() => seal?.Dispose();

    private Span<byte> Next(int length)
    {
        if (Bytes + length > bytes.Length)
            Grow(Bytes + length);
        var next = bytes.AsSpan(Bytes, length);
        Bytes += length;
        return next;
    }

    /// <summary>From some size on at once to what a whole pack takes: doubling would leave as much again behind.</summary>
    private void Grow(int least)
    {
        var more = GC.AllocateUninitializedArray<byte>(Math.Max(least, bytes.Length < Doubled ? 2 * bytes.Length : packBytes + Rest));
        bytes.AsSpan(0, Bytes).CopyTo(more);
        bytes = more;
    }
}
