using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Time;

/// <summary>What one midnight run did, in objects and money.</summary>
public sealed record DayRun(DateOnly Day, double Arrived, double Copied, double Expired, double Moved, double Amount);

/// <summary>
/// The run that closes a day: arrivals and their copies, then rules, then the meter, over every entry there is. All of it is one transaction
/// with the clock, so that a run that was cut short has not been, and is done again.
/// Nothing here is taken from the projection but the price book: the two are compared.
/// </summary>
internal sealed class Midnight : IDisposable
{
    private readonly SqliteConnection db;
    private readonly Terms terms;
    private readonly DateOnly day;
    private readonly long written;
    private readonly Dictionary<BucketTerms, DayUse> uses;
    private readonly EntryRemoval removal;
    private double arrived;
    private double copied;
    private double expired;
    private double moved;

    private Midnight(SqliteConnection db, Terms terms, DateOnly day)
    {
        (this.db, this.terms, this.day) = (db, terms, day);
        removal = new EntryRemoval(db);
        written = new DateTimeOffset(day.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero).ToUnixTimeMilliseconds();
        uses = terms.Buckets.ToDictionary(b => b, b => new DayUse(terms.Prices.Tiers.Count));
    }

    /// <summary>Closes <paramref name="day"/>; afterwards it is the midnight that begins the next.</summary>
    /// <exception cref="OperationCanceledException">Stopped; the transaction must be given up.</exception>
    public static DayRun Close(SqliteConnection db, Terms terms, DateOnly day, CancellationToken cancel)
    {
        using var run = new Midnight(db, terms, day);
        var lastBefore = db.Value<long?>("SELECT max(id) FROM entry") ?? 0;
        run.CatchUp(lastBefore);
        run.CopyUploads(lastBefore);
        run.Arrive();
        run.LiveThroughRules(cancel);
        run.BookUse();
        new StorageMeter(db, terms, day).Book(run.uses);
        var amount = db.Value<double?>("SELECT sum(amount) FROM ledger WHERE day = ?1", day.DayNumber) ?? 0;
        db.Run("INSERT INTO run VALUES(?1, ?2, ?3, ?4, ?5, ?6)", day.DayNumber, run.arrived, run.copied, run.expired, run.moved, amount);
        db.Run("UPDATE bucket SET changes = changes + 1");
        ProviderState.SetNow(db, new DateTimeOffset(day.AddDays(1).ToDateTime(TimeOnly.MinValue), TimeSpan.Zero));
        return new DayRun(day, run.arrived, run.copied, run.expired, run.moved, amount);
    }

    public void Dispose() => removal.Dispose();

