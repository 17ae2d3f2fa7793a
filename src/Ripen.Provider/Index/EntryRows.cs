using Microsoft.Data.Sqlite;

namespace Ripen.Provider.Index;

/// <summary>Kinds of the index's entries, and what holds for a key's versions together.</summary>
internal static class EntryRows
{
    public const int Batch = 0;
    public const int Object = 1;
    public const int Deleted = 2;

    /// <summary>How many objects an entry stands for: of bundles, those that were put into them.</summary>
    public static string Originals(string of = "entry") => $"coalesce({of}.originals, {of}.count)";

    /// <summary>Of each of them.</summary>
    public static string OriginalBytes(string of = "entry") => $"CAST(round({of}.count * {of}.bytes / {Originals(of)}) AS INTEGER)";

    /// <summary>Puts the mark of a deletion on top of a version that has stepped back; gives the mark's number.</summary>
    public static long MarkDeleted(SqliteConnection db, long version, DateOnly today, long now)
    {
        db.Run(
            """
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, tags)
            SELECT bucket, 2, 1, key, 0, 0, ?2, ?3, tier, ?2, tags FROM entry WHERE id = ?1
            """,
            version,
            today.DayNumber,
            now
        );
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    /// <summary>Makes the newest version or mark of a key the current one, if none is.</summary>
    public static void PutNewestOnTop(SqliteConnection db, long bucket, string key) =>
        db.Run(
            """
            UPDATE entry SET current = 1 WHERE id = (
                SELECT id FROM entry WHERE bucket = ?1 AND key = ?2 AND kind > 0 ORDER BY written DESC, coalesce(origin, id) DESC LIMIT 1)
            AND NOT EXISTS (SELECT 1 FROM entry WHERE bucket = ?1 AND key = ?2 AND kind > 0 AND current = 1)
            """,
            bucket,
            key
        );
}

/// <summary>Puts entries into another tier and remembers an object's stay that ends, for what it was charged.</summary>
internal sealed class EntryRelocation(SqliteConnection db) : IDisposable
{
    private readonly SqliteCommand stay = db.Repeated(
        "INSERT OR IGNORE INTO stay(entry, tier, since, until) SELECT id, tier, since, ?2 FROM entry WHERE id = ?1 AND since < ?2",
        2
    );
    private readonly SqliteCommand move = db.Repeated(
        "UPDATE entry SET tier = ?2, since = ?3, ready = coalesce(?4, ready), charged = charged + ?5 WHERE id = ?1",
        5
    );

    /// <param name="id">Of the entry.</param>
    /// <param name="kind">Of the entry.</param>
    /// <param name="tierId">Where it goes.</param>
    /// <param name="today">The day of the move.</param>
    /// <param name="ready">From when it can be read, after a recall; null when the move adds no wait to one that is under way.</param>
    /// <param name="charge">What the move costs, for the object's own account.</param>
    public void Move(long id, int kind, long tierId, DateOnly today, DateTimeOffset? ready, double charge)
    {
        if (kind == EntryRows.Object)
            stay.Again(id, today.DayNumber);
        move.Again(id, tierId, today.DayNumber, ready?.ToUnixTimeMilliseconds(), charge);
    }

    public void Dispose()
    {
        stay.Dispose();
        move.Dispose();
    }
}
