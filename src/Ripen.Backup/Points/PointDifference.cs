using System.Runtime.CompilerServices;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Points;

/// <summary>A path that two points do not hold alike.</summary>
/// <param name="Path">In both.</param>
/// <param name="Before">As the first point has it; null where it lacks it.</param>
/// <param name="After">As the second has it; null where it lacks it.</param>
public sealed record EntryDifference(string Path, Entry? Before, Entry? After);

/// <summary>
/// What differs between two points. Their lists of entries are cut like content, so that they share the chunks of what is alike: only what lies
/// about the other chunks is read, however large the points are.
/// </summary>
public static class PointDifference
{
    /// <param name="pool">Both points' own.</param>
    /// <param name="before">One of them.</param>
    /// <param name="after">The other.</param>
    /// <param name="cancel">Stops.</param>
    /// <returns>In the order of entries. Entries are alike when kind, content, time of last change, mode, owner, group and a link's target are;
    /// where the pool stores nothing once, size and time stand for content.</returns>
    /// <exception cref="RefusalException">A list is damaged.</exception>
    public static async IAsyncEnumerable<EntryDifference> Between(
        Pool pool,
        Point before,
        Point after,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        var (one, other) = (new ListedChunks(before), new ListedChunks(after));
        await using var left = Touched(pool, one, other, cancel).GetAsyncEnumerator(cancel);
        await using var right = Touched(pool, other, one, cancel).GetAsyncEnumerator(cancel);
        var (a, b) = (await Next(left), await Next(right));
        while (a is not null || b is not null)
        {
            var order =
                a is null ? 1
                : b is null ? -1
                : Entry.Compare(a.Path, b.Path);
            if (order != 0 || !AreAlike(a!, b!, pool.Description.Deduplicates))
                yield return new EntryDifference((order <= 0 ? a : b)!.Path, order <= 0 ? a : null, order >= 0 ? b : null);
            if (order <= 0)
                a = await Next(left);
            if (order >= 0)
                b = await Next(right);
        }
    }

    private static async ValueTask<Entry?> Next(IAsyncEnumerator<Entry> entries) => await entries.MoveNextAsync() ? entries.Current : null;

    private static bool AreAlike(Entry a, Entry b, bool byContent) =>
        (a.Kind, a.Size, a.Modified, a.Mode, a.Owner, a.Group, a.Target) == (b.Kind, b.Size, b.Modified, b.Mode, b.Owner, b.Group, b.Target)
        && (!byContent || a.Chunks.AsSpan().SequenceEqual(b.Chunks));

    /// <summary>
    /// The entries of a list that are not surely in the other one too. Sure are those of which every chunk is in both lists, and follows on the
    /// same one in both: then the same bytes are there, from the end of the line before them on.
    /// </summary>
    private static async IAsyncEnumerable<Entry> Touched(
        Pool pool,
        ListedChunks own,
        ListedChunks other,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        // The line that has no end yet: its bytes, null while they are not read, and whether it is not surely in the other list.
        byte[]? open = null;
        var isTouched = false;
        for (var i = 0; i < own.Count; i++)
        {
            var follows = own.FollowsAsIn(other, i);
            isTouched |= !follows;
            var isShared = own.Has(own[i]) && other.Has(own[i]);
            if (isShared && follows && !isTouched && (i + 1 == own.Count || own.FollowsAsIn(other, i + 1)))
            {
                open = null;
                continue;
            }
            open ??= await OpenLine(pool, own, i, cancel);
            var chunk = await pool.Chunk(own[i], cancel);
            byte[] text = open.Length == 0 ? chunk : [.. open, .. chunk];
            var from = 0;
            for (int end; (end = Array.IndexOf(text, (byte)'\n', from)) >= 0; from = end + 1)
            {
                if (isTouched || !isShared)
                    yield return Entry.Read(text.AsSpan(from, end - from));
                isTouched = false;
            }
            open = text[from..];
            isTouched = open.Length > 0 && (isTouched || !isShared);
        }
    }

    /// <summary>What the chunks before this one hold of the line that goes on in it.</summary>
    private static async Task<byte[]> OpenLine(Pool pool, ListedChunks own, int chunk, CancellationToken cancel)
    {
        byte[] line = [];
        for (var i = chunk - 1; i >= 0; i--)
        {
            var text = await pool.Chunk(own[i], cancel);
            var end = Array.LastIndexOf(text, (byte)'\n');
            line = [.. text.AsSpan(end + 1), .. line];
            if (end >= 0)
                break;
        }
        return line;
    }

    /// <summary>The chunks of a point's list. One that comes twice counts as nobody else's: where it stands says nothing.</summary>
    private sealed class ListedChunks
    {
        private readonly ChunkId[] ids;
        private readonly Dictionary<ChunkId, int> places = [];

        public ListedChunks(Point point)
        {
            ids = new ChunkId[point.Entries.Length / ChunkId.Size];
            for (var i = 0; i < ids.Length; i++)
            {
                ids[i] = ChunkId.Read(point.Entries.AsSpan(i * ChunkId.Size));
                if (!places.TryAdd(ids[i], i))
                    places[ids[i]] = -1;
            }
        }

        public int Count => ids.Length;

        public ChunkId this[int i] => ids[i];

        public bool Has(ChunkId id) => places.TryGetValue(id, out var at) && at >= 0;

        /// <summary>Whether the chunk of this place has the same chunk before it, or none, in the other list.</summary>
        public bool FollowsAsIn(ListedChunks other, int place) =>
            places[ids[place]] >= 0
            && other.places.GetValueOrDefault(ids[place], -1) is >= 0 and var there
            && (place == 0 ? there == 0 : there > 0 && places[ids[place - 1]] >= 0 && other.ids[there - 1] == ids[place - 1]);
    }
}
