using System.IO.Hashing;
using System.Runtime.InteropServices;
using System.Text;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Points;

/// <summary>A file, folder or link as it was in some points of a workload, one after the other.</summary>
/// <param name="Kind">What it was.</param>
/// <param name="Size">Bytes of a file.</param>
/// <param name="Modified">Nanoseconds since 1970.</param>
/// <param name="First">The oldest point that has it so.</param>
/// <param name="Last">The newest that has it so.</param>
/// <param name="Points">How many have it so.</param>
/// <param name="IsThere">Whether the workload's newest point has it so.</param>
public sealed record NamedVersion(EntryKind Kind, long Size, long Modified, Point First, Point Last, int Points, bool IsThere);

/// <summary>A path that was looked for.</summary>
/// <param name="Workload">Whose it is.</param>
/// <param name="Path">As the points have it.</param>
/// <param name="Versions">Newest first, none twice.</param>
public sealed record NamedPath(string Workload, string Path, IReadOnlyList<NamedVersion> Versions);

/// <summary>What was found.</summary>
/// <param name="Paths">The first of them.</param>
/// <param name="Total">All that fit.</param>
public sealed record NamesFound(IReadOnlyList<NamedPath> Paths, int Total);

/// <summary>
/// The names in all points of a pool, in memory: of each path when it was there and how. A point is taken in by what differs from the one
/// before it, so that a year of points is hardly more than one. About 200 bytes for a path; a million are searched in some tens of
/// milliseconds. Nothing of it is written anywhere.
/// </summary>
public sealed class PointNames
{
    private readonly Dictionary<string, Names> workloads = new(StringComparer.Ordinal);
    private readonly FollowedPoints points = new();

    /// <summary>Paths of all workloads.</summary>
    public int Count => workloads.Values.Sum(w => w.Count);

    /// <summary>Points whose list is damaged: they are left out, and hide no others.</summary>
    public IReadOnlyCollection<RunProblem> Unreadable => points.Unreadable;

    /// <summary>How many points are searched.</summary>
    public int Points => points.All.Count;

    /// <summary>Takes in what points were added to the pool, and leaves out what was removed.</summary>
    /// <param name="pool">Always the same one.</param>
    /// <param name="cancel">Stops; what was taken in until then stays.</param>
    public async Task Follow(Pool pool, CancellationToken cancel)
    {
        await points.Follow(pool, cancel);
        var there = points.All.Values.OrderBy(p => p.Taken).ThenBy(p => p.Id, StringComparer.Ordinal).ToLookup(p => p.Workload);
        foreach (var gone in workloads.Keys.Where(w => !there.Contains(w)).ToList())
            workloads.Remove(gone);
        foreach (var workload in there)
        {
            var known = workloads.GetValueOrDefault(workload.Key);
            // A copy may bring a point that is older than the last.
            if (known is null || workload.Any(p => !known.Knows(p) && p.Taken < known.Newest))
                known = workloads[workload.Key] = new Names();
            foreach (var point in workload.Where(p => !known.Knows(p)).ToList())
            {
                cancel.ThrowIfCancellationRequested();
                await points.Whole(point.Id, () => known.Take(pool, point, workload, cancel));
            }
            known.Keep(workload.Where(p => points.All.ContainsKey(p.Id)));
        }
    }

    /// <param name="text">Words; a path fits that holds all of them, whatever their case.</param>
    /// <param name="workload">Only its paths; null for all.</param>
    /// <param name="most">So many are told; those whose last part has a word come first.</param>
    public NamesFound Find(string text, string? workload, int most)
    {
        var words = text.Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (words.Length == 0)
            return new NamesFound([], 0);
        var (near, far, total) = (new List<NamedPath>(), new List<NamedPath>(), 0);
        foreach (var (name, names) in workloads.Where(w => workload is null || w.Key == workload))
            total += names.Find(name, words, most, near, far);
        return new NamesFound([.. InOrder(near), .. InOrder(far).Take(most - Math.Min(most, near.Count))], total);

        IEnumerable<NamedPath> InOrder(List<NamedPath> found) =>
            found.OrderBy(p => p.Workload, StringComparer.Ordinal).ThenBy(p => p.Path, Comparer<string>.Create(Entry.Compare)).Take(most);
    }

