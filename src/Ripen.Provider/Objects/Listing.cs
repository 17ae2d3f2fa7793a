using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Objects;

/// <summary>Pages of a bucket's current objects. Below a delimiter the index is not read through but jumped over, from one common prefix
/// to the next.</summary>
internal sealed class Listing(SqliteConnection db, Terms terms, BucketTerms bucket)
{
    public ListingPage Page(string prefix, string? delimiter, string? after, int most, string? from, string? contains)
    {
        if (most is < 1 or > ListingPage.Most)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"A page holds 1 to {ListingPage.Most} keys.");
        var (prefixes, batches, objects) = (new List<string>(), new List<BatchSum>(), new List<StoredVersion>());
        var end = ObjectKeys.After(prefix);
        Position? next = after is null ? new Position(prefix + from, 0, 0) : Position.Read(after);
        using var command = db.Statement(
            $"""
            SELECT {VersionRows.Columns} FROM {VersionRows.From}
            WHERE e.bucket = ?1 AND e.current = 1 AND e.kind < 2 AND (e.key, e.kind, e.id) > (?2, ?3, ?4) AND e.key >= ?6
                AND (?5 IS NULL OR e.key < ?5) AND (?7 IS NULL OR instr(lower(e.key), ?7) > 0) ORDER BY e.key, e.kind, e.id
            """,
            bucket.Id,
            "",
            0,
            0L,
            end,
            prefix,
            contains is null ? null : Lower(contains)
        );
        while (next is { } at)
        {
            next = null;
            (command.Parameters[1].Value, command.Parameters[2].Value, command.Parameters[3].Value) = (at.Key, at.Kind, at.Id);
            using var reader = command.ExecuteReader();
            while (reader.Read())
            {
                if (prefixes.Count + batches.Count + objects.Count >= most)
                    return new ListingPage(prefixes, batches, objects, at.Write());
                var key = reader.GetString(1);
                if (Common(key, prefix, delimiter) is { } common)
                {
                    prefixes.Add(common);
                    // Everything under the common prefix is told; go on after it.
                    if (ObjectKeys.After(common) is { } behind)
                        next = new Position(behind, 0, 0);
                    break;
                }
                if (reader.GetInt32(10) == EntryRows.Batch)
                {
                    batches.AddRange(Sums(key));
                    next = new Position(key, EntryRows.Object, 0);
                    break;
                }
                objects.Add(VersionRows.Read(reader, terms));
                at = new Position(key, EntryRows.Object, objects[^1].Version);
            }
        }
        return new ListingPage(prefixes, batches, objects, null);
    }

    /// <summary>As SQLite's lower() has it: the letters A to Z alone.</summary>
    private static string Lower(string text) => string.Concat(text.Select(c => char.IsAsciiLetterUpper(c) ? char.ToLowerInvariant(c) : c));

    private List<BatchSum> Sums(string key) =>
        db.List(
            """
            SELECT tier, sum(count), sum(count * bytes), min(created), max(created) FROM entry
            WHERE bucket = ?1 AND current = 1 AND kind < 2 AND key = ?2 AND kind = 0 GROUP BY tier
            """,
            r => new BatchSum(
                key,
                terms.TierName(r.GetInt64(0)),
                r.GetDouble(1),
                r.GetDouble(2),
                DateOnly.FromDayNumber(r.GetInt32(3)),
                DateOnly.FromDayNumber(r.GetInt32(4))
            ),
            bucket.Id,
            key
        );

    private static string? Common(string key, string prefix, string? delimiter)
    {
        if (string.IsNullOrEmpty(delimiter))
            return null;
        var at = key.IndexOf(delimiter, prefix.Length, StringComparison.Ordinal);
        return at < 0 ? null : key[..(at + delimiter.Length)];
    }

    /// <summary>Between two entries: after the one of this key, kind and number.</summary>
    private readonly record struct Position(string Key, int Kind, long Id)
    {
        public string Write() => Convert.ToBase64String(Encoding.UTF8.GetBytes($"{Kind} {Id} {Key}"));

        public static Position Read(string text)
        {
            try
            {
                var parts = Encoding.UTF8.GetString(Convert.FromBase64String(text)).Split(' ', 3);
                return new Position(parts[2], int.Parse(parts[0]), long.Parse(parts[1]));
            }
            catch (Exception e) when (e is FormatException or IndexOutOfRangeException or OverflowException)
            {
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "invalid-page",
                    "This is no page's 'next'; begin the listing again without 'after'."
                );
            }
        }
    }
}
