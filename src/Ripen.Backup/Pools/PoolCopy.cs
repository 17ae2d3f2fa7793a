using Ripen.Backup.Points;

namespace Ripen.Backup.Pools;

/// <summary>What a copy brought.</summary>
/// <param name="Objects">That were not there before.</param>
/// <param name="Bytes">Of them.</param>
public sealed record PoolCopied(long Objects, long Bytes);

/// <summary>
/// Brings a pool as it is to another place: the same secret, the same points, readable with the same passphrase. Nothing is read inside and nothing
/// is removed there; what lies there already is not brought again.
/// </summary>
public static class PoolCopy
{
    private const int AtOnce = 3;

    /// <exception cref="RefusalException">There is no pool, or another one lies there (code <c>foreign-pool</c>).</exception>
    public static async Task<PoolCopied> Of(IPoolObjects from, IPoolObjects to, Action<long, long> tell, CancellationToken cancel)
    {
        var pool = await Pool.Describe(from, cancel);
        await Claim(from, to, pool, cancel);
        // A point is listed before the index that its run wrote, and that before the packs: what a point needs is never missed.
        var points = await from.List(Point.Folder, cancel);
        var index = await from.List(PoolIndex.Folder, cancel);
        var packs = await Packs.In(from, cancel);
        var there = (await to.List("", cancel)).Select(o => o.Key).ToHashSet(StringComparer.Ordinal);
        var (objects, bytes) = (0L, 0L);
        // And brought the other way round: a point is there when everything that it needs is.
        foreach (var part in (IReadOnlyList<PoolObject>[])[packs, index, points])
        {
            await Parallel.ForEachAsync(
                part.Where(o => !there.Contains(o.Key)),
                new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = cancel },
                async (item, token) =>
                {
                    await Bring(from, to, item, token);
                    tell(Interlocked.Increment(ref objects), Interlocked.Add(ref bytes, item.Bytes));
                }
            );
        }
        return new PoolCopied(objects, bytes);
    }

    private static async Task Claim(IPoolObjects from, IPoolObjects to, PoolDescription pool, CancellationToken cancel)
    {
        try
        {
            if ((await Pool.Describe(to, cancel)).Id != pool.Id)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "foreign-pool",
                    "Another pool lies there: a copy needs a place that is empty, or that holds an earlier copy of the same pool."
                );
        }
        catch (RefusalException none) when (none.Code == "no-pool")
        {
            await to.Put(PoolDescription.Key, await from.Read(PoolDescription.Key, 0, 1 << 20, cancel), cancel);
        }
    }

    private static async Task Bring(IPoolObjects from, IPoolObjects to, PoolObject item, CancellationToken cancel)
    {
        byte[] content;
        try
        {
            content = await from.Read(item.Key, 0, checked((int)item.Bytes), cancel);
        }
        catch (RefusalException gone) when (gone.Code == "no-object")
        {
            // A prune took what no point needs any more.
            return;
        }
        try
        {
            await to.Put(item.Key, content, cancel);
        }
        catch (RefusalException twice) when (twice.Code == "exists")
        {
            // Another copy brought it at the same time.
        }
    }
}
