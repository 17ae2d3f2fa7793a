using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication;

/// <summary>What waited on a route, as it is put down on the other side.</summary>
/// <param name="Content">The name of the copy's own content; null for marks.</param>
internal sealed record ArrivingCopy(
    long Pending,
    int Kind,
    long Root,
    long Home,
    string Key,
    long Bytes,
    int Created,
    long Written,
    string? Content,
    string? Media,
    string? Tags,
    long Asked
);

/// <summary>
/// Puts copies down, and books what they cost, inside one transaction. Versions of a key are ordered by the instant at which they were
/// written and by the number of their original, on every side alike: in whatever order copies come, both sides end with the same version on
/// top.
/// </summary>
internal sealed class CopyArrivals(SqliteConnection db, Terms terms) : IDisposable
{
    private readonly RetentionGate gate = new(db);
    private readonly SqliteCommand insert = db.Repeated(
        """
        INSERT INTO entry(id, bucket, kind, current, key, count, bytes, created, written, tier, since, origin, content, media, tags,
            charged, arrived, home, rewrite, replaced_on, run, came, originals)
        VALUES(?17, ?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?18, ?19, ?20, ?21, ?22, ?23)
        """,
        23
    );
    private readonly SqliteCommand done = db.Repeated("DELETE FROM pending WHERE id = ?1", 1);
    private readonly SqliteCommand has = db.Repeated("SELECT 1 FROM entry WHERE bucket = ?1 AND kind > 0 AND coalesce(origin, id) = ?2", 2);
    private readonly SqliteCommand currentOf = db.Repeated(
        "SELECT id, written, coalesce(origin, id) FROM entry WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind > 0",
        2
    );
    private readonly Dictionary<(Route, int Day), RouteDay> days = [];

    private sealed class RouteDay
    {
        public double Objects;
        public double Bytes;
        public long Worst;
    }

    /// <summary>The copy comes at <paramref name="at"/> (milliseconds) on <paramref name="day"/>. Null, or the code of why it cannot be
    /// put down.</summary>
    public string? Put(Route route, ArrivingCopy copy, long at, DateOnly day)
    {
        var refused = copy.Kind switch
        {
            EntryRows.Object => PutObject(route, copy, at, day),
            EntryRows.Deleted => PutMark(route, copy, at, day),
            _ => TakeMarkBack(route, copy),
        };
        if (refused is not null)
            return refused;
        done.Again(copy.Pending);
        return null;
    }

    /// <summary>Weightless objects come on <paramref name="day"/>.</summary>
    public void PutBatch(
        Route route,
        long root,
        long home,
        string prefix,
        double objects,
        long bytes,
        int created,
        long written,
        string? tags,
        long asked,
        int? rewriteEvery,
        bool isReplaced,
        long? run,
        bool follows,
        double? originals,
        DateOnly day
    )
    {
        var own = OwnNumber(route, root);
        insert.Again(
            route.To.Id,
            EntryRows.Batch,
            1,
            prefix,
            objects,
            bytes,
            created,
            written,
            terms.TierId(route.Landing(terms)),
            day.DayNumber,
            own is null ? (long?)root : null,
            null,
            null,
            tags,
            0,
            null,
            own,
            Abroad(route, home),
            rewriteEvery,
            isReplaced ? day.DayNumber + rewriteEvery : null,
            run,
            follows ? objects : null,
            originals
        );
        Count(route, day, objects, objects * bytes, (day.DayNumber - Lines.DayOf(asked)) * 86_400_000L);
    }

    public void Remove(long pending) => done.Again(pending);

    /// <summary>Books what was counted: charges, and each route's day.</summary>
    public void Close()
    {
        foreach (var ((route, day), sum) in days)
        {
            var date = DateOnly.FromDayNumber(day);
            Events.Written(db, terms, date, route.To, route.Landing(terms), sum.Objects);
            Events.Sent(db, terms, date, route.From, route.To, sum.Bytes);
            db.Run(
                "UPDATE route SET copied = copied + ?2, copied_bytes = copied_bytes + ?3, attempts = 0, next = NULL WHERE id = ?1",
                route.Id,
                sum.Objects,
                sum.Bytes
            );
            RouteDays.Note(db, route.Id, day, sum.Worst, sum.Objects, sum.Bytes);
        }
    }

    public void Dispose()
    {
        gate.Dispose();
        insert.Dispose();
        done.Dispose();
        has.Dispose();
        currentOf.Dispose();
    }

    private string? PutObject(Route route, ArrivingCopy copy, long at, DateOnly day)
    {
        var to = route.To;
        if (Has(to, copy.Root))
            return null;
        var current = Current(to, copy.Key);
        var newer = current is null || (current.Value.Written, current.Value.Root).CompareTo((copy.Written, copy.Root)) < 0;
        // Without versions only the newest is kept.
        if (!newer && !to.Bucket.Versioning)
            return null;
        if (newer && current is { } old && Retire(to, old, day) is { } kept)
            return kept;
        var landing = route.Landing(terms);
        var charge =
            to.Prices[landing]!.Writes.For(1)
            + terms.Prices.TransferPrice(route.From.Bucket.Region, to.Bucket.Region).For(copy.Bytes / terms.Prices.Unit.Bytes());
        var own = OwnNumber(route, copy.Root);
        insert.Again(
            to.Id,
            EntryRows.Object,
            newer ? 1 : 0,
            copy.Key,
            1.0,
            copy.Bytes,
            copy.Created,
            copy.Written,
            terms.TierId(landing),
            day.DayNumber,
            own is null ? (long?)copy.Root : null,
            copy.Content,
            copy.Media,
            copy.Tags,
            charge,
            at,
            own,
            Abroad(route, copy.Home),
            null,
            null,
            null,
            null,
            null
        );
        Count(route, day, 1, copy.Bytes, at - copy.Asked);
        return null;
    }

