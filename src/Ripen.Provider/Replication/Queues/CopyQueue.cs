using Microsoft.Data.Sqlite;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Replication;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Replication.Queues;

/// <summary>Puts what has to be copied into the queues of its routes, inside the transaction in which it came to be.</summary>
internal static class CopyQueue
{
    /// <summary>Kind of a waiting row: the mark of a deletion is taken back on the other side as well.</summary>
    public const int Unmark = 3;

    private const string Columns = "route, lane, kind, root, home, key, count, bytes, created, written, content, media, tags, asked";

    /// <summary>An object was written: it waits on one route to each bucket that wants it. Copies do not travel further.</summary>
    public static void Written(SqliteConnection db, Terms terms, BucketTerms bucket, long entry, string key, string? tags, long bytes)
    {
        foreach (var route in Wanting(db, terms, bucket, key, tags))
            Add(db, route, entry, Lanes.Of(bytes));
    }

    /// <summary>A deletion was marked, or its mark taken back.</summary>
    public static void Deleted(SqliteConnection db, Terms terms, BucketTerms bucket, long mark, string key, string? tags, bool takenBack)
    {
        foreach (var route in Wanting(db, terms, bucket, key, tags).Where(r => r.Rule.FollowDeletions))
        {
            if (!takenBack)
                Add(db, route, mark, Lane.Small);
            else
            {
                db.Run(
                    $"INSERT INTO pending({Columns}) SELECT ?1, 0, ?3, coalesce(origin, id), coalesce(home, bucket), key, 0, 0, "
                        + "created, written, NULL, NULL, tags, ?4 FROM entry WHERE id = ?2",
                    route.Id,
                    mark,
                    Unmark,
                    ProviderState.Now(db).ToUnixTimeMilliseconds()
                );
            }
        }
    }

    /// <summary>A simulated workload's objects arrived: they wait on every route that takes them.</summary>
    public static void Arrived(SqliteConnection db, Route route, long batch, ObjectStream stream, double objects, DateOnly day)
    {
        var written = ProviderState.Midnight(day).ToUnixTimeMilliseconds();
        db.Run(
            $"INSERT INTO pending({Columns}, rewrite, replaced) VALUES(?1, ?2, 0, ?3, ?10, ?4, ?5, ?6, ?7, ?8, NULL, NULL, ?9, ?8, ?11, "
                + "?11 IS NOT NULL)",
            route.Id,
            (int)Lanes.Of(stream.BytesPerObject),
            batch,
            stream.Prefix,
            objects,
            stream.BytesPerObject,
            day.DayNumber,
            written,
            TagText.Write(stream.Tags),
            route.From.Id,
            stream.ReplacedAfterDays
        );
    }

    /// <summary>A plan's run stored objects in the route's source.</summary>
    public static void Stored(SqliteConnection db, Route route, long batch, BackupTarget target, double objects, DateOnly day, long run) =>
        db.Run(
            $"INSERT INTO pending({Columns}, run, follows) VALUES(?1, ?2, 0, ?3, ?9, ?4, ?5, ?6, ?7, ?8, NULL, NULL, NULL, ?8, ?10, ?11)",
            route.Id,
            (int)Lanes.Of(target.PackBytes),
            batch,
            target.Prefix,
            objects,
            target.PackBytes,
            day.DayNumber,
            ProviderState.Midnight(day).ToUnixTimeMilliseconds(),
            route.From.Id,
            run,
            route.Rule.FollowDeletions ? 1 : 0
        );

    /// <summary>What an estate says that already waits.</summary>
    public static void Put(SqliteConnection db, Route route)
    {
        foreach (var lot in route.Rule.Waiting.Where(w => w.Count > 0))
        {
            // Its originals are not known: the document tells stock and what waits in sums.
            db.Run(
                $"INSERT INTO pending({Columns}) VALUES(?1, ?2, 0, 0, ?9, ?3, ?4, ?5, ?6, ?7, NULL, NULL, NULL, ?8)",
                route.Id,
                (int)Lanes.Of(lot.BytesPerObject),
                lot.Prefix,
                lot.Count,
                lot.BytesPerObject,
                lot.Created.DayNumber,
                ProviderState.Midnight(lot.Created).ToUnixTimeMilliseconds(),
                ProviderState.Midnight(lot.Since).ToUnixTimeMilliseconds(),
                route.From.Id
            );
        }
    }

