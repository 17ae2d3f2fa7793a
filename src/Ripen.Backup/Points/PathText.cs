using System.Buffers;

namespace Ripen.Backup.Points;

/// <summary>Many paths, one behind the other, each known by its number: what is searched for a text is one long text.</summary>
internal sealed class PathText
{
    private const int PartLength = 4 << 20;

    /// <summary>Between two paths, and behind the last: no path of a file holds it.</summary>
    private const char Apart = '\0';

    private readonly List<char[]> parts = [];
    private readonly List<(int Part, int From, int Length)> places = [];
    private int free = PartLength;

    public int Count => places.Count;

    public ReadOnlySpan<char> this[int path] => parts[places[path].Part].AsSpan(places[path].From, places[path].Length);

    public int Add(string path)
    {
        if (free + path.Length + 1 > PartLength)
        {
            parts.Add(new char[Math.Max(PartLength, path.Length + 1)]);
            free = 0;
        }
        path.CopyTo(parts[^1].AsSpan(free));
        places.Add((parts.Count - 1, free, path.Length));
        free += path.Length + 1;
        return places.Count - 1;
    }

    /// <summary>The paths that hold the text, whatever its case, in the order in which they were added.</summary>
    public IEnumerable<int> With(string text)
    {
        if (text.Contains(Apart, StringComparison.Ordinal))
            yield break;
        // SearchValues look at many places at once.
        var sought = SearchValues.Create([text], StringComparison.OrdinalIgnoreCase);
        var path = 0;
        for (var part = 0; part < parts.Count; part++)
        {
            var from = 0;
            while (Found(part, from, sought) is >= 0 and var at)
            {
                path = PathAt(part, at, path);
                yield return path;
                from = places[path].From + places[path].Length;
            }
        }
    }

    private int Found(int part, int from, SearchValues<string> sought)
    {
        var at = parts[part].AsSpan(from).IndexOfAny(sought);
        return at < 0 ? -1 : from + at;
    }

    /// <summary>Which path lies there; none before the one that is given.</summary>
    private int PathAt(int part, int at, int first)
    {
        var (low, high) = (first, places.Count - 1);
        while (low < high)
        {
            var middle = (low + high + 1) / 2;
            if (places[middle].Part < part || (places[middle].Part == part && places[middle].From <= at))
                low = middle;
            else
                high = middle - 1;
        }
        return low;
    }
}
