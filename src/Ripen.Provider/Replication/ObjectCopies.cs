using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>Where a version also is, or will be.</summary>
/// <param name="Bucket">There.</param>
/// <param name="Region">There.</param>
/// <param name="State">Of this copy.</param>
/// <param name="Since">Since when it is there; since when it waits.</param>
/// <param name="Version">Its number there; null when it is not there yet.</param>
/// <param name="Tier">Where it rests; null when it is not there yet.</param>
/// <param name="Why">A failure's reason.</param>
public sealed record CopyOfObject(
    string Bucket,
    string Region,
    CopyState State,
    DateTimeOffset Since,
    long? Version,
    string? Tier,
    string? Why
);

/// <summary>Original: where it was written first. Unreachable: its region is lost.</summary>
public enum CopyState
{
    Original,
    There,
    Unreachable,
    Waiting,
    Failed,
}

internal static class ObjectCopies
{
    /// <summary>All other places of a version, the original first.</summary>
    /// <exception cref="RefusalException">There is no such version.</exception>
    public static List<CopyOfObject> Of(SqliteConnection db, Terms terms, string bucket, long version)
    {
        var root = db.List(
                "SELECT coalesce(origin, id) FROM entry WHERE id = ?1 AND bucket = ?2 AND kind > 0",
                r => r.GetInt64(0),
                version,
                terms[bucket].Id
            )
            .DefaultIfEmpty(-1)
            .Single();
        if (root < 0)
            throw RefusalException.NoVersion("the object", version);
        var there = db.List(
            """
            SELECT b.name, e.id, e.tier, coalesce(e.arrived, e.written), e.home IS NULL FROM entry e JOIN bucket b ON b.id = e.bucket
            WHERE e.kind > 0 AND coalesce(e.origin, e.id) = ?1 AND e.id <> ?2 ORDER BY e.home IS NULL DESC, b.name
            """,
            r =>
            {
                var own = terms[r.GetString(0)].Bucket;
                var state =
                    Lines.IsLost(db, own.Region) ? CopyState.Unreachable
                    : r.GetInt32(4) == 1 ? CopyState.Original
                    : CopyState.There;
                return new CopyOfObject(
                    own.Name,
                    own.Region,
                    state,
                    Lines.Instant(r.GetInt64(3)),
                    r.GetInt64(1),
                    terms.TierName(r.GetInt64(2)),
                    null
                );
            },
            root,
            version
        );
        var waiting = db.List(
            "SELECT route, failed, asked FROM pending WHERE root = ?1 AND kind IN (1, 2) ORDER BY id",
            r =>
            {
                var route = Routes.Find(db, terms, r.GetInt64(0));
                var failed = r.Text(1);
                return new CopyOfObject(
                    route.To.Bucket.Name,
                    route.To.Bucket.Region,
                    failed is null ? CopyState.Waiting : CopyState.Failed,
                    Lines.Instant(r.GetInt64(2)),
                    null,
                    null,
                    failed is null ? null : CopyStatuses.Why(failed, route)
                );
            },
            root
        );
        return [.. there, .. waiting.Where(w => w.Bucket != bucket)];
    }
}