    private void Arrive()
    {
        foreach (var bucket in terms.Buckets)
        {
            foreach (var stream in bucket.Bucket.Streams)
            {
                var objects = stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, (day.DayNumber - bucket.StatedOn.DayNumber) / 365.0);
                if (objects == 0) continue;
                var batch = Insert(bucket, stream.Prefix, objects, stream.BytesPerObject, day.DayNumber, null);
                Events.Written(db, day, bucket, objects);
                arrived += objects;
                foreach (var copy in bucket.Bucket.CopyTo.Where(c => stream.Prefix.StartsWith(c.Prefix, StringComparison.Ordinal)))
                {
                    Copy(bucket, copy, batch, stream.Prefix, objects, stream.BytesPerObject, day.DayNumber);
                }
            }
        }
    }

    /// <summary>What was there before a rule with catch-up arrives in its target once, with its own days of creation.</summary>
    private void CatchUp(long lastBefore)
    {
        foreach (var bucket in terms.Buckets)
        {
            var done = db.List("SELECT target, prefix FROM caught_up WHERE bucket = ?1", r => (r.GetString(0), r.GetString(1)), bucket.Id);
            foreach (var rule in bucket.Bucket.CopyTo.Where(c => c.CatchUp && !done.Contains((c.Bucket, c.Prefix))))
            {
                CopyEntries(bucket, rule, "created < ?5 OR kind = 0", lastBefore);
                db.Run("INSERT OR IGNORE INTO caught_up VALUES(?1, ?2, ?3)", bucket.Id, rule.Bucket, rule.Prefix);
            }
        }
    }

    /// <summary>Objects written by hand on this day follow their copy rules on the same day; copies do not travel further.</summary>
    private void CopyUploads(long lastBefore)
    {
        foreach (var bucket in terms.Buckets)
        {
            foreach (var rule in bucket.Bucket.CopyTo) CopyEntries(bucket, rule, "created = ?5 AND kind = 1 AND origin IS NULL", lastBefore);
        }
    }

    private void CopyEntries(BucketTerms from, CopyRule rule, string which, long lastBefore)
    {
        var to = terms[rule.Bucket];
        var matching = db.List(
            $"""
            SELECT id, key, kind, count, bytes, created FROM entry e
            WHERE bucket = ?1 AND current = 1 AND kind < 2 AND key >= ?2 AND (?3 IS NULL OR key < ?3) AND id <= ?4 AND ({which})
            AND NOT EXISTS (SELECT 1 FROM entry c WHERE c.origin = e.id AND c.bucket = ?6 AND (c.id <= ?4 OR c.kind = 1)) ORDER BY id
            """,
            r => (Id: r.GetInt64(0), Key: r.GetString(1), Kind: r.GetInt32(2), Count: r.GetDouble(3), Bytes: r.GetInt64(4), Created: r.GetInt32(5)),
            from.Id, rule.Prefix, ObjectKeys.After(rule.Prefix), lastBefore, day.DayNumber, to.Id);
        foreach (var entry in matching)
        {
            if (entry.Kind == EntryRows.Batch) Copy(from, rule, entry.Id, entry.Key, entry.Count, entry.Bytes, entry.Created);
            else CopyObject(from, to, entry.Id, entry.Key, entry.Bytes);
        }
    }

    private void Copy(BucketTerms from, CopyRule rule, long origin, string prefix, double objects, long bytes, int created)
    {
        var to = terms[rule.Bucket];
        Insert(to, prefix, objects, bytes, created, origin);
        Charge(from, to, objects, objects * bytes);
    }

    private void CopyObject(BucketTerms from, BucketTerms to, long origin, string key, long bytes)
    {
        var there = db.Value<long?>("SELECT id FROM entry WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind > 0", to.Id, key);
        if (there is { } old)
        {
            var kept = !to.Bucket.Versioning && to.IsKept(DateOnly.FromDayNumber((int)db.Value<long>("SELECT created FROM entry WHERE id = ?1", old)), day);
            // What is kept there stays as it is: no rule overwrites it.
            if (kept) return;
            if (to.Bucket.Versioning) db.Run("UPDATE entry SET current = 0 WHERE id = ?1", old);
            else removal.Remove(old);
        }
        db.Run("""
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, origin, content, media)
            SELECT ?2, 1, 1, key, 1, bytes, created, written, ?3, ?4, id, content, media FROM entry WHERE id = ?1
            """, origin, to.Id, terms.TierId(to.Landing), day.DayNumber);
        Charge(from, to, 1, bytes);
    }

    private void Charge(BucketTerms from, BucketTerms to, double objects, double bytes)
    {
        Events.Written(db, day, to, objects);
        Events.Sent(db, terms, day, from, to, bytes);
        copied += objects;
    }

    private long Insert(BucketTerms bucket, string prefix, double objects, long bytes, int created, long? origin)
    {
        db.Run("""
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, origin) VALUES(?1, 0, 1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)
            """, bucket.Id, prefix, objects, bytes, created, written, terms.TierId(bucket.Landing), day.DayNumber, origin);
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    /// <summary>Every entry expires, moves or rests, in this order, and is read as its bucket's reading habit says.</summary>
    private void LiveThroughRules(CancellationToken cancel)
    {
        var going = new List<long>();
        var moving = new List<(long Id, int Kind, int Tier, double Charge)>();
        var lives = terms.Buckets.ToDictionary(b => b.Id, b => new RuleBook(b, terms.Prices, day));
        using (var all = db.Statement("SELECT id, bucket, kind, count, bytes, created, tier, since, key FROM entry WHERE kind < 2"))
        using (var row = all.ExecuteReader())
        {
            var seen = 0;
            while (row.Read())
            {
                if (++seen % 50_000 == 0) cancel.ThrowIfCancellationRequested();
                var rules = lives[row.GetInt64(1)];
                var (count, bytes, created, since) = (row.GetDouble(3), row.GetInt64(4), row.GetInt32(5), row.GetInt32(7));
                var kind = row.GetInt32(2);
                var tier = terms.Place(row.GetInt64(6));
                var key = rules.NeedsKeys ? row.GetString(8) : "";
                var use = uses[rules.Bucket];
                if (rules.Expires(key, created))
                {
                    use.Leave(terms, rules.Bucket, day, tier, since, count, bytes);
                    going.Add(row.GetInt64(0));
                    expired += count;
                    continue;
                }
                if (rules.ColderTier(key, created, bytes, tier) is { } colder)
                {
                    var early = use.Leave(terms, rules.Bucket, day, tier, since, count, bytes);
                    use.Of(colder).Moves += count;
                    moving.Add((row.GetInt64(0), kind, colder, early + rules.Bucket.Prices[colder]!.MovesIn.For(count)));
                    moved += count;
                    tier = colder;
                }
                use.Rest(terms.Prices.Tiers[tier], tier, rules.Bucket.Landing, count, bytes);
                // An object is charged for what is really read; the reading habit is the simulated workload's.
                if (kind == EntryRows.Batch) use.Read(tier, count * rules.ReadShare(created), bytes);
            }
        }
        foreach (var id in going) removal.Remove(id);
        using var relocation = new EntryRelocation(db);
        foreach (var move in moving) relocation.Move(move.Id, move.Kind, terms.TierId(move.Tier), day, null, move.Charge);
    }

    private void BookUse()
    {
        foreach (var (bucket, use) in uses)
        {
            for (var tier = 0; tier < terms.Prices.Tiers.Count; tier++)
            {
                var total = use.Of(tier);
                var name = terms.Prices.Tiers[tier].Id;
                Ledger.Book(db, day, bucket, name, Ripen.Core.Pricing.Charge.EarlyLeave, total.EarlyUnitMonths, total.EarlyAmount);
                if (total.Moves > 0) Events.Moved(db, terms, day, bucket, tier, total.Moves);
                if (total.Reads > 0) Events.Read(db, terms, day, bucket, tier, total.Reads, total.ReadBytes);
            }
        }
    }
}
