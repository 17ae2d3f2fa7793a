using Microsoft.Data.Sqlite;
using Ripen.Core;
using Ripen.Core.Arrays;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Arrays;

/// <summary>What of a volume's folder is away, and lies in the array's bucket.</summary>
internal sealed class AwayParts
{
    /// <summary>Objects of one part that lie in one tier.</summary>
    /// <param name="Part">Its key, and the day on which it left.</param>
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

    private readonly SqliteConnection db;
    private readonly Terms terms;
    private readonly BucketTerms? bucket;
    private readonly Dictionary<(string Key, int Day), double> wanted;
    private readonly List<Entry> entries;

    private AwayParts(SqliteConnection db, Terms terms, BucketTerms? bucket, LocalArray array, ArrayVolume volume, string folder)
    {
        (this.db, this.terms, this.bucket) = (db, terms, bucket);
        (Array, Volume, Folder) = (array, volume, folder);
        wanted = ArrayRows.Away(array, volume with { Data = [.. volume.Data.Where(IsInFolder)] });
        entries = bucket is null || wanted.Count == 0 ? [] : Entries(bucket);
    }

    public LocalArray Array { get; }

    public ArrayVolume Volume { get; }

    /// <summary>How the paths of what is meant begin; empty for the whole volume.</summary>
    public string Folder { get; }

    public bool IsEmpty => wanted.Count == 0;

    public double Objects => entries.Sum(e => e.Count);

    public double Bytes => entries.Sum(e => e.Count * e.Bytes);

    /// <summary>Bytes that are free on the array when all of it is at home.</summary>
    public double RoomAfter =>
        Array.CapacityBytes
        - Array.All().Where(d => d.Data.Away is null || (d.Volume.Id == Volume.Id && IsInFolder(d.Data))).Sum(d => d.Data.Bytes);

    public DateOnly Today => ProviderState.Today(db);

    public bool IsInFolder(ArrayData data) => data.Folder.StartsWith(Folder, StringComparison.Ordinal);

    /// <exception cref="RefusalException">There is no such array or volume.</exception>
    public static AwayParts Find(SqliteConnection db, ProviderState state, string array, string volume, string folder)
    {
        var terms = state.TermsIn(db);
        var found =
            ArrayRows.Standing(db, terms.Plan.Estate.Arrays).FirstOrDefault(a => a.Id == array)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-array", $"There is no array '{array}'.");
        var of =
            found.Volumes.FirstOrDefault(v => v.Id == volume)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-volume", $"'{found.Name}' has no volume '{volume}'.");
        return new(db, terms, found.Bucket is { } bucket ? state.Reach(db, bucket) : null, found, of, folder);
    }

    /// <summary>Why it cannot be read now; null where it can.</summary>
    public Obstacle? NotReadable()
    {
        var there = entries.GroupBy(e => e.Part).ToDictionary(p => p.Key, p => p.Sum(e => e.Count * e.Bytes));
        if (!ArrayRows.IsAllOf(wanted, there))
            return new(
                "array-data-missing",
                $"Only {there.Values.Sum():N0} of {wanted.Values.Sum():N0} bytes are in '{Array.Bucket}': the rest was lost there, and what is "
                    + "left is no whole."
            );
        var now = ProviderState.Now(db).ToUnixTimeMilliseconds();
        return entries.Any(e => terms.Prices.Tiers[e.Tier].WaitHours > 0 && !(e.Ready <= now))
            ? new(
                "needs-recall",
                $"Some of it rests where the first byte takes hours: recall {Array.PrefixOf(Volume)}{Folder} in '{Array.Bucket}', and come back "
                    + "when that has arrived."
            )
            : null;
    }

    /// <summary>Why it cannot leave the bucket now; null where it can.</summary>
    public Obstacle? NotHome()
    {
        var kept = entries.Select(e => e.KeptUntil).DefaultIfEmpty().Max();
        if (kept > Today.DayNumber)
            return new("kept", $"Some of it is kept in '{Array.Bucket}' until {DateOnly.FromDayNumber(kept):yyyy-MM-dd}.");
        return RoomAfter < 0 ? new("no-room", "The array has no room for it.") : null;
    }