    /// <summary>What lies there when a rule with catch-up is taken up waits as well; asked once, it is done once.</summary>
    public static void CatchUp(SqliteConnection db, Route route, long now)
    {
        var done = db.Value<long>("SELECT caught_up FROM route WHERE id = ?1", route.Id) == 1;
        if (done != route.Rule.CatchUp)
            db.Run("UPDATE route SET caught_up = ?2 WHERE id = ?1", route.Id, route.Rule.CatchUp ? 1 : 0);
        if (!done && route.Rule.CatchUp)
            Missing(db, route, now);
    }

    /// <summary>Queues all in the route's scope that the target neither has nor will get from this route.</summary>
    private static void Missing(SqliteConnection db, Route route, long now)
    {
        foreach (var row in Candidates(db, route))
        {
            // Expectations are sums of parts: what is left of a millionth of an object is rounding.
            if (row.Missing <= 1e-6 || !route.Rule.Scope.Takes(row.Key, TagText.Read(row.Tags)))
                continue;
            Add(db, route, row.Id, Lanes.Of(row.Bytes), row.Missing, now);
        }
    }

    /// <summary>Queues one entry, or <paramref name="count"/> of its weightless objects, since now.</summary>
    public static void Add(SqliteConnection db, Route route, long entry, Lane lane, double? count = null, long? now = null) =>
        db.Run(
            $"INSERT INTO pending({Columns}, rewrite, replaced) SELECT ?1, ?3, kind, coalesce(origin, id), coalesce(home, bucket), key, "
                + "coalesce(?4, count), bytes, created, written, content, media, tags, ?5, rewrite, replaced_on IS NOT NULL FROM entry "
                + "WHERE id = ?2",
            route.Id,
            entry,
            (int)lane,
            count,
            now ?? ProviderState.Now(db).ToUnixTimeMilliseconds()
        );

    private sealed record Candidate(long Id, string Key, long Bytes, string? Tags, double Missing);

    private static List<Candidate> Candidates(SqliteConnection db, Route route) =>
        db.List(
            """
            SELECT e.id, e.key, e.bytes, e.tags,
                CASE WHEN e.kind = 0 THEN e.count
                    - coalesce((SELECT sum(c.count) FROM entry c WHERE c.bucket = ?2 AND c.kind = 0
                        AND (c.origin = coalesce(e.origin, e.id) OR c.id = e.origin)), 0)
                    - coalesce((SELECT sum(p.count) FROM pending p WHERE p.route = ?5 AND p.root = coalesce(e.origin, e.id)), 0)
                WHEN EXISTS (SELECT 1 FROM entry c WHERE c.bucket = ?2 AND c.kind > 0
                    AND coalesce(c.origin, c.id) = coalesce(e.origin, e.id))
                    OR EXISTS (SELECT 1 FROM pending p JOIN route r ON r.id = p.route WHERE p.root = coalesce(e.origin, e.id)
                        AND p.kind < 3 AND r.target = ?2) THEN 0
                ELSE 1 END
            FROM entry e WHERE e.bucket = ?1 AND e.key >= ?3 AND (?4 IS NULL OR e.key < ?4) AND e.kind <= ?6
                AND (e.kind > 0 OR (e.superseded IS NULL AND e.run IS NULL)) ORDER BY e.id
            """,
            r => new Candidate(r.GetInt64(0), r.GetString(1), r.GetInt64(2), r.Text(3), r.GetDouble(4)),
            route.From.Id,
            route.To.Id,
            route.Rule.Prefix,
            ObjectKeys.After(route.Rule.Prefix),
            route.Id,
            route.Rule.FollowDeletions ? EntryRows.Deleted : EntryRows.Object
        );

    /// <summary>Of several rules to one bucket the first that takes the object copies it.</summary>
    public static IEnumerable<Route> Wanting(SqliteConnection db, Terms terms, BucketTerms bucket, string key, string? tags) =>
        bucket.Bucket.CopyTo.Count == 0
            ? []
            : Routes
                .From(db, terms, bucket)
                .Where(r => !r.IsRefill && r.Rule.Scope.Takes(key, TagText.Read(tags)))
                .DistinctBy(r => r.To.Id);
}
