using System.Collections.Concurrent;
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

/// <summary>A target that was not searched, or not all of it, and why.</summary>
public sealed record NotSearched(string Target, string Why);

/// <summary>What was found in the points of all pools.</summary>
/// <param name="Paths">At most so many as were asked for from each target; those whose own name fits before those in a folder that
/// does.</param>
/// <param name="Total">All that fit.</param>
/// <param name="Points">How many points were searched.</param>
/// <param name="NotSearched">Where nobody looked.</param>
public sealed record FoundReading(IReadOnlyList<FoundPath> Paths, int Total, int Points, IReadOnlyList<NotSearched> NotSearched);

/// <summary>Looks for names in the points of all pools. The names of a pool are read when it is first searched, and stay in memory;
/// later only what was added since is read. Who may not read a target finds nothing in it.</summary>
internal sealed class PointSearch(Pools pools) : IDisposable
{
    /// <summary>Paths in memory, of all pools together, beyond which those of others are forgotten: some 400 MB.</summary>
    private const int MostPaths = 2_000_000;

    // By target too: a copy of a whole pool bears the same id, and has other points.
    private readonly ConcurrentDictionary<(string Target, string Pool), Known> known = [];

    private sealed record Known(PointNames Names, SemaphoreSlim One)
    {
        public long LastUsed { get; set; }

        /// <summary>Of the names, as of the last search: they may be added to by another at this moment.</summary>
        public int Paths { get; set; }
    }

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
        var (paths, not, total, points) = (new List<FoundPath>(), new List<NotSearched>(), 0, 0);
        foreach (var target in targets.Where(t => t.HoldsPool))
        {
            try
            {
                using var pool = await pools.Open(target, cancel);
                var key = (target.Id, pool.Description.Id);
                var of = known.GetOrAdd(key, _ => new Known(new PointNames(), new SemaphoreSlim(1)));
                of.LastUsed = Environment.TickCount64;
                await of.One.WaitAsync(cancel);
                try
                {
                    await of.Names.Follow(pool, cancel);
                    var found = of.Names.Find(text, workload, most);
                    total += found.Total;
                    points += of.Names.Points;
                    of.Paths = of.Names.Count;
                    paths.AddRange(found.Paths.Select(p => Told(target.Id, p)));
                    not.AddRange(of.Names.Unreadable.Select(u => new NotSearched(target.Id, u.What)));
                }
                finally
                {
                    of.One.Release();
                }
                Forget(key);
            }
            catch (RefusalException refusal) when (refusal.Code != "no-pool")
            {
                not.Add(new NotSearched(target.Id, refusal.Message));
            }
            catch (RefusalException)
            {
                // Where no pool was made there is nothing to be found.
            }
        }
        return new FoundReading(paths, total, points, not);
    }

    private void Forget((string, string) last)
    {
        foreach (var (id, _) in known.Where(k => k.Key != last).OrderBy(k => k.Value.LastUsed).ToList())
        {
            if (known.Values.Sum(k => (long)k.Paths) <= MostPaths)
                return;
            known.TryRemove(id, out _);
        }
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

    public void Dispose()
    {
        foreach (var of in known.Values)
            of.One.Dispose();
    }
}
