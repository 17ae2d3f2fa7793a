using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication;

/// <summary>What a bucket in a region has, and how much of it can be read elsewhere.</summary>
/// <param name="Bucket">In the region.</param>
/// <param name="Objects">With earlier versions and weightless ones.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="LostObjects">Nowhere else.</param>
/// <param name="LostBytes">Theirs.</param>
/// <param name="ServedBy">Buckets in other regions that have copies.</param>
public sealed record BucketAtRisk(
    string Bucket,
    double Objects,
    double Bytes,
    double LostObjects,
    double LostBytes,
    IReadOnlyList<string> ServedBy
);

/// <summary>What lies in a lost or doomed region and is kept: no rule can prevent that a disaster destroys it.</summary>
/// <param name="Bucket">In the region.</param>
/// <param name="Key">An object's key; the prefix that weightless objects share.</param>
/// <param name="Objects">1, or how many weightless ones.</param>
/// <param name="Bytes">All together.</param>
/// <param name="Until">The first day on which it might go otherwise.</param>
/// <param name="Strength">How strongly it is kept.</param>
public sealed record KeptAtRisk(string Bucket, string Key, double Objects, double Bytes, DateOnly Until, KeepStrength Strength);

/// <summary>What would be gone, or is, with a region.</summary>
/// <param name="Region">Which.</param>
/// <param name="Since">When it was lost; null when it is not.</param>
/// <param name="Buckets">In the region.</param>
/// <param name="Items">By name and size, the largest first: everything that is nowhere else.</param>
/// <param name="Kept">What of all that lies in the region is kept, copies included.</param>
public sealed record RegionLoss(
    string Region,
    DateTimeOffset? Since,
    IReadOnlyList<BucketAtRisk> Buckets,
    IReadOnlyList<ProofItem> Items,
    IReadOnlyList<KeptAtRisk> Kept
)
{
    /// <summary>Changes with the list of what is kept: whoever destroys it says by this that the list was seen. Empty when nothing is
    /// kept.</summary>
    public string KeptSeen { get; } =
        Kept.Count == 0 ? "" : Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\n', Kept))))[..12];

    public double LostObjects => Items.Sum(i => i.Objects);

    public double LostBytes => Items.Sum(i => i.Bytes);
}

/// <summary>Losing a region and getting it back, with its data or without.</summary>
internal sealed class Losses(ProviderState state)
{
    private readonly record struct Alike(string Key, int Created, long Bytes);

    public RegionLoss Foresee(string region) => state.Index.Read(db => Loss(db, Known(db, region)));

    /// <summary>Nothing in the region can be read or written from now on, and nothing passes its lines.</summary>
    public RegionLoss Lose(string region) =>
        state.Change(db =>
        {
            state.Exclusion.DemandQuiet();
            Known(db, region);
            if (Lines.IsLost(db, region))
                throw new RefusalException(RefusalKind.Conflict, "lost-already", $"Region '{region}' is lost already.");
            var loss = Loss(db, region);
            var now = ProviderState.Now(db);
            db.Run("INSERT INTO lost_region VALUES(?1, ?2)", region, now.ToUnixTimeMilliseconds());
            foreach (var bucket in In(db, region))
                ProviderState.Touch(db, bucket);
            Proofs.Keep(
                db,
                state,
                now,
                ProofKind.RegionLost,
                region,
                null,
                loss.Items.Count == 0,
                Summary(loss, "nowhere else"),
                [new ProofStep("lost", now)],
                loss.Items
            );
            state.Note(db, "", $"marked region {state.TermsIn(db).Prices.RegionName(region)} as lost");
            return loss with { Since = now };
        });

