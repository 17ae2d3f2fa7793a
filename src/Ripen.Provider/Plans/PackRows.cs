using Microsoft.Data.Sqlite;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Plans;

/// <summary>A batch of which less is needed than there is.</summary>
internal sealed record SparePacks(long Id, BucketTerms Bucket, string Key, int Tier, int Since, double Count, double Needed, long Bytes);

/// <summary>What plans' runs stored, among the index's entries: weightless batches that bear the number of their run.</summary>
internal static class PackRows
{
    /// <param name="db">To write to.</param>
    /// <param name="terms">The plan in force.</param>
    /// <param name="bucket">Where it lies.</param>
    /// <param name="target">Whose prefix it has.</param>
    /// <param name="run">Its number.</param>
    /// <param name="came">Objects that the run stored.</param>
    /// <param name="count">What is there of them.</param>
    /// <param name="tier">Where it lies, from warm to cold.</param>
    /// <param name="created">The day of the run.</param>
    /// <param name="since">In the tier.</param>
    /// <returns>The entry's number.</returns>
    public static long Put(
        SqliteConnection db,
        Terms terms,
        BucketTerms bucket,
        BackupTarget target,
        long run,
        double came,
        double count,
        int tier,
        DateOnly created,
        DateOnly since
    )
    {
        db.Run(
            """
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, run, came)
            VALUES(?1, 0, 1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)
            """,
            bucket.Id,
            target.Prefix,
            count,
            target.PackBytes,
            created.DayNumber,
            ProviderState.Midnight(created).ToUnixTimeMilliseconds(),
            terms.TierId(tier),
            since.DayNumber,
            run,
            came
        );
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    /// <summary>The runs of which something is kept on the day where it was stored: a copy's keeping is its own affair.</summary>
    public static HashSet<long> Kept(SqliteConnection db, DateOnly day) =>
        [
            .. db.List(
                $"SELECT DISTINCT run FROM entry WHERE run IS NOT NULL AND origin IS NULL AND {RetentionGate.KeptUntil} > ?1",
                r => r.GetInt64(0),
                day.DayNumber
            ),
        ];

    /// <summary>Batches of which less is needed than there is, and that nothing keeps on the day.</summary>
    public static List<SparePacks> TooMany(SqliteConnection db, Terms terms, DateOnly day) =>
        db.List(
            $"""
            SELECT e.id, e.bucket, e.key, e.tier, e.since, e.count, e.came * r.share, e.bytes FROM entry e JOIN plan_run r ON r.id = e.run
            WHERE e.count > e.came * r.share AND {RetentionGate.KeptUntil} <= ?1 ORDER BY e.id
            """,
            r => new SparePacks(
                r.GetInt64(0),
                terms.Find(r.GetInt64(1))!,
                r.GetString(2),
                terms.Place(r.GetInt64(3)),
                r.GetInt32(4),
                r.GetDouble(5),
                r.GetDouble(6),
                r.GetInt64(7)
            ),
            day.DayNumber
        );

    /// <summary>A plan's branch is no more: what nothing keeps of its points leaves today, at its charge; what is kept lies there like anything
    /// else.</summary>
    public static void GiveUp(SqliteConnection db, Terms terms, IEnumerable<PlanRun> runs)
    {
        var today = ProviderState.Today(db);
        using var gate = new RetentionGate(db);
        var gone = runs.ToList();
        foreach (var run in gone)
            db.Run("UPDATE plan_run SET share = 0 WHERE id = ?1", run.Id);
        foreach (var pack in gone.Count > 0 ? TooMany(db, terms, today) : [])
        {
            var since = DateOnly.FromDayNumber(pack.Since);
            Events.LeftEarly(db, terms, today, pack.Bucket, pack.Tier, since, pack.Count, pack.Bytes);
            gate.Remove(pack.Id);
            ProviderState.Touch(db, pack.Bucket);
        }
        foreach (var run in gone)
        {
            db.Run("UPDATE bucket SET changes = changes + 1 WHERE id IN (SELECT bucket FROM entry WHERE run = ?1)", run.Id);
            db.Run("UPDATE entry SET run = NULL, came = NULL WHERE run = ?1", run.Id);
            db.Run("UPDATE pending SET run = NULL WHERE run = ?1", run.Id);
            db.Run("DELETE FROM plan_run WHERE id = ?1", run.Id);
        }
    }
}
