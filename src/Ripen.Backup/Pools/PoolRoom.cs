using Ripen.Backup.Points;

namespace Ripen.Backup.Pools;

/// <summary>A point that would go, and what the pool would hold then.</summary>
/// <param name="Point">Which.</param>
/// <param name="ThenBytes">Of all objects, when it and those before it are gone and the pool is pruned.</param>
public sealed record PointToGo(Point Point, long ThenBytes);

/// <summary>What has to go so that a pool holds no more than it should.</summary>
/// <param name="StoredBytes">Of all objects, now.</param>
/// <param name="PrunedBytes">Of all objects, once what no point needs is gone.</param>
/// <param name="LeastBytes">Of all objects, were as many points gone as it takes, or all that may go.</param>
/// <param name="Points">Oldest first; as many as it takes. None where even all that may go would not do: history is not given up for
/// nothing.</param>
public sealed record RoomPlan(long StoredBytes, long PrunedBytes, long LeastBytes, IReadOnlyList<PointToGo> Points)
{
    /// <summary>Of all objects in the end.</summary>
    public long ThenBytes => Points.Count > 0 ? Points[^1].ThenBytes : PrunedBytes;
}

/// <summary>What was done for room.</summary>
/// <param name="Points">That went, oldest first.</param>
/// <param name="Pruned">What the prunes removed.</param>
public sealed record RoomMade(IReadOnlyList<Point> Points, PruneResult Pruned);

/// <summary>Makes room in a pool: first what no point needs goes, then the oldest points, one by one, until it is small enough. The newest
/// ones of every workload stay, and all do where the others would not be enough.</summary>
public static class PoolRoom
{
    /// <param name="pool">Which.</param>
    /// <param name="goalBytes">What all its objects together should not exceed.</param>
    /// <param name="leave">How many of a workload's newest points stay in any case, at least 1.</param>
    /// <param name="cancel">Ends early; nothing is changed by planning.</param>
    /// <exception cref="RefusalException">A point cannot be read: what it needs is not known.</exception>
    public static async Task<RoomPlan> Plan(Pool pool, long goalBytes, int leave, CancellationToken cancel)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(leave, 1);
        pool.Forget();
        var index = await pool.Index(cancel);
        var points = await PoolPrune.AllPoints(pool, cancel);
        var objects = await pool.Objects.List("", cancel);
        var stored = objects.Sum(o => o.Bytes);
        var packs = new PackShares(index, objects);
        foreach (var point in points)
            await packs.Count(pool, point, 1, cancel);
        var rest = stored - packs.AllBytes;
        var pruned = rest + packs.NeededBytes;
        var go = new List<PointToGo>();
        var then = pruned;
        foreach (var point in MayGo(points, leave))
        {
            if (then <= goalBytes)
                break;
            await packs.Count(pool, point, -1, cancel);
            then = rest + packs.NeededBytes;
            go.Add(new PointToGo(point, then));
        }
        return new RoomPlan(stored, pruned, then, then <= goalBytes ? go : []);
    }

    /// <summary>Prunes, lets the oldest points go as <see cref="Plan"/> says, and prunes again.</summary>
    /// <param name="pool">Which.</param>
    /// <param name="goalBytes">What all its objects together should not exceed.</param>
    /// <param name="leave">How many of a workload's newest points stay in any case, at least 1.</param>
    /// <param name="to">Where points go; null for nowhere: they are gone.</param>
    /// <param name="clock">Of this machine.</param>
    /// <param name="cancel">Ends early: what went is gone or moved, and everything else is whole.</param>
    public static async Task<RoomMade> Make(Pool pool, long goalBytes, int leave, Pool? to, TimeProvider clock, CancellationToken cancel)
    {
        var first = await PoolPrune.Of(pool, clock, cancel);
        var gone = new List<Point>();
        foreach (var (point, _) in (await Plan(pool, goalBytes, leave, cancel)).Points)
        {
            if (to is not null)
                await PointCopy.Of(pool, point, to, clock, cancel);
            await pool.Remove(point.Id, cancel);
            gone.Add(point);
        }
        if (gone.Count == 0)
            return new RoomMade(gone, first);
        var last = await PoolPrune.Of(pool, clock, cancel);
        return new RoomMade(
            gone,
            last with
            {
                RemovedPacks = first.RemovedPacks + last.RemovedPacks,
                RemovedBytes = first.RemovedBytes + last.RemovedBytes,
                RewrittenBytes = first.RewrittenBytes + last.RewrittenBytes,
            }
        );
    }

    private static IEnumerable<Point> MayGo(IReadOnlyList<Point> points, int leave)
    {
        var stay = points.GroupBy(p => p.Workload).SelectMany(g => g.TakeLast(leave)).Select(p => p.Id).ToHashSet();
        return points.Where(p => !stay.Contains(p.Id));
    }

    /// <summary>How much of each pack is needed by how many points, and so what a prune would leave of it.</summary>
    private sealed class PackShares
    {
        private readonly PoolIndex index;
        private readonly Dictionary<ChunkId, int> needing = [];
        private readonly long[] live;
        private readonly long[] sizes;

        public PackShares(PoolIndex index, IReadOnlyList<PoolObject> objects)
        {
            this.index = index;
            var bytes = objects.ToDictionary(o => o.Key, o => o.Bytes);
            sizes = [.. index.PackKeys.Select(k => bytes.GetValueOrDefault(k))];
            live = new long[sizes.Length];
            AllBytes = objects.Where(o => Packs.IsPack(o.Key)).Sum(o => o.Bytes);
        }

        public long AllBytes { get; }

        /// <summary>Of the packs as a prune leaves them: none of what nothing is needed, and little more than what is needed of those that
        /// are rewritten.</summary>
        public long NeededBytes =>
            live.Select(
                    (needed, i) =>
                        needed == 0 ? 0
                        : needed < PoolPrune.WorthKeeping * index.BytesOf(i) ? needed
                        : sizes[i]
                )
                .Sum();

        public async Task Count(Pool pool, Point point, int by, CancellationToken cancel)
        {
            var own = new HashSet<ChunkId>();
            await foreach (var chunk in pool.ChunksOf(point, cancel))
                own.Add(chunk);
            foreach (var id in own.Where(index.Has))
            {
                var before = needing.GetValueOrDefault(id);
                needing[id] = before + by;
                if (before == 0 || before + by == 0)
                {
                    var place = index.Find(id);
                    live[place.Pack] += by * place.SealedBytes;
                }
            }
        }
    }
}
