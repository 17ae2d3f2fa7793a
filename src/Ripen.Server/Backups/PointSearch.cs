using Ripen.Backup.Points;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A path that was looked for, and in which points it is.</summary>
/// <param name="Target">The id of the target.</param>
/// <param name="Workload">Whose points they are.</param>
/// <param name="Path">As they have it.</param>
/// <param name="Versions">Newest first.</param>
public sealed record FoundPath(string Target, string Workload, string Path, IReadOnlyList<FoundVersion> Versions);

/// <summary>A path as some points in a row have it.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Bytes">Of a file.</param>
/// <param name="Modified">Its last change.</param>
/// <param name="FirstTaken">When the oldest of the points was taken.</param>
/// <param name="LastTaken">When the newest was taken.</param>
/// <param name="Point">The newest one's id: where it is restored from.</param>
/// <param name="Points">How many have it so.</param>
/// <param name="IsThere">Whether the workload's newest point has it so.</param>
public sealed record FoundVersion(
    EntryKind Kind,
    long Bytes,
    DateTimeOffset Modified,
    DateTimeOffset FirstTaken,
    DateTimeOffset LastTaken,
    string Point,
    int Points,
    bool IsThere
);

/// <summary>What was found in the points of all pools.</summary>
/// <param name="Paths">At most so many as were asked for from each target; those whose own name fits before those in a folder that
/// does.</param>
/// <param name="Total">All that fit.</param>
/// <param name="Points">How many points were searched.</param>
/// <param name="NotSearched">Where nobody looked.</param>
public sealed record FoundReading(IReadOnlyList<FoundPath> Paths, int Total, int Points, IReadOnlyList<NotSearched> NotSearched);

/// <summary>Looks for names in the points of all pools.</summary>
internal sealed class PointSearch(Pools pools) : IDisposable
{
    /// <summary>Some 400 MB.</summary>
    private const int MostPaths = 2_000_000;

    private readonly PoolMemory<PointNames> memory = new(pools, MostPaths);

    /// <param name="targets">Those that hold pools are searched.</param>
    /// <param name="text">Words that a path has, all of them, whatever their case.</param>
    /// <param name="workload">Only of this one; null for all.</param>
    /// <param name="most">From each target.</param>
    /// <param name="cancel">Stops.</param>
    public async Task<FoundReading> Find(
        IEnumerable<BackupTarget> targets,
        string text,
        string? workload,
        int most,
        CancellationToken cancel
    )
    {
        var (paths, damaged, total, points) = (new List<FoundPath>(), new List<NotSearched>(), 0, 0);
        var not = await memory.Each(
            targets,
            async (target, pool, names) =>
            {
                await names.Follow(pool, cancel);
                var found = names.Find(text, workload, most);
                total += found.Total;
                points += names.Points;
                paths.AddRange(found.Paths.Select(p => Told(target.Id, p)));
                damaged.AddRange(names.Unreadable.Select(u => new NotSearched(target.Id, u.What)));
                return names.Count;
            },
            cancel
        );
        return new FoundReading(paths, total, points, [.. not, .. damaged]);
    }

    private static FoundPath Told(string target, NamedPath path) =>
        new(
            target,
            path.Workload,
            path.Path,
            [
                .. path.Versions.Select(v => new FoundVersion(
                    v.Kind,
                    v.Size,
                    DateTimeOffset.UnixEpoch.AddTicks(v.Modified / 100),
                    v.First.Taken,
                    v.Last.Taken,
                    v.Last.Id,
                    v.Points,
                    v.IsThere
                )),
            ]
        );

    public void Dispose() => memory.Dispose();
}