    /// <summary>
    /// The region can be reached again. Without its data, everything that lay there is removed and what waited to leave it too; what was
    /// nowhere else is listed in the record.
    /// </summary>
    public ProofHead BringBack(string region, bool withItsData, string? keptSeen) =>
        state.Change(db =>
        {
            state.Exclusion.DemandQuiet();
            Known(db, region);
            if (!Lines.IsLost(db, region))
                throw new RefusalException(RefusalKind.Conflict, "not-lost", $"Region '{region}' is not lost.");
            var now = ProviderState.Now(db);
            var loss = Loss(db, region);
            if (!withItsData)
            {
                if (loss.KeptSeen != (keptSeen ?? ""))
                {
                    throw new RefusalException(
                        RefusalKind.Conflict,
                        "kept-unseen",
                        $"This destroys {Wording.Objects(loss.Kept.Sum(k => k.Objects))} under retention, the last until "
                            + $"{loss.Kept.Max(k => k.Until):yyyy-MM-dd}. Look at the list of them, and send its 'keptSeen' with the "
                            + "order.",
                        "$.keptSeen"
                    );
                }
                RetentionGate.Destroy(db, In(db, region).Select(b => b.Id));
            }
            db.Run("DELETE FROM lost_region WHERE region = ?1", region);
            Lines.TryAgain(db);
            db.Run("UPDATE bucket SET changes = changes + 1");
            var summary = withItsData ? "Back with all its data." : Summary(loss, "gone");
            var id = Proofs.Keep(
                db,
                state,
                now,
                ProofKind.RegionBack,
                region,
                null,
                withItsData || loss.Items.Count == 0,
                summary,
                [new ProofStep("back", now)],
                withItsData ? [] : loss.Items
            );
            state.Note(
                db,
                "",
                $"brought region {state.TermsIn(db).Prices.RegionName(region)} back {(withItsData ? "with its data" : "empty")}"
            );
            return Proofs.Find(db, id).Head;
        });

    private string Known(SqliteConnection db, string region) =>
        state.TermsIn(db).Prices.FindRegion(region) is null
            ? throw new RefusalException(RefusalKind.NotFound, "no-region", $"There is no region '{region}'.")
            : region;

    private IEnumerable<BucketTerms> In(SqliteConnection db, string region) =>
        state.TermsIn(db).Buckets.Where(b => b.Bucket.Region == region);

    /// <summary>Buckets that a rule joins with this one, in either direction.</summary>
    private List<BucketTerms> Partners(SqliteConnection db, BucketTerms own) =>
        [
            .. Routes
                .All(db, state.TermsIn(db))
                .Where(r => r.From == own || r.To == own)
                .Select(r => r.From == own ? r.To : r.From)
                .Distinct(),
        ];

    private RegionLoss Loss(SqliteConnection db, string region)
    {
        var live = state.TermsIn(db).Buckets.Where(b => b.Bucket.Region != region && !Lines.IsLost(db, b.Bucket.Region)).ToList();
        var liveIds = $"({string.Join(',', live.Select(b => b.Id))})";
        var since = Lines.Lost(db).FirstOrDefault(l => l.Region == region)?.Since;
        var (items, buckets, told) = (new List<ProofItem>(), new List<BucketAtRisk>(), new HashSet<long>());
        foreach (var bucket in In(db, region))
        {
            var (objects, bytes) = db.List(
                    "SELECT coalesce(sum(count), 0.0), coalesce(sum(count * bytes), 0.0) FROM entry WHERE bucket = ?1",
                    r => (r.GetDouble(0), r.GetDouble(1)),
                    bucket.Id
                )
                .Single();
            var own = Objects(db, bucket, liveIds).Where(i => told.Add(i.Version)).Concat(Batches(db, bucket, live)).ToList();
            buckets.Add(
                new BucketAtRisk(
                    bucket.Bucket.Name,
                    objects,
                    bytes,
                    own.Sum(i => i.Objects),
                    own.Sum(i => i.Bytes),
                    Serving(db, bucket, live)
                )
            );
            items.AddRange(own);
        }
        return new RegionLoss(
            region,
            since,
            buckets,
            [.. items.OrderByDescending(i => i.Bytes).ThenBy(i => i.Key, StringComparer.Ordinal)],
            [.. In(db, region).SelectMany(b => Kept(db, b))]
        );
    }

