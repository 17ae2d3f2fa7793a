using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Retention;

/// <summary>Retention that one object is to have of its own, beside its bucket's.</summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Key">Of the object.</param>
/// <param name="Version">Null for the current one.</param>
/// <param name="Until">The first day on which it may go; null where <paramref name="Days"/> says it, or where its own retention is
/// lifted.</param>
/// <param name="Days">From its creation.</param>
/// <param name="Strength">A sealed one can be lengthened and nothing else.</param>
/// <param name="By">Who answers for it; needed for less than before.</param>
/// <param name="Reason">Needed for less than before.</param>
public sealed record ObjectKeepOrder(
    string Bucket,
    string Key,
    long? Version,
    DateOnly? Until,
    int? Days,
    KeepStrength Strength,
    string? By,
    string? Reason
);

/// <summary>What an order does, foreseen or done.</summary>
/// <param name="Version">Whose retention it is.</param>
/// <param name="Before">What kept it; null for nothing.</param>
/// <param name="After">What keeps it then, its bucket's rule and legal holds included.</param>
/// <param name="IsLess">Whether it needs a person and a reason.</param>
/// <param name="Monthly">What storing it costs a month where it lies now, in the first band of the price.</param>
/// <param name="UntilThen">The same from today until it may go; null while nobody knows when.</param>
/// <param name="Terms">What makes that; what makes a month while nobody knows how long; nothing where nothing keeps it.</param>
public sealed record ObjectKeep(
    long Version,
    Kept? Before,
    Kept? After,
    bool IsLess,
    double Monthly,
    double? UntilThen,
    IReadOnlyList<PricedTerm> Terms
);

/// <summary>Retention of single objects: what the bucket's rule says is the least.</summary>
public sealed class ObjectRetention
{
    private readonly ProviderState state;

    internal ObjectRetention(ProviderState state) => this.state = state;

    private sealed record Entry(
        long Id,
        DateOnly Created,
        long Bytes,
        long Tier,
        int? Sealed,
        int? Liftable,
        int? OwnLiftable,
        int? Held,
        int? RuleLiftable
    );

    private sealed record Weighed(ObjectKeep Keep, int? Sealed, int? Liftable, int? OwnLiftable);

    /// <exception cref="RefusalException">There is no such bucket, object or version; it is sealed for longer; the day has come already; it
    /// has nothing of its own that could be lifted.</exception>
    public ObjectKeep Foresee(ObjectKeepOrder order) => state.Index.Read(db => Weigh(db, order).Keep);

    /// <inheritdoc cref="Foresee"/>
    /// <exception cref="RefusalException">As when it is foreseen; or it keeps less than before, and nobody says who and why.</exception>
    public ObjectKeep Set(ObjectKeepOrder order) =>
        state.Change(db =>
        {
            var weighed = Weigh(db, order);
            if (weighed.Keep.IsLess)
            {
                Demand(order.By, "no-name", "$.by", "Say who answers for keeping it less long; the log keeps it.");
                Demand(order.Reason, "no-reason", "$.reason", "Say why it is kept less long; the log keeps it.");
            }
            db.Run(
                "UPDATE entry SET sealed_until = ?2, liftable_until = ?3, own_liftable = ?4 WHERE id = ?1",
                weighed.Keep.Version,
                weighed.Sealed,
                weighed.Liftable,
                weighed.OwnLiftable
            );
            ProviderState.Touch(db, state.Reach(db, order.Bucket));
            state.Note(db, order.Bucket, Words(order, weighed));
            return weighed.Keep;
        });

    private static void Demand(string? said, string code, string path, string words)
    {
        if (string.IsNullOrWhiteSpace(said))
            throw new RefusalException(RefusalKind.Invalid, code, words, path);
    }