    /// <summary>What reading it and taking it to the array costs, and leaving its tiers where it comes home.</summary>
    public AwayCharges Charges(bool home) =>
        new([
            .. entries
                .GroupBy(e => e.Tier)
                .OrderBy(g => g.Key)
                .SelectMany(from =>
                {
                    var (own, tier) = (bucket!.Bucket, terms.Prices.Tiers[from.Key].Id);
                    var (objects, bytes) = (from.Sum(e => e.Count), from.Sum(e => e.Count * e.Bytes));
                    var early = home
                        ? from.Sum(e => Events.EarlyLeave(terms, Today, bucket, e.Tier, Since(e), e.Count, e.Bytes).UnitMonths)
                        : 0;
                    return (IEnumerable<PricedTerm>)
                        [
                            .. PricedTerm.OfReading(terms.Prices, own.Region, tier, null, objects, bytes),
                            .. PricedTerm.OfLeaving(terms.Prices, own, tier, null, objects, 0, 0, early),
                        ];
                }),
            .. PricedTerm.OfCarrying(terms.Prices, bucket?.Bucket.Region ?? Array.Region, Array.Region, Bytes),
        ]);

    /// <summary>Books the reading; what comes home leaves the bucket, what does not counts there as read today.</summary>
    public void Take(bool home)
    {
        using var gate = new RetentionGate(db);
        foreach (var entry in entries)
        {
            var bytes = entry.Count * entry.Bytes;
            Events.Read(db, terms, Today, bucket!, entry.Tier, entry.Count, bytes);
            Events.SentHome(db, terms, Today, bucket!, Array.Region, bytes);
            if (home)
            {
                Events.LeftEarly(db, terms, Today, bucket!, entry.Tier, Since(entry), entry.Count, entry.Bytes);
                gate.Remove(entry.Id);
            }
            else
                db.Run("UPDATE entry SET touched = max(coalesce(touched, 0), ?2) WHERE id = ?1", entry.Id, Today.DayNumber);
        }
        Use(isAway: true, home);
        if (entries.Count > 0)
            ProviderState.Touch(db, bucket!);
    }

    /// <summary>What of the folder is on the array anyway is used today.</summary>
    public void UseAtHome() => Use(isAway: false, home: true);

    private void Use(bool isAway, bool home)
    {
        foreach (var (data, i) in Volume.Data.Select((d, i) => (d, i)).Where(p => IsInFolder(p.d) && p.d.Away is not null == isAway))
            ArrayRows.Used(db, Array, Volume, i, home ? null : data.Away, Today);
    }

    private static DateOnly Since(Entry entry) => DateOnly.FromDayNumber(entry.Since);

    private List<Entry> Entries(BucketTerms bucket) =>
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
                        terms.Place(r.GetInt64(3)),
                        r.GetInt32(4),
                        r.GetInt32(5),
                        r.IsDBNull(6) ? null : r.GetInt64(6),
                        (r.GetString(7), r.GetInt32(8))
                    ),
                    bucket.Id,
                    Array.PrefixOf(Volume),
                    ObjectKeys.After(Array.PrefixOf(Volume))
                )
                .Where(e => wanted.ContainsKey(e.Part)),
        ];
}

/// <summary>Why something cannot be done now.</summary>
internal sealed record Obstacle(string Code, string Message)
{
    public RefusalException Refusal() => new(RefusalKind.Conflict, Code, Message);
}

/// <summary>Money, once.</summary>
/// <param name="Terms">What makes it.</param>
public sealed record AwayCharges(IReadOnlyList<PricedTerm> Terms)
{
    /// <summary>For reading and recalling, at the ordinary speed.</summary>
    public double Read => Of(Charge.Reads) + Of(Charge.Recall);

    /// <summary>For leaving tiers before their minimum stay.</summary>
    public double EarlyLeave => Of(Charge.EarlyLeave);

    /// <summary>For what goes to the array's region.</summary>
    public double Transfer => Of(Charge.Transfer);

    public double Once => Terms.Sum(t => t.Amount);

    private double Of(Charge charge) => Terms.Where(t => t.Charge == charge).Sum(t => t.Amount);
}
