using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Objects;

/// <summary>Pages of a bucket's current objects. Below a delimiter the index is not read through but jumped over, from one common prefix to the next.</summary>
internal sealed class Listing(SqliteConnection db, Terms terms, BucketTerms bucket)
{
    public ListingPage Page(string prefix, string? delimiter, string? after, int most)
    {
        if (most is < 1 or > ListingPage.Most) throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"A page holds 1 to {ListingPage.Most} keys.");
        var (prefixes, objects) = (new List<string>(), new List<StoredVersion>());
        var end = ObjectKeys.After(prefix);
        Position? from = after is null ? new Position(prefix, 0) : Position.Read(after);
        while (from is { } at)
        {
            from = null;
            using var command = db.Statement(
                $"""
                SELECT {EntryRows.Columns} FROM {EntryRows.From}
                WHERE e.bucket = ?1 AND e.current = 1 AND e.kind < 2 AND (e.key, e.id) > (?2, ?3) AND (?4 IS NULL OR e.key < ?4) ORDER BY e.key, e.id
                """, bucket.Id, at.Key, at.Id, end);
            using var reader = command.ExecuteReader();
            while (reader.Read())
            {
                if (prefixes.Count + objects.Count == most) return new ListingPage(prefixes, objects, at.Write());
                var key = reader.GetString(1);
                if (Common(key, prefix, delimiter) is { } common)
                {
                    prefixes.Add(common);
                    // Everything under the common prefix is told; go on after it.
                    if (ObjectKeys.After(common) is not { } next) return new ListingPage(prefixes, objects, null);
                    from = new Position(next, 0);
                    break;
                }
                objects.Add(EntryRows.Read(reader, terms, bucket));
                at = new Position(key, objects[^1].Version);
            }
        }
        return new ListingPage(prefixes, objects, null);
    }

    private static string? Common(string key, string prefix, string? delimiter)
    {
        if (string.IsNullOrEmpty(delimiter)) return null;
        var at = key.IndexOf(delimiter, prefix.Length, StringComparison.Ordinal);
        return at < 0 ? null : key[..(at + delimiter.Length)];
    }

    /// <summary>Between two entries: after the one of this key and number.</summary>
    private readonly record struct Position(string Key, long Id)
    {
        public string Write() => Convert.ToBase64String(Encoding.UTF8.GetBytes($"{Id} {Key}"));

        public static Position Read(string text)
        {
            try
            {
                var plain = Encoding.UTF8.GetString(Convert.FromBase64String(text));
                var space = plain.IndexOf(' ', StringComparison.Ordinal);
                return new Position(plain[(space + 1)..], long.Parse(plain[..space]));
            }
            catch (Exception e) when (e is FormatException or ArgumentException or OverflowException)
            {
                throw new RefusalException(RefusalKind.Invalid, "invalid-page", "This is no page's 'next'; begin the listing again without 'after'.");
            }
        }
    }
}
