using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Keeping;

namespace Ripen.Provider.Objects;

/// <summary>Rows of the index's table of entries as records.</summary>
internal static class EntryRows
{
    public const int Batch = 0;
    public const int Object = 1;
    public const int Deleted = 2;

    public const string Columns =
        "e.id, e.key, e.count, e.bytes, e.created, e.written, e.tier, e.since, e.touched, e.current, e.kind, e.origin, c.sha256, e.media, e.ready, e.tags, e.arrived, e.home, e.sealed_until, e.liftable_until";

    public const string From = "entry e LEFT JOIN content c ON c.name = e.content";

    public static StoredVersion Read(SqliteDataReader r, Terms terms)
    {
        var created = DateOnly.FromDayNumber(r.GetInt32(4));
        return new StoredVersion(
            r.GetInt64(0), r.GetString(1), r.GetDouble(2), r.GetInt64(3), created, DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(5)),
            terms.TierName(r.GetInt64(6)), DateOnly.FromDayNumber(r.GetInt32(7)), r.Int(8) is { } day ? DateOnly.FromDayNumber(day) : null,
            r.GetInt32(9) == 1, r.GetInt32(10) == Batch, r.GetInt32(10) == Deleted, !r.IsDBNull(17),
            r.Blob(12) is { } sha ? Convert.ToHexStringLower(sha) : null, r.Text(13), RetentionGate.Borne(r.Int(18), r.Int(19)),
            r.Long(14) is { } ready ? DateTimeOffset.FromUnixTimeMilliseconds(ready) : null,
            TagText.Read(r.Text(15)), r.Long(16) is { } arrived ? DateTimeOffset.FromUnixTimeMilliseconds(arrived) : null, r.Long(11) ?? r.GetInt64(0));
    }

    /// <summary>Makes the newest version or mark of a key the current one, if none is.</summary>
    public static void PutNewestOnTop(SqliteConnection db, long bucket, string key) => db.Run("""
        UPDATE entry SET current = 1 WHERE id = (
            SELECT id FROM entry WHERE bucket = ?1 AND key = ?2 AND kind > 0 ORDER BY written DESC, coalesce(origin, id) DESC LIMIT 1)
        AND NOT EXISTS (SELECT 1 FROM entry WHERE bucket = ?1 AND key = ?2 AND kind > 0 AND current = 1)
        """, bucket, key);
}

/// <summary>Puts entries into another tier and remembers an object's stay that ends, for what it was charged.</summary>
internal sealed class EntryRelocation(SqliteConnection db) : IDisposable
{
    private readonly SqliteCommand stay = db.Repeated(
        "INSERT OR IGNORE INTO stay(entry, tier, since, until) SELECT id, tier, since, ?2 FROM entry WHERE id = ?1 AND since < ?2", 2);
    private readonly SqliteCommand move = db.Repeated("UPDATE entry SET tier = ?2, since = ?3, ready = coalesce(?4, ready), charged = charged + ?5 WHERE id = ?1", 5);

    /// <param name="id">Of the entry.</param>
    /// <param name="kind">Of the entry.</param>
    /// <param name="tierId">Where it goes.</param>
    /// <param name="today">The day of the move.</param>
    /// <param name="ready">From when it can be read, after a recall; null when the move adds no wait to one that is under way.</param>
    /// <param name="charge">What the move costs, for the object's own account.</param>
    public void Move(long id, int kind, long tierId, DateOnly today, DateTimeOffset? ready, double charge)
    {
        if (kind == EntryRows.Object) stay.Again(id, today.DayNumber);
        move.Again(id, tierId, today.DayNumber, ready?.ToUnixTimeMilliseconds(), charge);
    }

    public void Dispose()
    {
        stay.Dispose();
        move.Dispose();
    }
}
