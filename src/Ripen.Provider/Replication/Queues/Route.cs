using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication.Queues;

/// <summary>
/// A copy rule at work between two buckets; a refill has no rule in the plan and goes when nothing waits on it any more. Entries up to
/// <see cref="NewestBefore"/> were there before it.
/// </summary>
internal sealed record Route(
    long Id,
    BucketTerms From,
    BucketTerms To,
    CopyRule Rule,
    bool IsRefill,
    DateTimeOffset Made,
    long NewestBefore
)
{
    /// <summary>Where copies land, from warm (0) to cold.</summary>
    public int Landing(Terms terms) => terms.Prices.Coldness(Rule.Tier ?? To.Bucket.Tier);

    public LineEnds Line => new(From.Bucket.Region, To.Bucket.Region);
}

/// <summary>The regions that a line goes from and to; they may be the same.</summary>
internal readonly record struct LineEnds(string From, string To);

internal static class Routes
{
    public static List<Route> All(SqliteConnection db, Terms terms) => Read(db, terms, "", null);

    public static List<Route> From(SqliteConnection db, Terms terms, BucketTerms bucket) =>
        Read(db, terms, "WHERE r.bucket = ?1", bucket.Id);

    /// <exception cref="RefusalException">There is no such route.</exception>
    public static Route Find(SqliteConnection db, Terms terms, long id) =>
        Read(db, terms, "WHERE r.id = ?1", id).SingleOrDefault()
        ?? throw new RefusalException(RefusalKind.NotFound, "no-copy-rule", "There is no such replication rule any more.");

    /// <summary>Makes a route for every rule of the plan that has none, and removes those, with all that waits on them, whose rule is
    /// gone.</summary>
    /// <param name="db">Inside a transaction.</param>
    /// <param name="terms">The plan.</param>
    /// <param name="brought">Buckets whose stock, and what waits on their rules, the plan brings.</param>
    public static void Adopt(SqliteConnection db, Terms terms, IReadOnlyCollection<BucketTerms> brought)
    {
        var now = ProviderState.Now(db).ToUnixTimeMilliseconds();
        var wanted = new HashSet<long>();
        foreach (var bucket in terms.Buckets)
        {
            foreach (var (rule, place) in Places(bucket.Bucket.CopyTo))
            {
                object[] key = [bucket.Id, terms[rule.Bucket].Id, rule.Prefix, TagText.Write(rule.Tags) ?? "", place];
                db.Run(
                    """
                    INSERT OR IGNORE INTO route(bucket, target, prefix, tags, place, refill, caught_up, made, newest)
                    VALUES(?1, ?2, ?3, ?4, ?5, 0, 0, ?6, coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'entry'), 0))
                    """,
                    [.. key, now]
                );
                var id = db.Value<long>(
                    "SELECT id FROM route WHERE bucket = ?1 AND target = ?2 AND prefix = ?3 AND tags = ?4 AND place = ?5 AND refill = 0",
                    key
                );
                wanted.Add(id);
                var route = new Route(id, bucket, terms[rule.Bucket], rule, false, default, 0);
                // What waits already is ahead of what is to be caught up with.
                if (brought.Contains(bucket))
                    CopyQueue.Put(db, route);
                CopyQueue.CatchUp(db, route, now);
            }
        }
        foreach (var id in db.List("SELECT id FROM route WHERE refill = 0", r => r.GetInt64(0)).Where(id => !wanted.Contains(id)))
        {
            ProbeRows.Forget(db, id);
            db.Run("DELETE FROM route WHERE id = ?1", id);
        }
        QueueUploadsOfOlderLayout(db, terms);
        RetentionGate.Sweep(db);
    }

    /// <exception cref="RefusalException">A rule would go under a probe that is kept.</exception>
    public static void DemandNoKeptProbe(SqliteConnection db, Estate after)
    {
        var wanted = after
            .Buckets.SelectMany(b =>
                Places(b.CopyTo).Select(p => (b.Name, p.Rule.Bucket, p.Rule.Prefix, TagText.Write(p.Rule.Tags) ?? "", p.Place))
            )
            .ToHashSet();
        foreach (
            var (id, key) in db.List(
                "SELECT p.route, b.name, t.name, r.prefix, r.tags, r.place FROM probe p JOIN route r ON r.id = p.route JOIN bucket b "
                    + "ON b.id = r.bucket JOIN bucket t ON t.id = r.target",
                r => (r.GetInt64(0), (r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4), r.GetInt32(5)))
            )
        )
        {
            if (!wanted.Contains(key))
                ProbeRows.DemandNoneKept(db, id);
        }
    }

    /// <summary>Before routes had queues, a day's uploads were copied when it closed: those of an unfinished day wait since the first
    /// look.</summary>
    private static void QueueUploadsOfOlderLayout(SqliteConnection db, Terms terms)
    {
        if (db.Run("DELETE FROM meta WHERE name = 'unqueued'") == 0)
            return;
        var today = ProviderState.Today(db).DayNumber;
        foreach (var bucket in terms.Buckets)
        {
            foreach (
                var (entry, key, bytes) in db.List(
                    "SELECT id, key, bytes FROM entry WHERE bucket = ?1 AND kind = 1 AND home IS NULL AND created = ?2 ORDER BY id",
                    r => (r.GetInt64(0), r.GetString(1), r.GetInt64(2)),
                    bucket.Id,
                    today
                )
            )
            {
                CopyQueue.Written(db, terms, bucket, entry, key, null, bytes);
            }
        }
        db.Run("UPDATE bucket SET changes = changes + 1");
    }

    /// <summary>The route by which a bucket gets back what only <paramref name="from"/> still has.</summary>
    public static Route Refill(SqliteConnection db, Terms terms, BucketTerms from, BucketTerms to)
    {
        db.Run(
            "INSERT OR IGNORE INTO route(bucket, target, prefix, tags, place, refill, caught_up, made) VALUES(?1, ?2, '', '', 0, 1, 1, ?3)",
            from.Id,
            to.Id,
            ProviderState.Now(db).ToUnixTimeMilliseconds()
        );
        return Read(db, terms, "WHERE r.bucket = ?1 AND r.target = ?2 AND r.refill = 1", from.Id, to.Id).Single();
    }

    /// <summary>Every rule with its place among those of the very same scope and target: documents may name one twice.</summary>
    private static IEnumerable<(CopyRule Rule, int Place)> Places(IReadOnlyList<CopyRule> rules) =>
        rules.Select((rule, i) => (rule, rules.Take(i).Count(rule.IsSame)));

    private static List<Route> Read(SqliteConnection db, Terms terms, string where, params ReadOnlySpan<object?> values) =>
        db.List(
            "SELECT r.id, b.name, t.name, r.prefix, r.tags, r.place, r.refill, r.made, r.newest FROM route r JOIN bucket b ON b.id = "
                + $"r.bucket JOIN bucket t ON t.id = r.target {where} ORDER BY r.id",
            r =>
            {
                var scope = new CopyRule
                {
                    Bucket = r.GetString(2),
                    Prefix = r.GetString(3),
                    Tags = TagText.Read(r.GetString(4)),
                };
                var (from, refill) = (terms[r.GetString(1)], r.GetInt32(6) == 1);
                var rule = refill ? scope : Places(from.Bucket.CopyTo).Single(p => p.Rule.IsSame(scope) && p.Place == r.GetInt32(5)).Rule;
                return new Route(
                    r.GetInt64(0),
                    from,
                    terms[scope.Bucket],
                    rule,
                    refill,
                    DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(7)),
                    r.GetInt64(8)
                );
            },
            values
        );
}
