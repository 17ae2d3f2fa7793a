using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Retention;

/// <summary>Legal holds in the index. Each entry bears the day until which holds keep it (the calendar's last while one has no end), so that
/// everything that asks what is kept asks one question.</summary>
internal static class HoldRows
{
    /// <summary>Writes down what a bucket's plan says, and has its entries bear it.</summary>
    public static void Adopt(SqliteConnection db, Bucket bucket)
    {
        var id = db.Value<long>("SELECT id FROM bucket WHERE name = ?1", bucket.Name);
        db.Run("DELETE FROM hold WHERE bucket = ?1", id);
        foreach (var hold in bucket.Holds)
        {
            db.Run(
                "INSERT INTO hold(bucket, name, prefix, placed, released) VALUES(?1, ?2, ?3, ?4, ?5)",
                id,
                hold.Id,
                hold.Prefix,
                hold.Placed.DayNumber,
                hold.Released?.DayNumber
            );
            var row = db.Value<long>("SELECT last_insert_rowid()");
            foreach (var pair in TagText.Write(hold.Tags)?.Split('&') ?? [])
                db.Run("INSERT INTO hold_tag(hold, pair) VALUES(?1, ?2)", row, pair);
        }
        Bear(db, id);
    }

    /// <summary>Holds that were placed for the day that begins hold from now on.</summary>
    public static void BeginDay(SqliteConnection db, DateOnly day)
    {
        foreach (var bucket in db.List("SELECT DISTINCT bucket FROM hold WHERE placed = ?1", r => r.GetInt64(0), day.DayNumber))
            Bear(db, bucket);
    }

    private static void Bear(SqliteConnection db, long bucket) =>
        db.Run(
            $"""
            UPDATE entry SET held_until = {Schema.HeldUntil("entry")}
            WHERE bucket = ?1 AND kind < 2 AND (held_until IS NOT NULL OR EXISTS (SELECT 1 FROM hold WHERE bucket = ?1))
            """,
            bucket
        );

    /// <summary>What each hold of a bucket matches today, by its name: with earlier versions and weightless objects.</summary>
    public static IReadOnlyDictionary<string, (double Objects, double Bytes)> Matched(SqliteConnection db, string bucket) =>
        db.List(
                $"""
                SELECT h.name, coalesce(sum(e.count), 0), coalesce(sum(e.count * e.bytes), 0) FROM bucket b JOIN hold h ON h.bucket = b.id
                    LEFT JOIN entry e ON e.bucket = b.id AND e.kind < 2 AND {Schema.Matches("e")}
                WHERE b.name = ?1 GROUP BY h.id
                """,
                r => (r.GetString(0), (r.GetDouble(1), r.GetDouble(2))),
                bucket
            )
            .ToDictionary();

    /// <summary>The same of what could be held.</summary>
    public static (double Objects, double Bytes) WouldMatch(SqliteConnection db, string bucket, Scope scope)
    {
        var (objects, bytes) = (0.0, 0.0);
        foreach (
            var (key, tags, count, size) in db.Each(
                """
                SELECT e.key, e.tags, e.count, e.bytes FROM entry e JOIN bucket b ON b.id = e.bucket
                WHERE b.name = ?1 AND e.kind < 2 AND substr(e.key, 1, length(?2)) = ?2
                """,
                r => (r.GetString(0), r.Text(1), r.GetDouble(2), r.GetInt64(3)),
                bucket,
                scope.Prefix
            )
        )
        {
            if (!scope.Takes(key, TagText.Read(tags)))
                continue;
            objects += count;
            bytes += count * size;
        }
        return (objects, bytes);
    }
}
