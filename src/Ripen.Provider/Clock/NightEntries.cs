using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Clock;

/// <summary>An entry as a night finds it, and what becomes of it.</summary>
/// <param name="Id">In the index.</param>
/// <param name="Kind">An object or a batch.</param>
/// <param name="Count">Of objects.</param>
/// <param name="Originals">How many objects it stands for: of bundles, those that were put into them.</param>
/// <param name="Since">The day number on which it came into its tier.</param>
/// <param name="IsOfPlan">Whether a backup plan stored it.</param>
/// <param name="Lies">What rules look at.</param>
/// <param name="Rules">Of its bucket.</param>
/// <param name="Fate">By them.</param>
internal readonly record struct NightEntry(
    long Id,
    int Kind,
    double Count,
    double Originals,
    int Since,
    bool IsOfPlan,
    Ruled Lies,
    RuleBook Rules,
    Fate Fate
)
{
    /// <summary>As it rests after the day's rules.</summary>
    public Ruled Rests => Lies with { Tier = Fate.Tier ?? Lies.Tier, Bytes = Fate.BundleTo > 0 ? Fate.BundleTo : Lies.Bytes };

    /// <summary>Of objects, after the day's rules.</summary>
    public double RestingCount => Fate.BundleTo > 0 ? Count * Lies.Bytes / Fate.BundleTo : Count;

    private bool IsCurrent => !Fate.Goes && !Fate.Supersedes && Lies.Superseded is null;

    /// <summary>The part of its objects that the bucket's habit reads on the day; what has content, and what plans stored, is read by
    /// whoever reads it.</summary>
    public double HabitShare => Kind == EntryRows.Batch && !IsOfPlan && IsCurrent ? Rules.ReadShare(Lies.Created) : 0;

    /// <summary>How rules watch it once it rests.</summary>
    public Watching Watching => IsCurrent && Rules.LongestUnread is not null ? Rules.WatchingOf(Rests) : default;

    /// <summary>The part of it that counts as read on the day: reads come by chance (model 8.3), of an object they are known.</summary>
    public double ShareRead(DateOnly day) =>
        Kind == EntryRows.Batch ? 1 - Math.Exp(-HabitShare)
        : Lies.LastRead == day.DayNumber && Lies.LastRead > Lies.Created ? 1
        : 0;
}

/// <summary>Everything that rules look at in a night: read for the run itself, and for what is foreseen of it.</summary>
internal static class NightEntries
{
    private const int MostConditions = 50;

    /// <param name="db">To read from.</param>
    /// <param name="terms">In force.</param>
    /// <param name="day">That is closed.</param>
    /// <param name="isReachable">Whether a bucket's region is there: a lost one stands still.</param>
    /// <param name="cancel">Stops.</param>
    /// <param name="whatActs">Whether only those are wanted that the night does something to (and some more), with their keys even where no rule
    /// looks at them.</param>
    /// <param name="only">A bucket; null for all.</param>
    public static IEnumerable<NightEntry> Of(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        Func<BucketTerms, bool> isReachable,
        CancellationToken cancel,
        bool whatActs = false,
        BucketTerms? only = null
    )
    {
        var lives = terms
            .Buckets.Where(b => isReachable(b) && (only is null || b == only))
            .ToDictionary(b => b.Id, b => new RuleBook(b, terms.Prices, day));
        // The index sorts out what rules leave alone, as long as the question stays short.
        var mayAct = whatActs && lives.Count <= MostConditions ? lives.Values.Select(r => r.MayAct(terms.TierId)).ToList() : [];
        using var all = db.Statement(
            $"SELECT id, bucket, kind, count, bytes, created, tier, since, key, {RetentionGate.KeptUntil}, tags, superseded, replaced_on, "
                + "rewrite, run, touched, originals FROM entry WHERE kind < 2"
                + (mayAct.Count > 0 ? $" AND ({string.Join(" OR ", mayAct)})" : "")
                + (only is null ? "" : FormattableString.Invariant($" AND bucket = {only.Id}"))
        );
        using var row = all.ExecuteReader();
        var seen = 0;
        while (row.Read())
        {
            if (++seen % 50_000 == 0)
                cancel.ThrowIfCancellationRequested();
            if (!lives.TryGetValue(row.GetInt64(1), out var rules))
                continue;
            var (id, kind) = (row.GetInt64(0), row.GetInt32(2));
            var lies = new Ruled(
                rules.NeedsKeys || rules.Bucket.HasTargets || whatActs ? row.GetString(8) : "",
                rules.NeedsTags ? row.Text(10) : null,
                row.GetInt32(5),
                rules.Bucket.Bucket.Versioning ? row.Int(11) : null,
                row.GetInt64(4),
                terms.Place(row.GetInt64(6)),
                Math.Max(row.GetInt32(5), row.Int(15) ?? 0),
                CanBeBundled: kind == EntryRows.Batch && row.IsDBNull(14)
            );
            var fate = rules.Decide(
                lies,
                row.GetInt32(9) > day.DayNumber,
                row.Int(12) <= day.DayNumber,
                lies.Superseded is { } when ? Newer(db, id, kind, row.Int(13), day.DayNumber - when) : null
            );
            var count = row.GetDouble(3);
            yield return new NightEntry(
                id,
                kind,
                count,
                row.IsDBNull(16) ? count : row.GetDouble(16),
                row.GetInt32(7),
                !row.IsDBNull(14),
                lies,
                rules,
                fate
            );
        }
    }

    /// <summary>Made only for earlier versions: a night looks at millions of current ones.</summary>
    private static Func<int> Newer(SqliteConnection db, long id, int kind, int? rewriteEvery, int age) =>
        () => NewerEarlier(db, id, kind, rewriteEvery, age);

    /// <summary>How many earlier versions of its key are newer: counted for an object; for a batch as many as its stream wrote since.</summary>
    private static int NewerEarlier(SqliteConnection db, long id, int kind, int? rewriteEvery, int age) =>
        kind == EntryRows.Batch
            ? rewriteEvery is { } every
                ? age / every
                : 0
            : (int)
                db.Value<long>(
                    """
                    SELECT count(*) FROM entry e JOIN entry n ON n.bucket = e.bucket AND n.key = e.key AND n.kind = 1 AND n.current = 0
                        AND (n.written, coalesce(n.origin, n.id)) > (e.written, coalesce(e.origin, e.id))
                    WHERE e.id = ?1
                    """,
                    id
                );
}
