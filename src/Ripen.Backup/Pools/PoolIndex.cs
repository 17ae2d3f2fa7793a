using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;

namespace Ripen.Backup.Pools;

/// <summary>Where a chunk lies.</summary>
/// <param name="Pack">Which of the index's packs.</param>
/// <param name="Part">Its number in the pack.</param>
/// <param name="Offset">Of its first sealed byte.</param>
/// <param name="SealedBytes">The tag included.</param>
/// <param name="RawBytes">Of the content.</param>
/// <param name="IsCompressed">By zstd.</param>
/// <param name="IsApart">Whether its id is random, and not its content's.</param>
internal readonly record struct ChunkPlace(int Pack, int Part, int Offset, int SealedBytes, int RawBytes, bool IsCompressed, bool IsApart);

/// <summary>All chunks of a pool by id, about a hundred bytes of memory each.</summary>
internal sealed class PoolIndex
{
    public const string Folder = "index/";

    private readonly Dictionary<ChunkId, ChunkPlace> places = [];
    private readonly List<string> packs = [];
    private readonly List<long> bytes = [];
    private readonly HashSet<string> doomed = [];

    public string KeyOf(ChunkPlace place) => packs[place.Pack];

    /// <summary>All chunks as they lie, so that every pack is read once.</summary>
    public IEnumerable<(ChunkId Id, ChunkPlace Place)> InOrder() =>
        places.Select(p => (p.Key, p.Value)).OrderBy(p => p.Value.Pack).ThenBy(p => p.Value.Part);

    public IReadOnlyList<string> PackKeys => packs;

    /// <summary>Of all the chunks of a pack, sealed.</summary>
    public long BytesOf(int pack) => bytes[pack];

    public bool IsDoomed(string pack) => doomed.Contains(pack);

    /// <summary>Whether a run may rely on it: a chunk of a doomed pack is stored again.</summary>
    public bool Has(ChunkId id) => places.TryGetValue(id, out var place) && !doomed.Contains(packs[place.Pack]);

    /// <summary>A chunk that is not there is damage that its reader tells of.</summary>
    public bool TryFind(ChunkId id, out ChunkPlace place) => places.TryGetValue(id, out place);

    public ChunkPlace Find(ChunkId id) => places.TryGetValue(id, out var place) ? place : throw Damage.NoChunk(id);

    /// <param name="pack">Its key.</param>
    /// <param name="chunks">As they lie in it.</param>
    /// <param name="isDoomed">To be removed: what lies elsewhere, too, is read there.</param>
    public void Add(string pack, IReadOnlyList<PackedChunk> chunks, bool isDoomed = false)
    {
        var number = packs.Count;
        packs.Add(pack);
        bytes.Add(chunks.Sum(c => (long)c.SealedBytes));
        if (isDoomed)
            doomed.Add(pack);
        var offset = Packs.Head.Length;
        for (var i = 0; i < chunks.Count; i++)
        {
            var c = chunks[i];
            var place = new ChunkPlace(number, i, offset, c.SealedBytes, c.RawBytes, c.IsCompressed, c.IsApart);
            if (!places.TryAdd(c.Id, place) && !isDoomed && doomed.Contains(packs[places[c.Id].Pack]))
                places[c.Id] = place;
            offset += c.SealedBytes;
        }
    }

    public static string NewKey() => $"{Folder}{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16))}";

    /// <summary>For each pack the length of its key, the key, the length of its list, the list.</summary>
    public static byte[] Write(IReadOnlyList<(string Key, IReadOnlyList<PackedChunk> Chunks)> packs)
    {
        using var bytes = new MemoryStream();
        Span<byte> length = stackalloc byte[sizeof(uint)];
        foreach (var (key, chunks) in packs)
        {
            foreach (var part in new[] { Encoding.ASCII.GetBytes(key), Packs.WriteDirectory(chunks) })
            {
                BinaryPrimitives.WriteUInt32LittleEndian(length, (uint)part.Length);
                bytes.Write(length);
                bytes.Write(part);
            }
        }
        return bytes.ToArray();
    }

    public static IEnumerable<(string Key, IReadOnlyList<PackedChunk> Chunks)> Read(byte[] bytes, string name)
    {
        for (var at = 0; at < bytes.Length; )
        {
            var key = Encoding.ASCII.GetString(Part(bytes, ref at, name));
            yield return (key, Packs.ReadDirectory(Part(bytes, ref at, name), key));
        }
    }

    private static ReadOnlySpan<byte> Part(byte[] bytes, ref int at, string name)
    {
        if (bytes.Length - at < sizeof(uint))
            throw Damage.Short(name);
        var length = BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(at));
        at += sizeof(uint);
        if (length > bytes.Length - at)
            throw Damage.Short(name);
        var part = bytes.AsSpan(at, (int)length);
        at += (int)length;
        return part;
    }
}
