using System.Text.Json.Serialization;
using Microsoft.Data.Sqlite;
using Ripen.Core;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Retention;

/// <summary>Until when something is kept (the first day on which it may go), and how strongly.</summary>
/// <param name="Until">The calendar's last day while a legal hold has no end.</param>
/// <param name="Strength">Sealed while it is held.</param>
/// <param name="IsHeld">Whether a legal hold keeps it so long.</param>
public sealed record Kept(DateOnly Until, KeepStrength Strength, bool IsHeld = false);

/// <summary>What a bucket keeps, in sums.</summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Objects">With earlier versions and weightless ones.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="First">The first day on which some of it may go.</param>
/// <param name="Last">The first day on which all of it may go.</param>
public sealed record KeptInBucket(string Bucket, double Objects, double Bytes, DateOnly First, DateOnly Last)
{
    /// <summary>Why the bucket cannot go, as a sentence.</summary>
    [JsonIgnore]
    public string Why =>
        Last == DateOnly.MaxValue
            ? $"'{Bucket}' holds {Wording.Objects(Objects)} under retention or a legal hold that has no end yet: it cannot go."
            : $"'{Bucket}' holds {Wording.Objects(Objects)} under retention, the last until {Last:yyyy-MM-dd}: it cannot go before.";
}

/// <summary>
/// The one gate through which anything leaves the provider: entries one by one, buckets whole, the data of a region that is destroyed.
/// Works inside the transaction of what wants the removal. Content that nothing speaks of any more goes to the trash, to be removed from
/// the disk after the transaction. What the index's triggers refuse (see <see cref="Schema"/>) is refused here first, in words.
/// </summary>
internal sealed class RetentionGate(SqliteConnection db) : IDisposable
{
    /// <summary>The day until which an entry is kept, 0 for not at all: what it bears itself, from birth.</summary>
    public const string KeptUntil = "max(coalesce(sealed_until, 0), coalesce(liftable_until, 0), coalesce(held_until, 0))";

    /// <summary>Entries of which <see cref="KeptUntil"/> may be above 0.</summary>
    public const string MayBeKept = "(sealed_until IS NOT NULL OR liftable_until IS NOT NULL OR held_until IS NOT NULL)";

    private const string Unspoken =
        "NOT EXISTS (SELECT 1 FROM entry e WHERE e.content = content.name) AND NOT EXISTS (SELECT 1 FROM pending p WHERE p.content = "
        + "content.name) AND NOT EXISTS (SELECT 1 FROM upload_part u WHERE u.content = content.name)";

    private readonly SqliteCommand bears = db.Repeated(
        "SELECT content, key, sealed_until, liftable_until, held_until FROM entry WHERE id = ?1",
        1
    );
    private readonly SqliteCommand remove = db.Repeated("DELETE FROM entry WHERE id = ?1", 1);
    private readonly SqliteCommand trash = db.Repeated(
        $"INSERT OR IGNORE INTO trash SELECT name FROM content WHERE name = ?1 AND {Unspoken}",
        1
    );
    private readonly SqliteCommand forget = db.Repeated(
        "DELETE FROM content WHERE name = ?1 AND EXISTS (SELECT 1 FROM trash WHERE name = ?1)",
        1
    );
    private readonly DateOnly today = ProviderState.Today(db);

    /// <summary>What an entry's days come to; null when nothing keeps it on <paramref name="today"/>.</summary>
    public static Kept? Of(int? sealedUntil, int? liftableUntil, int? heldUntil, DateOnly today)
    {
        var kept = Borne(sealedUntil, liftableUntil, heldUntil);
        return kept?.Until > today ? kept : null;
    }

    /// <summary>What an entry bears, past days too; null when it was never kept.</summary>
    public static Kept? Borne(int? sealedUntil, int? liftableUntil, int? heldUntil) =>
        (sealedUntil ?? 0, liftableUntil ?? 0, heldUntil ?? 0) switch
        {
            (0, 0, 0) => null,
            var (hard, soft, held) when held > Math.Max(hard, soft) => new Kept(
                DateOnly.FromDayNumber(held),
                KeepStrength.Sealed,
                IsHeld: true
            ),
            var (hard, soft, _) when hard >= soft => new Kept(DateOnly.FromDayNumber(hard), KeepStrength.Sealed),
            var (_, soft, _) => new Kept(DateOnly.FromDayNumber(soft), KeepStrength.Liftable),
        };

    /// <summary>What keeps the entry today; null when it may go.</summary>
    public Kept? Keeps(long id) => bears.RowsAgain(r => Of(r.Int(2), r.Int(3), r.Int(4), today), id) is [var kept] ? kept : null;

