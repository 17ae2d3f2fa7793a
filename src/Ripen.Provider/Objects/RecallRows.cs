using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Objects;

/// <summary>A copy of something that rests where reading takes a wait.</summary>
/// <param name="Tier">The id of the tier where the copy lies.</param>
/// <param name="Ready">From when it can be read.</param>
/// <param name="Until">The day from which it is not there.</param>
public sealed record RecalledCopy(string Tier, DateTimeOffset Ready, DateOnly Until);

/// <summary>Rows of the index's table of recalls.</summary>
internal static class RecallRows
{
    /// <param name="row">With tier, ready and until.</param>
    /// <param name="at">Where the tier stands.</param>
    /// <param name="terms">In force.</param>
    public static RecalledCopy Read(SqliteDataReader row, int at, Terms terms) =>
        new(
            terms.TierName(row.GetInt64(at)),
            DateTimeOffset.FromUnixTimeMilliseconds(row.GetInt64(at + 1)),
            DateOnly.FromDayNumber(row.GetInt32(at + 2))
        );

    /// <summary>A copy that is asked for again stays longer, and is ready when the first one is.</summary>
    public static void Put(SqliteConnection db, long entry, long tier, DateTimeOffset ready, DateOnly until) =>
        db.Run(
            """
            INSERT INTO recall(entry, tier, ready, from_day, until) VALUES(?1, ?2, ?3, ?4, ?5)
            ON CONFLICT DO UPDATE SET until = max(until, excluded.until)
            """,
            entry,
            tier,
            ready.ToUnixTimeMilliseconds(),
            DateOnly.FromDateTime(ready.UtcDateTime).DayNumber,
            until.DayNumber
        );

    /// <summary>Copies that rest on a day.</summary>
    public static List<(long Bucket, string Key, long Tier, double Count, long Bytes)> On(SqliteConnection db, DateOnly day) =>
        db.List(
            """
            SELECT e.bucket, e.key, r.tier, e.count, e.bytes FROM recall r JOIN entry e ON e.id = r.entry
            WHERE r.from_day <= ?1 AND r.until > ?1
            """,
            r => (r.GetInt64(0), r.GetString(1), r.GetInt64(2), r.GetDouble(3), r.GetInt64(4)),
            day.DayNumber
        );

    /// <summary>Copies of a bucket that are there, or on their way, from <paramref name="today"/> on.</summary>
    public static IReadOnlyList<RecalledLot> Lots(SqliteConnection db, Terms terms, BucketTerms bucket, DateOnly today) =>
        db.List(
            """
            SELECT r.tier, sum(e.count), e.bytes, max(r.from_day, ?2), r.until FROM recall r JOIN entry e ON e.id = r.entry
            WHERE e.bucket = ?1 AND r.until > ?2 GROUP BY r.tier, e.bytes, max(r.from_day, ?2), r.until
            """,
            r => new RecalledLot(
                terms.TierName(r.GetInt64(0)),
                r.GetDouble(1),
                r.GetInt64(2),
                DateOnly.FromDayNumber(r.GetInt32(3)),
                DateOnly.FromDayNumber(r.GetInt32(4))
            ),
            bucket.Id,
            today.DayNumber
        );

    /// <summary>What ends with a day goes with it.</summary>
    public static void End(SqliteConnection db, DateOnly day) => db.Run("DELETE FROM recall WHERE until <= ?1", day.DayNumber + 1);
}
