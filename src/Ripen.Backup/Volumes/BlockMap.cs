using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>Which checkpoint wrote each block of a volume; 0 for a block of zeros, which is not stored.</summary>
internal sealed class BlockMap
{
    private const int LeafSize = 1 << 14;

    private readonly long[]?[] leaves;

    public BlockMap(long blocks)
    {
        Blocks = blocks;
        leaves = new long[]?[(blocks + LeafSize - 1) / LeafSize];
    }

    private BlockMap(BlockMap other)
    {
        Blocks = other.Blocks;
        leaves = [.. other.leaves.Select(l => (long[]?)l?.Clone())];
    }

    public long Blocks { get; }

    public long this[long block]
    {
        get => leaves[block / LeafSize]?[block % LeafSize] ?? 0;
        set
        {
            ref var leaf = ref leaves[block / LeafSize];
            if (leaf is null && value == 0)
                return;
            leaf ??= new long[LeafSize];
            leaf[block % LeafSize] = value;
        }
    }

    public BlockMap Copy() => new(this);

    /// <summary>All that are stored, by block.</summary>
    public IEnumerable<(long Block, long Checkpoint)> Stored()
    {
        for (var l = 0; l < leaves.Length; l++)
        {
            if (leaves[l] is not { } leaf)
                continue;
            for (var i = 0; i < LeafSize; i++)
            {
                if (leaf[i] != 0)
                    yield return (((long)l * LeafSize) + i, leaf[i]);
            }
        }
    }

    /// <summary>The first block from <paramref name="block"/> on that may be stored: whole stretches without any are passed over.</summary>
    public long SkipEmpty(long block)
    {
        while (block < Blocks && leaves[block / LeafSize] is null)
            block = ((block / LeafSize) + 1) * LeafSize;
        return Math.Min(block, Blocks);
    }
}

/// <summary>A checkpoint's map: the blocks that it wrote or emptied, or with <see cref="IsWhole"/> all that are stored.</summary>
/// <param name="Owner">Whose local disk it came from.</param>
/// <param name="IsWhole">Whether it needs no earlier one.</param>
/// <param name="Entries">By block, ascending.</param>
internal sealed record MapPart(Guid Owner, bool IsWhole, IReadOnlyList<(long Block, long Checkpoint)> Entries)
{
    public const int MostBytes = 1 << 30;

    public byte[] Write()
    {
        using var bytes = new MemoryStream();
        using (var writer = new BinaryWriter(bytes))
        {
            writer.Write(Owner.ToByteArray());
            writer.Write(IsWhole);
            writer.Write7BitEncodedInt64(Entries.Count);
            var last = 0L;
            foreach (var (block, checkpoint) in Entries)
            {
                writer.Write7BitEncodedInt64(block - last);
                writer.Write7BitEncodedInt64(checkpoint);
                last = block;
            }
        }
        return bytes.ToArray();
    }

    /// <exception cref="RefusalException">It is no map, or names blocks that the volume has not.</exception>
    public static MapPart Read(byte[] content, string key, long blocks)
    {
        try
        {
            using var reader = new BinaryReader(new MemoryStream(content, writable: false));
            var owner = new Guid(reader.ReadBytes(16));
            var whole = reader.ReadBoolean();
            var entries = new (long, long)[reader.Read7BitEncodedInt64()];
            var block = 0L;
            for (var i = 0; i < entries.Length; i++)
            {
                block += reader.Read7BitEncodedInt64();
                entries[i] = (block, reader.Read7BitEncodedInt64());
                if (block < 0 || block >= blocks)
                    throw Damage.Of(key, "names blocks that the volume has not");
            }
            return new MapPart(owner, whole, entries);
        }
        catch (Exception broken) when (broken is EndOfStreamException or FormatException or OverflowException or ArgumentException)
        {
            throw Damage.Of(key, "is no map of blocks");
        }
    }
}
