using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Restores;

/// <summary>What a restore has to read.</summary>
/// <param name="Files">That come back.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="ReadBytes">Of what is stored of them: each chunk once.</param>
/// <param name="Packs">Keys of the objects in which that lies.</param>
public sealed record RestoreWeight(long Files, long Bytes, long ReadBytes, IReadOnlyCollection<string> Packs)
{
    /// <summary>Looks into the point's list alone, and not into its content.</summary>
    /// <param name="pool">Where from.</param>
    /// <param name="point">Which.</param>
    /// <param name="under">A path of the point; empty for everything.</param>
    /// <param name="cancel">Stops looking.</param>
    /// <exception cref="RefusalException">The point has nothing of this path, or its list is damaged.</exception>
    public static async Task<RestoreWeight> Of(Pool pool, Point point, string under, CancellationToken cancel)
    {
        var index = await pool.Index(cancel);
        var (files, bytes, readBytes) = (0L, 0L, 0L);
        var (chunks, packs) = (new HashSet<ChunkId>(), new HashSet<string>());
        await foreach (var entry in Restore.Beneath(pool, point, under, cancel))
        {
            if (entry.Kind != EntryKind.File)
                continue;
            files++;
            bytes += entry.Size;
            for (var i = 0; i < entry.ChunkCount; i++)
            {
                if (!chunks.Add(entry.Chunk(i)) || !index.TryFind(entry.Chunk(i), out var place))
                    continue;
                readBytes += place.SealedBytes;
                packs.Add(index.KeyOf(place));
            }
        }
        return new RestoreWeight(files, bytes, readBytes, packs);
    }
}
