using Ripen.Backup.Points;

namespace Ripen.Backup.Pools;

/// <summary>What a check of a whole pool found.</summary>
/// <param name="Chunks">Read, opened and compared with their ids.</param>
/// <param name="Bytes">Of their content.</param>
/// <param name="Points">Whose lists of entries were read.</param>
/// <param name="Damaged">Objects that are not as they were written, and why.</param>
/// <param name="Away">Packs that rest where reading takes a wait: not looked at.</param>
/// <param name="Lost">Files that cannot be restored, as point and path.</param>
public sealed record PoolReport(
    long Chunks,
    long Bytes,
    int Points,
    IReadOnlyList<RunProblem> Damaged,
    IReadOnlyList<RunProblem> Away,
    IReadOnlyList<RunProblem> Lost
);

/// <summary>Reads everything in a pool, and says which files of which points a damage takes.</summary>
public static class PoolCheck
{
    public static async Task<PoolReport> Of(Pool pool, CancellationToken cancel)
    {
        var index = await pool.Index(cancel);
        var (damaged, away) = (new Dictionary<string, string>(), new Dictionary<string, string>());
        var bad = new HashSet<ChunkId>();
        var (chunks, bytes) = (0L, 0L);
        foreach (var (id, place) in index.InOrder().Where(c => !away.ContainsKey(index.KeyOf(c.Place))))
        {
            try
            {
                var content = await pool.Chunk(id, cancel);
                if (!place.IsApart && pool.Keys.IdOf(content) != id)
                    throw Damage.Of(index.KeyOf(place), "holds another content than it says");
                chunks++;
                bytes += content.Length;
            }
            catch (RefusalException refusal) when (Damage.IsAway(refusal))
            {
                away[index.KeyOf(place)] = refusal.Message;
            }
            catch (RefusalException refusal) when (refusal.Kind is RefusalKind.Damaged or RefusalKind.NotFound)
            {
                bad.Add(id);
                damaged.TryAdd(index.KeyOf(place), refusal.Message);
            }
        }
        foreach (var told in (await pool.Told(await pool.Objects.List(PoolIndex.Folder, cancel), cancel)).Damaged)
            damaged[told.Path] = told.What;
        var (points, unreadable) = await pool.Points(cancel);
        foreach (var point in unreadable)
            damaged[point.Path] = point.What;
        var lost = new List<RunProblem>();
        foreach (var point in points)
        {
            try
            {
                await foreach (var entry in pool.Entries(point, cancel))
                {
                    if (Enumerable.Range(0, entry.ChunkCount).Select(entry.Chunk).Any(c => bad.Contains(c) || !index.Has(c)))
                        lost.Add(new RunProblem($"{point.Id}: {entry.Path}", "Some of its content is damaged or gone."));
                }
            }
            catch (RefusalException refusal)
            {
                lost.Add(new RunProblem(point.Id, $"Its list of files cannot be read to its end. {refusal.Message}"));
            }
        }
        return new PoolReport(chunks, bytes, points.Count, Told(damaged), Told(away), lost);
    }

    private static List<RunProblem> Told(Dictionary<string, string> problems) => [.. problems.Select(p => new RunProblem(p.Key, p.Value))];
}
