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
        var has = Batches(
            db,
            $"SELECT coalesce(origin, part_of, id), sum({EntryRows.Originals()}) FROM entry WHERE bucket = ?1 AND kind = 0",
            route.To.Id
        );
        foreach (
            var (root, waits) in Batches(
                db,
                $"SELECT root, sum({EntryRows.Originals("pending")}) FROM pending WHERE route = ?1 AND kind = 0",
                route.Id
            )
        )
            has[root] = has.GetValueOrDefault(root) + waits;
        foreach (var row in Candidates(db, route))
        {
            var missing = row.Count;
            if (row.Kind == EntryRows.Batch && has.TryGetValue(row.Root, out var there))
            {
                missing = Math.Max(0, row.Count - there);
                has[row.Root] = there - row.Count + missing;
            }
            // Expectations are sums of parts: what is left of a millionth of an object is rounding.
            if (missing <= 1e-6 || !route.Rule.Scope.Takes(row.Key, TagText.Read(row.Tags)))
                continue;
            Add(db, route, row.Id, Lanes.Of(row.Bytes), row.Kind == EntryRows.Batch ? missing : null, now);
        }
    }

    /// <summary>Weightless objects by the number of the batch that they arrived in.</summary>
    private static Dictionary<long, double> Batches(SqliteConnection db, string query, long of) =>
        db.List(query + " GROUP BY 1", r => (Root: r.GetInt64(0), Count: r.GetDouble(1)), of).ToDictionary(b => b.Root, b => b.Count);

    /// <summary>Queues one entry, or <paramref name="count"/> of the weightless objects that it stands for, since now.</summary>
    public static void Add(SqliteConnection db, Route route, long entry, Lane lane, double? count = null, long? now = null) =>
        db.Run(
            $"INSERT INTO pending({Columns}, rewrite, replaced, originals) SELECT ?1, ?3, kind, coalesce(origin, part_of, id), "
                + $"coalesce(home, bucket), key, coalesce(?4 * count / {EntryRows.Originals()}, count), bytes, created, written, content, media, "
                + "tags, ?5, rewrite, replaced_on IS NOT NULL, CASE WHEN originals IS NULL THEN NULL ELSE coalesce(?4, originals) END "
                + "FROM entry WHERE id = ?2",
            route.Id,
            entry,
            (int)lane,
            count,
            now ?? ProviderState.Now(db).ToUnixTimeMilliseconds()
        );

    private sealed record Candidate(long Id, long Root, int Kind, string Key, long Bytes, string? Tags, double Count);

    private static List<Candidate> Candidates(SqliteConnection db, Route route) =>
        db.List(
            $"""
            SELECT e.id, coalesce(e.origin, e.part_of, e.id), e.kind, e.key, e.bytes, e.tags, CASE WHEN e.kind = 0 THEN {EntryRows.Originals(
                "e"
            )}
                WHEN EXISTS (SELECT 1 FROM entry c WHERE c.bucket = ?2 AND c.kind > 0
                    AND coalesce(c.origin, c.id) = coalesce(e.origin, e.id))
                    OR EXISTS (SELECT 1 FROM pending p JOIN route r ON r.id = p.route WHERE p.root = coalesce(e.origin, e.id)
                        AND p.kind < 3 AND r.target = ?2) THEN 0
                ELSE 1 END
            FROM entry e WHERE e.bucket = ?1 AND e.key >= ?3 AND (?4 IS NULL OR e.key < ?4) AND e.kind <= ?5
                AND (e.kind > 0 OR (e.superseded IS NULL AND e.run IS NULL)) ORDER BY e.id
            """,
            r => new Candidate(r.GetInt64(0), r.GetInt64(1), r.GetInt32(2), r.GetString(3), r.GetInt64(4), r.Text(5), r.GetDouble(6)),
            route.From.Id,
            route.To.Id,
            route.Rule.Prefix,
            ObjectKeys.After(route.Rule.Prefix),
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