    private static bool IsInName(ReadOnlySpan<char> path, string[] words)
    {
        var name = path[(path.LastIndexOf('/') + 1)..];
        foreach (var word in words)
        {
            if (name.Contains(word, StringComparison.OrdinalIgnoreCase))
                return true;
        }
        return false;
    }

    /// <summary>Of one workload.</summary>
    private sealed class Names
    {
        private const int StillThere = int.MaxValue;
        private const int Sample = 500;

        private readonly PathText paths = new();
        private readonly Dictionary<int, int> byHash = [];
        private readonly List<(int SameHash, int Newest)> chains = [];
        private readonly List<Version> versions = [];

        // In the order in which they were taken, removed ones included: a version holds from the one point until another.
        private readonly Dictionary<string, int> numbers = [];
        private int taken;
        private IReadOnlyList<Point> there = [];

        // How many points are there before each that was taken, and before the next.
        private int[] thereBefore = [0];

        private readonly record struct State(EntryKind Kind, long Size, long Modified, ulong Content);

        private record struct Version(State State, int Since, int Until, int Before);

        public int Count => paths.Count;

        /// <summary>When the last point that was taken in was taken.</summary>
        public DateTimeOffset Newest { get; private set; }

        public bool Knows(Point point) => numbers.ContainsKey(point.Id);

        /// <param name="pool">Whose it is.</param>
        /// <param name="point">Not older than <see cref="Newest"/>.</param>
        /// <param name="there">The workload's points.</param>
        /// <param name="cancel">Stops.</param>
        /// <exception cref="RefusalException">Its list of entries is damaged; nothing is taken in.</exception>
        public async Task Take(Pool pool, Point point, IEnumerable<Point> there, CancellationToken cancel)
        {
            // The one taken in last may be removed by now, and what held its list with it.
            var before = there.LastOrDefault(p => numbers.TryGetValue(p.Id, out var number) && number == taken - 1);
            var changes = before is null && taken > 0 ? await Afresh(pool, point, cancel) : await Changes(pool, before, point, cancel);
            foreach (var (path, state) in changes)
                Take(path, state);
            numbers[point.Id] = taken++;
            Newest = point.Taken;
        }

        /// <summary>These are there, and no others any more.</summary>
        public void Keep(IEnumerable<Point> points)
        {
            there = [.. points];
            thereBefore = new int[taken + 1];
            foreach (var point in there)
                thereBefore[numbers[point.Id] + 1] = 1;
            for (var i = 0; i < taken; i++)
                thereBefore[i + 1] += thereBefore[i];
        }

        /// <param name="workload">Its name.</param>
        /// <param name="words">All of them are in a path that fits.</param>
        /// <param name="most">So many go into each list.</param>
        /// <param name="near">Those whose last part has a word.</param>
        /// <param name="far">The others.</param>
        /// <returns>How many fit.</returns>
        public int Find(string workload, string[] words, int most, List<NamedPath> near, List<NamedPath> far)
        {
            var total = 0;
            foreach (var path in paths.With(Rarest(words)))
            {
                if (!HasAll(paths[path], words) || !IsThere(path))
                    continue;
                total++;
                var found = IsInName(paths[path], words) ? near : far;
                if (found.Count < most)
                    found.Add(new NamedPath(workload, new string(paths[path]), [.. Versions(path)]));
            }
            return total;
        }

        /// <summary>The word that fewest of some paths have, and the longest of those: the fewer it finds, the less is left to look at.</summary>
        private string Rarest(string[] words)
        {
            var step = Math.Max(1, paths.Count / Sample);
            return words.MinBy(w =>
            {
                var found = 0;
                for (var path = 0; path < paths.Count; path += step)
                    found += paths[path].Contains(w, StringComparison.OrdinalIgnoreCase) ? 1 : 0;
                return (found, -w.Length);
            })!;
        }

        private static bool HasAll(ReadOnlySpan<char> path, string[] words)
        {
            foreach (var word in words)
            {
                if (!path.Contains(word, StringComparison.OrdinalIgnoreCase))
                    return false;
            }
            return true;
        }

