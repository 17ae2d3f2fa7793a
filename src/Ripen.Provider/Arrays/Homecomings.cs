using Microsoft.Data.Sqlite;
using Ripen.Core;
using Ripen.Core.Arrays;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Arrays;

/// <summary>What bringing a volume home does, and costs once.</summary>
/// <param name="Objects">How many come.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="ReadCharge">For reading them and recalling them, at the ordinary speed.</param>
/// <param name="EarlyLeaveCharge">For leaving tiers before their minimum stay.</param>
/// <param name="TransferCharge">For what goes to the array's region.</param>
/// <param name="RoomAfter">Bytes that are free on the array then.</param>
/// <param name="Refusal">Why it cannot be done now; null where it can.</param>
public sealed record Homecoming(
    double Objects,
    double Bytes,
    double ReadCharge,
    double EarlyLeaveCharge,
    double TransferCharge,
    double RoomAfter,
    string? Refusal
)
{
    public double OnceCharge => ReadCharge + EarlyLeaveCharge + TransferCharge;
}

/// <summary>Brings a local array's volumes home: what was away is read, goes to the array, and leaves its bucket.</summary>
public sealed class Homecomings
{
    private readonly ProviderState state;

    internal Homecomings(ProviderState state) => this.state = state;

    /// <exception cref="RefusalException">There is no such array or volume.</exception>
    public Homecoming Foresee(string array, string volume) =>
        state.Index.Read(db =>
        {
            var found = Find(db, array, volume);
            var (refusal, _) = WhyNot(db, found);
            return Of(db, found, (_, entry) => Charges(db, found, entry), refusal);
        });

    /// <exception cref="RefusalException">There is no such array or volume, or it cannot be done now; nothing was.</exception>
    public Homecoming Bring(string array, string volume) =>
        state.Change(db =>
        {
            var found = Find(db, array, volume);
            if (WhyNot(db, found) is ({ } refusal, { } code))
                throw new RefusalException(RefusalKind.Conflict, code, refusal);
            using var gate = new RetentionGate(db);
            var done = Of(
                db,
                found,
                (terms, entry) =>
                {
                    var (reads, early, sent) = Charges(db, found, entry);
                    var (day, own) = (found.Today, found.Bucket!);
                    var tier = terms.Prices.Tiers[entry.Tier].Id;
                    Events.Read(db, terms, day, own, entry.Tier, entry.Count, entry.Count * entry.Bytes);
                    Events.LeftEarly(db, terms, day, own, entry.Tier, DateOnly.FromDayNumber(entry.Since), entry.Count, entry.Bytes);
                    Events.SentHome(db, terms, day, own, found.Array.Region, entry.Count * entry.Bytes);
                    gate.Remove(entry.Id);
                    return (reads, early, sent);
                },
                null
            );
            ArrayRows.CameHome(db, found.Array, found.Volume, found.Today);
            if (found.Bucket is { } bucket)
            {
                ProviderState.Touch(db, bucket);
                state.Note(
                    db,
                    bucket.Bucket.Name,
                    $"'{found.Volume.Name}' of the array '{found.Array.Name}' came home: {Wording.Objects(done.Objects)}."
                );
            }
            return done;
        });

    private sealed record Place(LocalArray Array, ArrayVolume Volume, BucketTerms? Bucket, Terms Terms, DateOnly Today);

    private readonly record struct Entry(
        long Id,
        double Count,
        long Bytes,
        int Tier,
        int Since,
        int KeptUntil,
        long? Ready,
        (string Key, int Day) Part
    );

    private Place Find(SqliteConnection db, string array, string volume)
    {
        var terms = state.TermsIn(db);
        var found =
            ArrayRows.Standing(db, terms.Plan.Estate.Arrays).FirstOrDefault(a => a.Id == array)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-array", $"There is no array '{array}'.");
        var of =
            found.Volumes.FirstOrDefault(v => v.Id == volume)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-volume", $"'{found.Name}' has no volume '{volume}'.");
        return new(found, of, found.Bucket is { } bucket ? state.Reach(db, bucket) : null, terms, ProviderState.Today(db));
    }