    private static List<KeptAtRisk> Kept(SqliteConnection db, BucketTerms bucket) =>
        db.List(
            $"""
            SELECT key, sum(count), sum(count * bytes), sealed_until, liftable_until, held_until FROM entry
            WHERE bucket = ?1 AND {RetentionGate.MayBeKept} AND {RetentionGate.KeptUntil} > ?2
            GROUP BY CASE kind WHEN 0 THEN 0 ELSE id END, key, sealed_until, liftable_until, held_until ORDER BY key, id
            """,
            r =>
            {
                var kept = RetentionGate.Borne(r.Int(3), r.Int(4), r.Int(5))!;
                return new KeptAtRisk(bucket.Bucket.Name, r.GetString(0), r.GetDouble(1), r.GetDouble(2), kept.Until, kept.Strength);
            },
            bucket.Id,
            ProviderState.Today(db).DayNumber
        );

    private static List<ProofItem> Objects(SqliteConnection db, BucketTerms bucket, string live) =>
        db.List(
            $"""
            SELECT e.key, coalesce(e.origin, e.id), e.kind, e.bytes, e.written, e.current, EXISTS (SELECT 1 FROM pending p
                WHERE p.root = coalesce(e.origin, e.id) AND p.kind IN (1, 2))
            FROM entry e WHERE e.bucket = ?1 AND e.kind > 0
            AND NOT EXISTS (SELECT 1 FROM entry c WHERE c.kind > 0 AND coalesce(c.origin, c.id) = coalesce(e.origin, e.id)
                AND c.bucket IN {live})
            """,
            r =>
            {
                var mark = r.GetInt32(2) == EntryRows.Deleted;
                var note =
                    mark ? "The mark of a deletion."
                    : r.GetInt32(6) == 1 ? "Waited to be copied."
                    : r.GetInt32(5) == 1 ? null
                    : "An earlier version.";
                return new ProofItem(
                    mark ? "deletion" : "lost",
                    bucket.Bucket.Name,
                    r.GetString(0),
                    r.GetInt64(1),
                    mark ? 0 : 1,
                    r.GetDouble(3),
                    Lines.Instant(r.GetInt64(4)),
                    note
                );
            },
            bucket.Id
        );

    /// <summary>Weightless objects have no numbers: those of one key, day and size are alike, and as many are safe as a partner has of
    /// them.</summary>
    private IEnumerable<ProofItem> Batches(SqliteConnection db, BucketTerms bucket, List<BucketTerms> live)
    {
        var elsewhere = Partners(db, bucket).Where(live.Contains).Select(p => Alikes(db, p)).ToList();
        return Alikes(db, bucket)
            .Select(own => (own.Key, Lost: own.Value - elsewhere.Select(e => e.GetValueOrDefault(own.Key)).DefaultIfEmpty(0).Max()))
            .Where(l => l.Lost > 1e-6)
            .GroupBy(l => l.Key.Key)
            .Select(g => new ProofItem(
                "lost",
                bucket.Bucket.Name,
                g.Key,
                0,
                g.Sum(l => l.Lost),
                g.Sum(l => l.Lost * l.Key.Bytes),
                ProviderState.Midnight(DateOnly.FromDayNumber(g.Min(l => l.Key.Created))),
                "Simulated objects, no content."
            ));
    }

    private static Dictionary<Alike, double> Alikes(SqliteConnection db, BucketTerms bucket) =>
        db.List(
                $"SELECT key, created, {EntryRows.OriginalBytes()}, sum({EntryRows.Originals()}) FROM entry "
                    + "WHERE bucket = ?1 AND kind = 0 GROUP BY 1, 2, 3",
                r => (Key: new Alike(r.GetString(0), r.GetInt32(1), r.GetInt64(2)), Count: r.GetDouble(3)),
                bucket.Id
            )
            .ToDictionary(a => a.Key, a => a.Count);

    private List<string> Serving(SqliteConnection db, BucketTerms bucket, List<BucketTerms> live) =>
        [
            .. Partners(db, bucket)
                .Where(p => live.Contains(p) && db.Value<long>("SELECT EXISTS (SELECT 1 FROM entry WHERE bucket = ?1)", p.Id) == 1)
                .Select(p => p.Bucket.Name),
        ];

    private static string Summary(RegionLoss loss, string what) =>
        loss.Items.Count == 0
            ? "Everything that lay there is elsewhere as well."
            : $"{Wording.ObjectsAre(loss.LostObjects)} {what} ({Wording.Bytes(loss.LostBytes)}); they are listed.";
}
