using Ripen.Backup.Pools;
using Ripen.Backup.Runs;

namespace Ripen.Backup.Points;

/// <summary>The points of a pool as they come and go, each read once; those that cannot be read are named and hide no others.</summary>
internal sealed class FollowedPoints
{
    private readonly Dictionary<string, Point> points = new(StringComparer.Ordinal);
    private readonly Dictionary<string, RunProblem> unreadable = new(StringComparer.Ordinal);

    /// <summary>By id.</summary>
    public IReadOnlyDictionary<string, Point> All => points;

    public IReadOnlyCollection<RunProblem> Unreadable => unreadable.Values;

    /// <summary>Reads what was added to the pool since, and lets go of what was removed.</summary>
    public async Task Follow(Pool pool, CancellationToken cancel)
    {
        var ids = (await pool.PointIds(cancel)).ToHashSet();
        foreach (var gone in points.Keys.Concat(unreadable.Keys).Where(id => !ids.Contains(id)).ToList())
        {
            points.Remove(gone);
            unreadable.Remove(gone);
        }
        foreach (var id in ids.Where(id => !points.ContainsKey(id) && !unreadable.ContainsKey(id)))
            await Whole(id, async () => points.Add(id, await pool.FindPoint(id, cancel)));
    }

    /// <summary>Takes something of a point in. Where it is damaged, the point is unreadable from now on; where it went meanwhile, nothing
    /// is.</summary>
    public async Task Whole(string point, Func<Task> take)
    {
        try
        {
            await take();
        }
        catch (RefusalException damaged) when (damaged.Kind == RefusalKind.Damaged)
        {
            points.Remove(point);
            unreadable[point] = new RunProblem(point, damaged.Message);
        }
        catch (RefusalException removed) when (removed.Code == "no-point")
        {
            // It was there when points were listed.
        }
    }
}
