using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>The kinds of differences between the two sides of a rule, as they are named in records.</summary>
internal static class Difference
{
    public const string MissingThere = "missing-there";
    public const string LeftBehind = "left-behind";
    public const string OnlyThere = "only-there";
    public const string Differs = "differs";
    public const string DamagedHere = "damaged-here";
    public const string DamagedThere = "damaged-there";
    public const string Failed = "failed";
}

/// <summary>An entry on one side of a rule.</summary>
internal sealed record Held(
    long Entry,
    long Root,
    long? Home,
    string Key,
    int Kind,
    double Count,
    long Bytes,
    int Created,
    long Written,
    string? Tags,
    byte[]? Sha,
    StoredContent? Content
);

/// <summary>A difference: of which kind, between what, and of how many objects.</summary>
internal sealed record Finding(string Kind, Held Here, Held? There, double Count, string? Note);

/// <summary>The two sides of a route as they lie in the index: objects and marks by their root, weightless objects by what makes them
/// alike, in numbers.</summary>
internal sealed class Comparison
{
    private readonly SqliteConnection db;
    private readonly Route route;
    private readonly List<Held> here;
    private readonly List<Held> there;

    private Comparison(SqliteConnection db, Route route)
    {
        (this.db, this.route) = (db, route);
        here = [.. Side(route.From).Where(h => InScope(h) && (h.Kind != EntryRows.Deleted || route.Rule.FollowDeletions))];
        there = Side(route.To);
    }

    public double Compared { get; private set; }

    public double Bytes { get; private set; }

    public double Same { get; private set; }

    public double Waiting { get; private set; }

    public List<Finding> Findings { get; } = [];

    /// <summary>Objects that are the same by the index: what can be compared byte by byte.</summary>
    public List<(Held Here, Held There)> Pairs { get; } = [];

    public static Comparison Of(SqliteConnection db, Route route)
    {
        var comparison = new Comparison(db, route);
        comparison.CompareObjects();
        comparison.FindObjectsOnlyThere();
        comparison.CompareBatches();
        comparison.FindBatchesOnlyThere();
        return comparison;
    }

    private void CompareObjects()
    {
        var queued = db.List(
                "SELECT p.root, p.failed FROM pending p JOIN route r ON r.id = p.route WHERE r.target = ?1 AND p.kind IN (1, 2)",
                r => (Root: r.GetInt64(0), Why: r.Text(1)),
                route.To.Id
            )
            .GroupBy(p => p.Root)
            .ToDictionary(p => p.Key, p => p.First().Why);
        var byRoot = there.Where(t => t.Kind != EntryRows.Batch).ToDictionary(t => t.Root);
        // Copies from elsewhere do not travel further.
        foreach (var own in here.Where(h => h.Kind != EntryRows.Batch && (h.Home is null || byRoot.ContainsKey(h.Root))))
        {
            var isObject = own.Kind == EntryRows.Object;
            if (isObject)
                (Compared, Bytes) = (Compared + 1, Bytes + own.Bytes);
            if (byRoot.TryGetValue(own.Root, out var other))
            {
                if (!IsSame(own, other))
                    Findings.Add(
                        new Finding(Difference.Differs, own, other, 1, "The key, the size, the tags or the SHA-256 is another there.")
                    );
                else if (isObject)
                {
                    Same++;
                    Pairs.Add((own, other));
                }
            }
            else if (!queued.TryGetValue(own.Root, out var why))
                Findings.Add(new Finding(KindOfMissing(own), own, null, 1, null));
            else if (why is not null)
                Findings.Add(new Finding(Difference.Failed, own, null, 1, CopyStatuses.Why(why, route)));
            else if (isObject)
                Waiting++;
        }
    }

    private void FindObjectsOnlyThere()
    {
        // A mark that is being taken back is on its way out.
        var known = here.Select(h => h.Root)
            .Concat(db.List("SELECT root FROM pending WHERE route = ?1 AND kind = 3", r => r.GetInt64(0), route.Id))
            .ToHashSet();
        Findings.AddRange(
            there
                .Where(t => t.Kind != EntryRows.Batch && t.Home == route.From.Id && !known.Contains(t.Root) && InScope(t))
                .Select(t => OnlyThere(t, 1))
        );
    }