        private static async Task<List<(string Path, State? State)>> Changes(
            Pool pool,
            Point? before,
            Point point,
            CancellationToken cancel
        )
        {
            var changes = new List<(string, State?)>();
            if (before is null)
            {
                await foreach (var entry in pool.Entries(point, cancel))
                    changes.Add((entry.Path, StateOf(pool, entry)));
            }
            else
            {
                await foreach (var change in PointDifference.Between(pool, before, point, cancel))
                    changes.Add((change.Path, change.After is { } after ? StateOf(pool, after) : null));
            }
            return changes;
        }

        /// <summary>What is in the point and not known so, and what is known and not in it.</summary>
        private async Task<List<(string Path, State? State)>> Afresh(Pool pool, Point point, CancellationToken cancel)
        {
            var (changes, seen) = (new List<(string, State?)>(), new HashSet<int>());
            await foreach (var entry in pool.Entries(point, cancel))
            {
                if (PathOf(entry.Path) is >= 0 and var path)
                {
                    seen.Add(path);
                    var last = versions[chains[path].Newest];
                    if (last.Until == StillThere && last.State == StateOf(pool, entry))
                        continue;
                }
                changes.Add((entry.Path, StateOf(pool, entry)));
            }
            for (var path = 0; path < paths.Count; path++)
            {
                if (!seen.Contains(path) && versions[chains[path].Newest].Until == StillThere)
                    changes.Add((new string(paths[path]), null));
            }
            return changes;
        }

        /// <summary>What the point that comes next has there; null for nothing.</summary>
        private void Take(string path, State? state)
        {
            var point = taken;
            var known = PathOf(path);
            if (known >= 0 && chains[known].Newest is var last && versions[last].Until == StillThere)
                CollectionsMarshal.AsSpan(versions)[last].Until = point;
            if (state is null)
                return;
            if (known < 0)
                known = Add(path);
            versions.Add(new Version(state.Value, point, StillThere, chains[known].Newest));
            chains[known] = (chains[known].SameHash, versions.Count - 1);
        }

        private int Add(string path)
        {
            var added = paths.Add(path);
            var hash = string.GetHashCode(path);
            chains.Add((byHash.GetValueOrDefault(hash, -1), -1));
            byHash[hash] = added;
            return added;
        }

        private int PathOf(string path)
        {
            var at = byHash.GetValueOrDefault(string.GetHashCode(path), -1);
            while (at >= 0 && !paths[at].SequenceEqual(path))
                at = chains[at].SameHash;
            return at;
        }

        /// <summary>What tells two versions apart. Where equal content has no equal ids, size and time stand for it.</summary>
        private static State StateOf(Pool pool, Entry entry)
        {
            var content =
                entry.Target is { } target ? Encoding.UTF8.GetBytes(target)
                : pool.Description.Deduplicates ? entry.Chunks
                : null;
            return new State(entry.Kind, entry.Size, entry.Modified, XxHash64.HashToUInt64(content));
        }

        private bool IsThere(int path)
        {
            for (var at = chains[path].Newest; at >= 0; at = versions[at].Before)
            {
                if (PointsOf(versions[at]).Count > 0)
                    return true;
            }
            return false;
        }

        /// <summary>Those that a point of the pool still has, newest first. Where only a point that is gone lay between two that are alike, they
        /// are one.</summary>
        private IEnumerable<NamedVersion> Versions(int path)
        {
            var (state, first, end) = (default(State), 0, 0);
            for (var at = chains[path].Newest; at >= 0; at = versions[at].Before)
            {
                var (since, count) = PointsOf(versions[at]);
                if (count == 0)
                    continue;
                if (first < end && (versions[at].State != state || since + count != first))
                {
                    yield return Told(state, first, end);
                    end = first;
                }
                if (first == end)
                    (state, end) = (versions[at].State, since + count);
                first = since;
            }
            if (first < end)
                yield return Told(state, first, end);
        }

        private NamedVersion Told(State state, int first, int end) =>
            new(state.Kind, state.Size, state.Modified, there[first], there[end - 1], end - first, end == there.Count);

        /// <summary>Which of the points that are there have the version: the first, and how many.</summary>
        private (int First, int Count) PointsOf(Version version)
        {
            var (first, end) = (thereBefore[version.Since], thereBefore[Math.Min(version.Until, taken)]);
            return (first, end - first);
        }
    }
}
