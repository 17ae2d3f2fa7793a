using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Clock;

/// <summary>
/// Reading is an expectation: of each batch a part was read on the day, and goes on as a batch of its own with all that the first one bears.
/// Batches that nothing tells apart any more are joined, so that there are never more of one arrival than days that something waits for.
/// </summary>
internal sealed class ReadParts(SqliteConnection db, DateOnly day) : IDisposable
{
    private readonly SqliteCommand insert = db.Repeated(
        """
        INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, touched, ready, origin, tags, arrived, home,
            replaced_on, rewrite, sealed_until, liftable_until, originals, part_of)
        SELECT bucket, kind, current, key, ?2, bytes, created, written, coalesce(?4, tier), CASE WHEN ?4 IS NULL THEN since ELSE ?5 END, ?5,
            ready, origin, tags, arrived, home, replaced_on, rewrite, sealed_until, liftable_until, ?3, coalesce(part_of, id)
        FROM entry WHERE id = ?1
        """,
        5
    );
    private readonly SqliteCommand recalled = db.Repeated(
        "INSERT INTO recall SELECT ?2, tier, ready, from_day, until FROM recall WHERE entry = ?1",
        2
    );
    private readonly SqliteCommand passOn = db.Repeated("INSERT INTO passed_on VALUES(?1, ?2, ?3)", 3);
    private readonly SqliteCommand set = db.Repeated("UPDATE entry SET count = ?2, originals = ?3 WHERE id = ?1", 3);
    private readonly SqliteCommand remove = db.Repeated("DELETE FROM entry WHERE id = ?1", 1);

    /// <summary>What makes two batches the same from now on.</summary>
    private readonly record struct Alike(
        string Key,
        long Bytes,
        int Created,
        long Written,
        long Tier,
        int Since,
        int LastRead,
        string? Tags,
        int? Superseded,
        int? ReplacedOn,
        int? RewriteEvery,
        (int? Sealed, int? Liftable, int? Held) Kept,
        (long? Origin, long? Home, long? Arrived, long? Ready) From,
        double OriginalsEach,
        long? Recalled
    )
    {
        public bool IsKeptOn(int day) => Kept.Sealed > day || Kept.Liftable > day || Kept.Held > day;
    }

    private readonly record struct Batch(long Id, Alike Alike, double Count, double? Originals);

    /// <param name="bucket">Whose batches.</param>
    /// <param name="read">By number: the share that was read, and the tier that it comes back to; null where it stays.</param>
    /// <param name="longest">Days after which it makes no difference any more how long nobody has read.</param>
    /// <param name="minimumStay">Days of each tier, by its number.</param>
    public void PartAndJoin(
        BucketTerms bucket,
        IReadOnlyDictionary<long, (double Share, long? BackTo)> read,
        int longest,
        Func<long, int> minimumStay
    )
    {
        var left = new List<Batch>();
        var parts = new Dictionary<(Alike, long?), List<(Batch Of, double Share)>>();
        foreach (var batch in Batches(bucket, longest, minimumStay))
        {
            if (!read.TryGetValue(batch.Id, out var part))
            {
                left.Add(batch);
                continue;
            }
            var goesOn = batch.Alike with { LastRead = day.DayNumber, Since = part.BackTo is null ? batch.Alike.Since : 0 };
            if (part.BackTo is { } tier)
                goesOn = goesOn with { Tier = tier };
            if (!parts.TryGetValue((goesOn, part.BackTo), out var alike))
                parts[(goesOn, part.BackTo)] = alike = [];
            alike.Add((batch, part.Share));
            if (part.Share < 1)
                left.Add(batch with { Count = batch.Count * (1 - part.Share), Originals = batch.Originals * (1 - part.Share) });
        }
        foreach (var ((_, backTo), alike) in parts)
            Part(alike, backTo);
        Forget();
        foreach (var alike in left.GroupBy(b => b.Alike))
            Join([.. alike]);
        Forget();
    }

    public void Dispose()
    {
        foreach (var command in new[] { insert, recalled, passOn, set, remove })
            command.Dispose();
    }

    private void Part(List<(Batch Of, double Share)> parts, long? backTo)
    {
        var (first, count) = (parts[0].Of, parts.Sum(p => p.Of.Count * p.Share));
        var originals = first.Originals is null ? null : parts.Sum(p => p.Of.Originals * p.Share);
        insert.Again(first.Id, count, originals, backTo, day.DayNumber);
        var heir = db.Value<long>("SELECT last_insert_rowid()");
        if (first.Alike.Recalled is not null)
            recalled.Again(first.Id, heir);
        foreach (var (of, share) in parts)
        {
            if (of.Alike.IsKeptOn(day.DayNumber))
                passOn.Again(of.Id, heir, 0.0);
            if (share >= 1)
                remove.Again(of.Id);
            else
                set.Again(of.Id, of.Count * (1 - share), of.Originals * (1 - share));
        }
    }

    private void Join(List<Batch> alike)
    {
        if (alike.Count == 1)
            return;
        var heir = alike[0];
        set.Again(heir.Id, alike.Sum(b => b.Count), heir.Originals is null ? null : alike.Sum(b => b.Originals));
        foreach (var batch in alike.Skip(1))
        {
            if (batch.Alike.IsKeptOn(day.DayNumber))
                passOn.Again(batch.Id, heir.Id, heir.Count);
            remove.Again(batch.Id);
        }
    }

    private void Forget() => db.Run("DELETE FROM passed_on");

    private List<Batch> Batches(BucketTerms bucket, int longest, Func<long, int> minimumStay) =>
        db.List(
            """
            SELECT e.id, key, bytes, created, written, e.tier, since, touched, tags, superseded, replaced_on, rewrite, sealed_until,
                liftable_until, held_until, origin, home, arrived, e.ready, count, originals, r.entry
            FROM entry e LEFT JOIN recall r ON r.entry = e.id WHERE bucket = ?1 AND kind = 0 AND run IS NULL ORDER BY e.id
            """,
            r =>
            {
                var (tier, since, superseded, count) = (r.GetInt64(5), r.GetInt32(6), r.Int(9), r.GetDouble(19));
                var originals = r.IsDBNull(20) ? (double?)null : r.GetDouble(20);
                var lastRead = superseded is null ? Math.Max(r.GetInt32(3), r.Int(7) ?? 0) : 0;
                var alike = new Alike(
                    r.GetString(1),
                    r.GetInt64(2),
                    r.GetInt32(3),
                    r.GetInt64(4),
                    tier,
                    day.DayNumber - since < minimumStay(tier) ? since : 0,
                    day.DayNumber - lastRead < longest ? lastRead : 0,
                    r.Text(8),
                    superseded,
                    r.Int(10),
                    r.Int(11),
                    (r.Int(12), r.Int(13), r.Int(14)),
                    (r.Long(15), r.Long(16), r.Long(17), r.Long(18)),
                    Math.Round((originals ?? count) / count, 9),
                    r.Long(21)
                );
                return new Batch(r.GetInt64(0), alike, count, originals);
            },
            bucket.Id
        );
}