    private static List<Entry> Away(SqliteConnection db, Place place)
    {
        if (place.Bucket is not { } bucket)
            return [];
        var away = ArrayRows.Away(place.Array, place.Volume);
        return
        [
            .. db.List(
                    $"""
                    SELECT e.id, e.count, e.bytes, e.tier, e.since, {RetentionGate.KeptUntil}, r.ready, e.key, e.created FROM entry e LEFT JOIN recall r ON r.entry = e.id
                    WHERE e.bucket = ?1 AND e.kind = 0 AND e.current = 1 AND e.key >= ?2 AND e.key < ?3
                    """,
                    r => new Entry(
                        r.GetInt64(0),
                        r.GetDouble(1),
                        r.GetInt64(2),
                        place.Terms.Place(r.GetInt64(3)),
                        r.GetInt32(4),
                        r.GetInt32(5),
                        r.IsDBNull(6) ? null : r.GetInt64(6),
                        (r.GetString(7), r.GetInt32(8))
                    ),
                    bucket.Id,
                    place.Array.PrefixOf(place.Volume),
                    ObjectKeys.After(place.Array.PrefixOf(place.Volume))
                )
                .Where(e => away.ContainsKey(e.Part)),
        ];
    }

    private static (string? Why, string? Code) WhyNot(SqliteConnection db, Place place)
    {
        var away = Away(db, place);
        var wanted = ArrayRows.Away(place.Array, place.Volume);
        if (wanted.Count == 0)
            return ("Nothing of this volume is away.", "nothing-away");
        var there = away.GroupBy(e => e.Part).ToDictionary(p => p.Key, p => p.Sum(e => e.Count * e.Bytes));
        if (!ArrayRows.IsAllOf(wanted, there))
            return (
                $"Only {there.Values.Sum():N0} of {wanted.Values.Sum():N0} bytes are in '{place.Array.Bucket}': the rest was lost there, and what is left is no volume.",
                "array-data-missing"
            );
        if (away.Where(e => e.KeptUntil > place.Today.DayNumber).Select(e => (int?)e.KeptUntil).Max() is { } kept)
            return ($"Some of it is kept in '{place.Array.Bucket}' until {DateOnly.FromDayNumber(kept):yyyy-MM-dd}.", "kept");
        var now = ProviderState.Now(db).ToUnixTimeMilliseconds();
        if (away.Any(e => place.Terms.Prices.Tiers[e.Tier].WaitHours > 0 && !(e.Ready <= now)))
            return (
                $"Some of it rests where the first byte takes hours: recall {place.Array.PrefixOf(place.Volume)} in "
                    + $"'{place.Array.Bucket}', and bring it home when that has arrived.",
                "needs-recall"
            );
        return Room(place) < 0 ? ("The array has no room for it.", "no-room") : (null, null);
    }

    /// <summary>Bytes that are free when all of the volume is at home.</summary>
    private static double Room(Place place) =>
        place.Array.CapacityBytes
        - place.Array.All().Where(d => d.Data.Away is null || d.Volume.Id == place.Volume.Id).Sum(d => d.Data.Bytes);

    private static Homecoming Of(
        SqliteConnection db,
        Place place,
        Func<Terms, Entry, (double Reads, double Early, double Sent)> charge,
        string? refusal
    )
    {
        var away = Away(db, place);
        var charges = away.ConvertAll(e => charge(place.Terms, e));
        return new(
            away.Sum(e => e.Count),
            away.Sum(e => e.Count * e.Bytes),
            charges.Sum(c => c.Reads),
            charges.Sum(c => c.Early),
            charges.Sum(c => c.Sent),
            Room(place),
            refusal
        );
    }

    private static (double Reads, double Early, double Sent) Charges(SqliteConnection db, Place place, Entry entry)
    {
        var (terms, bucket) = (place.Terms, place.Bucket!);
        var units = entry.Count * entry.Bytes / terms.Prices.Unit.Bytes();
        var (reads, recall) = Events.ReadCharge(bucket, entry.Tier, entry.Count, units, null);
        var early = Events.EarlyLeave(
            terms,
            place.Today,
            bucket,
            entry.Tier,
            DateOnly.FromDayNumber(entry.Since),
            entry.Count,
            entry.Bytes
        );
        return (reads + recall, early.Amount, terms.Prices.TransferPrice(bucket.Bucket.Region, place.Array.Region).For(units));
    }
}
