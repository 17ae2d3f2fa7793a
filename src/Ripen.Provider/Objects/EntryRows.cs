using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Objects;

/// <summary>Rows of the index's table of entries as records.</summary>
internal static class EntryRows
{
    public const int Batch = 0;
    public const int Object = 1;
    public const int Deleted = 2;

    public const string Columns =
        "e.id, e.key, e.count, e.bytes, e.created, e.written, e.tier, e.since, e.touched, e.current, e.kind, e.origin, c.sha256, e.media, e.ready";

    public const string From = "entry e LEFT JOIN content c ON c.name = e.content";

    public static StoredVersion Read(SqliteDataReader r, Terms terms, BucketTerms bucket)
    {
        var created = DateOnly.FromDayNumber(r.GetInt32(4));
        return new StoredVersion(
            r.GetInt64(0), r.GetString(1), r.GetDouble(2), r.GetInt64(3), created, DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(5)),
            terms.TierName(r.GetInt64(6)), DateOnly.FromDayNumber(r.GetInt32(7)), r.Int(8) is { } day ? DateOnly.FromDayNumber(day) : null,
            r.GetInt32(9) == 1, r.GetInt32(10) == Batch, r.GetInt32(10) == Deleted, !r.IsDBNull(11),
            r.Blob(12) is { } sha ? Convert.ToHexStringLower(sha) : null, r.Text(13), bucket.KeptUntil(created),
            r.Long(14) is { } ready ? DateTimeOffset.FromUnixTimeMilliseconds(ready) : null);
    }

    /// <summary>Removes an entry; content that nothing speaks of any more goes to the trash, to be removed from the disk after the transaction.</summary>
    public static void Remove(SqliteConnection db, long id)
    {
        var content = db.Value<string>("SELECT content FROM entry WHERE id = ?1", id);
        db.Run("DELETE FROM entry WHERE id = ?1", id);
        if (content is null || db.Value<long>("SELECT count(*) FROM entry WHERE content = ?1", content) > 0) return;
        db.Run("INSERT OR IGNORE INTO trash SELECT name FROM content WHERE name = ?1", content);
        db.Run("DELETE FROM content WHERE name = ?1", content);
    }
}