    /// <exception cref="RefusalException">It is kept.</exception>
    public void Remove(long id)
    {
        var found = bears.RowsAgain(r => (Content: r.Text(0), Key: r.GetString(1), Kept: Of(r.Int(2), r.Int(3), r.Int(4), today)), id);
        if (found.Count == 0)
            return;
        if (found[0].Kept is { } kept)
            throw Refuse($"'{found[0].Key}'", kept, "cannot be deleted or overwritten before");
        remove.Again(id);
        if (found[0].Content is { } name)
            Release(name);
    }

    /// <summary>Lets a content go when nothing speaks of it any more.</summary>
    public void Release(string name)
    {
        trash.Again(name);
        forget.Again(name);
    }

    /// <summary>The same for all content there is.</summary>
    public static void Sweep(SqliteConnection db)
    {
        db.Run($"INSERT OR IGNORE INTO trash SELECT name FROM content WHERE {Unspoken}");
        db.Run("DELETE FROM content WHERE name IN (SELECT name FROM trash)");
    }

    /// <summary>What is kept today, by bucket: of one bucket or of all; only what is no longer kept on the day <paramref name="until"/>,
    /// or everything.</summary>
    public static List<KeptInBucket> ByBucket(SqliteConnection db, string? bucket = null, DateOnly? until = null) =>
        db.List(
            $"""
            SELECT b.name, sum(e.count), sum(e.count * e.bytes), min({KeptUntil}), max({KeptUntil}) FROM bucket b
                JOIN entry e ON e.bucket = b.id
            WHERE {MayBeKept} AND {KeptUntil} > ?1 AND (?2 IS NULL OR b.name = ?2)
                AND (?3 IS NULL OR {KeptUntil} <= ?3) GROUP BY b.id ORDER BY b.place, b.name
            """,
            r => new KeptInBucket(
                r.GetString(0),
                r.GetDouble(1),
                r.GetDouble(2),
                DateOnly.FromDayNumber(r.GetInt32(3)),
                DateOnly.FromDayNumber(r.GetInt32(4))
            ),
            ProviderState.Today(db).DayNumber,
            bucket,
            until?.DayNumber
        );

    /// <exception cref="RefusalException">Something in the bucket is kept.</exception>
    public static void DemandNothingKept(SqliteConnection db, string bucket)
    {
        if (ByBucket(db, bucket) is [var kept])
            throw new RefusalException(RefusalKind.Conflict, "kept", kept.Why);
    }

    /// <summary>Removes a bucket with all that it holds; routes, keys and links go with it.</summary>
    /// <exception cref="RefusalException">Something in it is kept.</exception>
    public static void DropBucket(SqliteConnection db, string bucket)
    {
        DemandNothingKept(db, bucket);
        var id = db.Value<long>("SELECT id FROM bucket WHERE name = ?1", bucket);
        db.Run("DELETE FROM entry WHERE bucket = ?1", id);
        // What was copied from it is at home where it lies now.
        db.Run("UPDATE entry SET home = NULL WHERE home = ?1", id);
        db.Run("DELETE FROM bucket WHERE id = ?1", id);
        Sweep(db);
        SealingRows.Orphan(db, id);
    }

    /// <summary>What no rule can prevent: a disaster destroyed all that lay in the buckets, and what waited to leave them.</summary>
    public static void Destroy(SqliteConnection db, IEnumerable<long> buckets)
    {
        foreach (var id in buckets)
        {
            db.Run("INSERT INTO disaster VALUES(?1)", id);
            db.Run("DELETE FROM entry WHERE bucket = ?1", id);
            db.Run("DELETE FROM pending WHERE route IN (SELECT id FROM route WHERE bucket = ?1)", id);
            db.Run("DELETE FROM upload WHERE bucket = ?1", id);
            db.Run("DELETE FROM disaster WHERE bucket = ?1", id);
        }
        Sweep(db);
    }

    public static RefusalException Refuse(string what, Kept kept, string consequence) =>
        new(
            RefusalKind.Conflict,
            "kept",
            kept.IsHeld
                ? $"{what} is under a legal hold{(kept.Until == DateOnly.MaxValue ? "" : $" until {kept.Until:yyyy-MM-dd}")} and {consequence}: it "
                    + "ends by being released, by name and with a reason."
                : $"{what} is kept until {kept.Until:yyyy-MM-dd}{(kept.Strength == KeepStrength.Sealed ? " (sealed)" : "")} and {consequence}."
        );

    public void Dispose()
    {
        bears.Dispose();
        remove.Dispose();
        trash.Dispose();
        forget.Dispose();
    }
}