    /// <summary>With versioning the version steps back; without, it goes, unless it is kept.</summary>
    private string? Retire(BucketTerms to, Version old, DateOnly day)
    {
        if (to.Bucket.Versioning)
        {
            db.Run("UPDATE entry SET current = 0 WHERE id = ?1", old.Id);
            return null;
        }
        if (gate.Keeps(old.Id) is not null)
            return "kept-there";
        var (tier, since, bytes) = db.List(
                "SELECT tier, since, bytes FROM entry WHERE id = ?1",
                r => (terms.Place(r.GetInt64(0)), DateOnly.FromDayNumber(r.GetInt32(1)), r.GetInt64(2)),
                old.Id
            )
            .Single();
        Events.LeftEarly(db, terms, day, to, tier, since, 1, bytes);
        gate.Remove(old.Id);
        return null;
    }

    private string? PutMark(Route route, ArrivingCopy copy, long at, DateOnly day)
    {
        var to = route.To;
        if (Has(to, copy.Root))
            return null;
        var current = Current(to, copy.Key);
        // Nothing to mark: neither there nor on its way, in the lane of the large ones or on another route.
        if (
            current is null
            && db.Value<long>(
                "SELECT count(*) FROM route r JOIN pending p ON p.route = r.id WHERE r.target = ?1 AND p.key = ?2 AND p.kind = 1",
                to.Id,
                copy.Key
            ) == 0
        )
            return null;
        var newer = current is null || (current.Value.Written, current.Value.Root).CompareTo((copy.Written, copy.Root)) < 0;
        if (newer && current is { } old)
            db.Run("UPDATE entry SET current = 0 WHERE id = ?1", old.Id);
        var own = OwnNumber(route, copy.Root);
        insert.Again(
            to.Id,
            EntryRows.Deleted,
            newer ? 1 : 0,
            copy.Key,
            0.0,
            0L,
            copy.Created,
            copy.Written,
            terms.TierId(route.Landing(terms)),
            day.DayNumber,
            own is null ? (long?)copy.Root : null,
            null,
            null,
            copy.Tags,
            0.0,
            at,
            own,
            Abroad(route, copy.Home),
            null,
            null,
            null,
            null
        );
        return null;
    }

    private string? TakeMarkBack(Route route, ArrivingCopy copy)
    {
        foreach (
            var mark in db.List(
                "SELECT id FROM entry WHERE bucket = ?1 AND kind = 2 AND coalesce(origin, id) = ?2",
                r => r.GetInt64(0),
                route.To.Id,
                copy.Root
            )
        )
            gate.Remove(mark);
        EntryRows.PutNewestOnTop(db, route.To.Id, copy.Key);
        return null;
    }

    /// <summary>The number of an original that a refill brings back, when nothing bears it any more: it is the original again.</summary>
    private long? OwnNumber(Route route, long root) =>
        route.IsRefill && root > 0 && db.Value<long>("SELECT count(*) FROM entry WHERE id = ?1", root) == 0 ? root : null;

    /// <summary>Null where a copy comes home: it is an original there.</summary>
    private static long? Abroad(Route route, long home) => home == route.To.Id ? null : home;

    private bool Has(BucketTerms bucket, long root) => has.RowsAgain(_ => true, bucket.Id, root).Count > 0;

    private readonly record struct Version(long Id, long Written, long Root);

    private Version? Current(BucketTerms bucket, string key)
    {
        var rows = currentOf.RowsAgain(r => new Version(r.GetInt64(0), r.GetInt64(1), r.GetInt64(2)), bucket.Id, key);
        return rows.Count == 0 ? null : rows[0];
    }

    private void Count(Route route, DateOnly day, double objects, double bytes, long lag)
    {
        if (!days.TryGetValue((route, day.DayNumber), out var sum))
            days[(route, day.DayNumber)] = sum = new RouteDay();
        sum.Objects += objects;
        sum.Bytes += bytes;
        sum.Worst = Math.Max(sum.Worst, lag);
    }
}

/// <summary>What a route did on a day, and the worst lag that was seen then, in milliseconds.</summary>
internal static class RouteDays
{
    public static void Note(SqliteConnection db, long route, int day, long worst, double copied, double bytes) =>
        db.Run(
            """
            INSERT INTO route_day VALUES(?1, ?2, ?3, ?4, ?5)
            ON CONFLICT DO UPDATE SET worst = max(worst, excluded.worst), copied = copied + excluded.copied, bytes = bytes + excluded.bytes
            """,
            route,
            day,
            worst,
            copied,
            bytes
        );

    /// <summary>What still waits at the end of a day is late as well.</summary>
    public static void NoteWaiting(SqliteConnection db, DateOnly day)
    {
        var end = ProviderState.Midnight(day.AddDays(1)).ToUnixTimeMilliseconds();
        foreach (var (route, asked) in db.List("SELECT route, min(asked) FROM pending GROUP BY route", r => (r.GetInt64(0), r.GetInt64(1))))
            Note(db, route, day.DayNumber, end - asked, 0, 0);
    }
}