    private Weighed Weigh(SqliteConnection db, ObjectKeepOrder order)
    {
        if (order.Until is not null && order.Days is not null)
            throw new RefusalException(RefusalKind.Invalid, "one-of", "Say either a day or how many days from its creation.", "$.days");
        var own = state.Reach(db, order.Bucket);
        var today = ProviderState.Today(db);
        var entry = Find(db, own, order);
        var until = Day(order, entry.Created, today);
        var (hard, soft) = (entry.Sealed, entry.OwnLiftable);
        if (until is null)
        {
            if (soft is null)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "nothing-to-lift",
                    hard > today.DayNumber
                        ? $"'{order.Key}' is sealed until {DateOnly.FromDayNumber(hard.Value):yyyy-MM-dd}: nobody can lift that."
                        : $"'{order.Key}' has no retention of its own that could be lifted."
                );
            soft = null;
        }
        else if (hard > until || (hard == until && order.Strength == KeepStrength.Liftable))
            throw new RefusalException(
                RefusalKind.Conflict,
                "sealed",
                $"'{order.Key}' is sealed until {DateOnly.FromDayNumber(hard.Value):yyyy-MM-dd}; it can be kept longer, and not less long."
            );
        else if (order.Strength == KeepStrength.Sealed)
            (hard, soft) = (until, soft > until ? soft : null);
        else
            soft = until;
        var liftable = Later(soft, entry.RuleLiftable);
        var before = RetentionGate.Of(entry.Sealed, entry.Liftable, entry.Held, today);
        var after = RetentionGate.Of(hard, liftable, entry.Held, today);
        var terms = state.TermsIn(db);
        var tier = terms.Place(entry.Tier);
        var units = terms.Prices.Tiers[tier].BilledBytes(entry.Bytes) / terms.Prices.Unit.Bytes();
        var monthly = Stored(1, "stored for a month");
        var untilThen = after is null || after.Until == DateOnly.MaxValue ? null : Stored(Months(after.Until), "stored until then");
        return new(
            new ObjectKeep(
                entry.Id,
                before,
                after,
                entry.OwnLiftable > Math.Max(soft ?? 0, hard ?? 0),
                monthly.Amount,
                after is null ? 0 : untilThen?.Amount,
                after is null ? [] : [untilThen ?? monthly]
            ),
            hard,
            liftable,
            soft
        );

        PricedTerm Stored(double months, string what) =>
            PricedTerm.OfResting(terms.Prices, own.Bucket, terms.Prices.Tiers[tier].Id, units * months, what);

        double Months(DateOnly until) => (until.DayNumber - today.DayNumber) * 12 / 365.0;
    }

    private static int? Day(ObjectKeepOrder order, DateOnly created, DateOnly today)
    {
        long? day =
            order.Until is { } date ? date.DayNumber
            : order.Days is { } days ? (long)created.DayNumber + days
            : null;
        if (day is not { } until)
            return null;
        if (until <= today.DayNumber || until > DateOnly.MaxValue.DayNumber)
            throw new RefusalException(
                RefusalKind.Invalid,
                "out-of-range",
                $"It would keep nothing: say a day after today, {today:yyyy-MM-dd}, that the calendar has.",
                order.Days is null ? "$.until" : "$.days"
            );
        return (int)until;
    }

    private static Entry Find(SqliteConnection db, BucketTerms own, ObjectKeepOrder order)
    {
        var found = db.List(
            """
            SELECT e.id, created, bytes, tier, sealed_until, liftable_until, own_liftable, held_until,
                CASE b.keep_sealed WHEN 0 THEN coalesce(b.keep_until, e.created + b.keep_days) END
            FROM entry e JOIN bucket b ON b.id = e.bucket
            WHERE e.bucket = ?1 AND key = ?2 AND kind = 1 AND (e.id = ?3 OR (?3 IS NULL AND current = 1))
            """,
            r => new Entry(
                r.GetInt64(0),
                DateOnly.FromDayNumber(r.GetInt32(1)),
                r.GetInt64(2),
                r.GetInt64(3),
                r.Int(4),
                r.Int(5),
                r.Int(6),
                r.Int(7),
                r.Int(8)
            ),
            own.Id,
            order.Key,
            order.Version
        );
        return found is [var entry] ? entry
            : order.Version is { } version ? throw RefusalException.NoVersion(order.Key, version)
            : throw RefusalException.NoObject(order.Key);
    }

    private static int? Later(int? one, int? other) => one is null ? other : Math.Max(one.Value, other ?? 0);

    private static string Words(ObjectKeepOrder order, Weighed weighed)
    {
        var who = string.IsNullOrWhiteSpace(order.By) ? "" : $", by {order.By.Trim()}";
        var why = string.IsNullOrWhiteSpace(order.Reason) ? "" : $": {order.Reason.Trim()}";
        var isSealed = order.Strength == KeepStrength.Sealed;
        var until = isSealed ? weighed.Sealed : weighed.OwnLiftable;
        var what =
            order.Until is null && order.Days is null
                ? "its own retention was lifted"
                : $"kept of its own until {DateOnly.FromDayNumber(until!.Value):yyyy-MM-dd}, {(isSealed ? "sealed" : "liftable")}";
        return $"'{order.Key}': {what}{who}{why}";
    }
}