    private void CompareBatches()
    {
        var (each, all) = (EntryRows.OriginalBytes("p"), EntryRows.Originals("p"));
        var onTheWay = db.List(
                $"""
                SELECT p.key, p.created, {each}, sum({all}) FROM pending p JOIN route r ON r.id = p.route
                WHERE r.target = ?1 AND p.kind = 0 GROUP BY 1, 2, 3
                """,
                r => (Key: new Alike(r.GetString(0), r.GetInt32(1), r.GetInt64(2)), Count: r.GetDouble(3)),
                route.To.Id
            )
            .ToDictionary(p => p.Key, p => p.Count);
        var arrived = Batches(there);
        foreach (var group in here.Where(h => h.Kind == EntryRows.Batch && h.Home is null).GroupBy(Alikeness))
        {
            var count = group.Sum(h => h.Count);
            var (has, moving) = (arrived.GetValueOrDefault(group.Key), onTheWay.GetValueOrDefault(group.Key));
            (Compared, Bytes) = (Compared + count, Bytes + (count * group.Key.Bytes));
            (Same, Waiting) = (Same + Math.Min(count, has), Waiting + moving);
            var missing = count - has - moving;
            if (missing > Rounding(count))
                Findings.Add(new Finding(KindOfMissing(group.First()), group.First(), null, missing, null));
        }
    }

    private void FindBatchesOnlyThere()
    {
        var own = Batches(here);
        foreach (var group in there.Where(t => t.Kind == EntryRows.Batch && IsFromHere(t) && InScope(t)).GroupBy(Alikeness))
        {
            var more = group.Sum(t => t.Count) - own.GetValueOrDefault(group.Key);
            if (more > Rounding(more))
                Findings.Add(OnlyThere(group.First(), more));
        }
    }

    private bool InScope(Held held) => route.Rule.Scope.Takes(held.Key, TagText.Read(held.Tags));

    private static bool IsSame(Held own, Held other) =>
        own.Key == other.Key && own.Bytes == other.Bytes && own.Tags == other.Tags && (own.Sha ?? []).AsSpan().SequenceEqual(other.Sha);

    private static Finding OnlyThere(Held held, double count) => new(Difference.OnlyThere, held, null, count, "The source has it no more.");

    /// <summary>What was there before a rule without catch-up stays behind because somebody decided so.</summary>
    private string KindOfMissing(Held own) =>
        !route.Rule.CatchUp && own.Entry <= route.NewestBefore ? Difference.LeftBehind : Difference.MissingThere;

    /// <summary>Whether weightless objects there came from here. What an import brought tells of no home: in a bucket without a workload
    /// of its own it is a copy.</summary>
    private bool IsFromHere(Held held) => held.Home is null ? route.To.Bucket.Streams.Count == 0 : held.Home == route.From.Id;

    private readonly record struct Alike(string Key, int Created, long Bytes);

    private static Alike Alikeness(Held held) => new(held.Key, held.Created, held.Bytes);

    private static Dictionary<Alike, double> Batches(List<Held> side) =>
        side.Where(h => h.Kind == EntryRows.Batch).GroupBy(Alikeness).ToDictionary(g => g.Key, g => g.Sum(h => h.Count));

    private static double Rounding(double count) => 1e-6 * Math.Max(1, count);

    private List<Held> Side(BucketTerms bucket) =>
        db.List(
            $"""
            SELECT e.id, coalesce(e.origin, e.id), e.home, e.key, e.kind, {EntryRows.Originals("e")},
                CASE e.kind WHEN 0 THEN {EntryRows.OriginalBytes("e")} ELSE e.bytes END, e.created, e.written, e.tags, c.sha256,
                {StoredContent.Columns}
            FROM entry e {StoredContent.Joins} WHERE e.bucket = ?1 ORDER BY e.key, e.id
            """,
            r => new Held(
                r.GetInt64(0),
                r.GetInt64(1),
                r.Long(2),
                r.GetString(3),
                r.GetInt32(4),
                r.GetDouble(5),
                r.GetInt64(6),
                r.GetInt32(7),
                r.GetInt64(8),
                r.Text(9),
                r.Blob(10),
                StoredContent.Read(r, 11)
            ),
            bucket.Id
        );
}
