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
