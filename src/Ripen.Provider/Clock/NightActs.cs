using Microsoft.Data.Sqlite;
using Ripen.Core.Ageing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Clock;

/// <summary>What a night does to one entry: an object, or alike objects without content.</summary>
/// <param name="Day">That the night closes.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Key">Of the object; the prefix of alike ones.</param>
/// <param name="Deed">What is done.</param>
/// <param name="Rule">By which; null where it is overwritten by a later arrival, or an upload that nobody
/// completed.</param>
/// <param name="From">The tier where it lies.</param>
/// <param name="To">Where it moves; null for nowhere.</param>
/// <param name="Objects">How many.</param>
/// <param name="Bytes">Of all of them.</param>
/// <param name="Charge">For moving, and for leaving early.</param>
public sealed record NightAct(
    DateOnly Day,
    string Bucket,
    string Key,
    NightDeed Deed,
    string? Rule,
    string From,
    string? To,
    double Objects,
    double Bytes,
    double Charge
);

/// <summary>The same in sums.</summary>
public sealed record NightSum(
    string Bucket,
    NightDeed Deed,
    string? Rule,
    string From,
    string? To,
    double Objects,
    double Bytes,
    double Charge
);

/// <summary>What a night did, or would do now.</summary>
/// <param name="Day">That it closes.</param>
/// <param name="Sums">By bucket, deed, rule and tiers.</param>
/// <param name="Acts">One page of them.</param>
/// <param name="Next">The number with which the next page begins; null for the last.</param>
public sealed record NightReading(DateOnly Day, IReadOnlyList<NightSum> Sums, IReadOnlyList<NightAct> Acts, long? Next)
{
    /// <summary>Of all sums together.</summary>
    public double Charge => Sums.Sum(s => s.Charge);

    /// <summary>Reads all acts once: sums of all, and those of the page.</summary>
    internal static NightReading Of(DateOnly day, IEnumerable<NightAct> acts, long from, int most)
    {
        var page = new List<NightAct>();
        var sums = new Dictionary<(string, NightDeed, string?, string, string?), NightSum>();
        var number = 0L;
        foreach (var act in acts)
        {
            var key = (act.Bucket, act.Deed, act.Rule, act.From, act.To);
            var sum = sums.GetValueOrDefault(key) ?? new NightSum(act.Bucket, act.Deed, act.Rule, act.From, act.To, 0, 0, 0);
            sums[key] = sum with { Objects = sum.Objects + act.Objects, Bytes = sum.Bytes + act.Bytes, Charge = sum.Charge + act.Charge };
            if (number >= from && page.Count < most)
                page.Add(act);
            number++;
        }
        var ordered = sums
            .Values.OrderBy(s => s.Bucket, StringComparer.Ordinal)
            .ThenBy(s => s.Rule, StringComparer.Ordinal)
            .ThenBy(s => s.Deed);
        return new NightReading(day, [.. ordered], page, from + most < number ? from + most : null);
    }
}

/// <summary>What nights do: of the next one foreseen, of the last one written down in the night's own transaction.</summary>
internal sealed class NightActs : IDisposable
{
    private readonly SqliteCommand add;

    public NightActs(SqliteConnection db, DateOnly day)
    {
        Forget(db);
        db.Run("INSERT INTO meta VALUES('night', ?1)", day.DayNumber);
        add = db.Repeated(
            "INSERT INTO night_act(bucket, key, deed, rule, from_tier, to_tier, objects, bytes, charge) "
                + "SELECT ?1, key, ?3, ?4, ?5, ?6, ?7, ?8, ?9 FROM entry WHERE id = ?2",
            9
        );
    }

    /// <param name="id">Of the entry, whose key is written down.</param>
    /// <param name="act">What was done to it.</param>
    public void Note(long id, NightAct act)
    {
        add.Again(act.Bucket, id, (int)act.Deed, act.Rule, act.From, act.To, act.Objects, act.Bytes, act.Charge);
    }

    public void Dispose() => add.Dispose();

    /// <summary>The same of what is no entry.</summary>
    public static void Note(SqliteConnection db, NightAct act) =>
        db.Run(
            "INSERT INTO night_act(bucket, key, deed, rule, from_tier, to_tier, objects, bytes, charge) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
            act.Bucket,
            act.Key,
            (int)act.Deed,
            act.Rule,
            act.From,
            act.To,
            act.Objects,
            act.Bytes,
            act.Charge
        );

    /// <summary>An upload that nobody completed, with what had come of it.</summary>
    public static NightAct Discards(Upload upload, Terms terms, BucketTerms bucket, DateOnly day) =>
        new(day, upload.Bucket, upload.Key, NightDeed.Discards, null, terms.Prices.Tiers[bucket.Landing].Id, null, 1, upload.Received, 0);

    /// <summary>No night was, as far as anybody knows.</summary>
    public static void Forget(SqliteConnection db)
    {
        db.Run("DELETE FROM night_act");
        db.Run("DELETE FROM meta WHERE name = 'night'");
    }

    /// <summary>What the run that closes today would do, if nothing came or went until then.</summary>
    public static IEnumerable<NightAct> Foreseen(SqliteConnection db, Terms terms, string? bucket, CancellationToken cancel)
    {
        var day = ProviderState.Today(db);
        var lost = Lines.Lost(db).Select(l => l.Region).ToHashSet();
        var only = bucket is null ? null : terms[bucket];
        foreach (var entry in NightEntries.Of(db, terms, day, b => !lost.Contains(b.Bucket.Region), cancel, whatActs: true, only))
        {
            if (ByRules(entry, terms, day) is { } ruled)
                yield return ruled;
            if (ByReading(entry, terms, day) is { } read)
                yield return read;
        }
        foreach (var reached in terms.Buckets.Where(b => !lost.Contains(b.Bucket.Region) && (only is null || b == only)))
        {
            foreach (var upload in UploadRows.Over(db, reached, day))
                yield return Discards(upload, terms, reached, day);
        }
    }

    /// <summary>The day that the last night closed; null before the first.</summary>
    public static DateOnly? LastDay(SqliteConnection db) =>
        db.Value<long?>("SELECT value FROM meta WHERE name = 'night'") is { } day ? DateOnly.FromDayNumber((int)day) : null;

    /// <summary>What the last night did.</summary>
    public static IEnumerable<NightAct> Done(SqliteConnection db, string? bucket)
    {
        if (LastDay(db) is not { } day)
            return [];
        return db.Each(
            """
            SELECT bucket, key, deed, rule, from_tier, to_tier, objects, bytes, charge FROM night_act WHERE ?1 IS NULL OR bucket = ?1
            ORDER BY id
            """,
            r => new NightAct(
                day,
                r.GetString(0),
                r.GetString(1),
                (NightDeed)r.GetInt32(2),
                r.Text(3),
                r.GetString(4),
                r.Text(5),
                r.GetDouble(6),
                r.GetDouble(7),
                r.GetDouble(8)
            ),
            bucket
        );
    }

    /// <summary>What rules do to an entry in the night; null for nothing.</summary>
    public static NightAct? ByRules(in NightEntry entry, Terms terms, DateOnly day)
    {
        if (entry.Fate.IsNothing)
            return null;
        var (bucket, lies, fate) = (entry.Rules.Bucket, entry.Lies, entry.Fate);
        var charge = fate.Goes || fate.Tier is not null ? Early(bucket, terms, day, lies.Tier, entry.Since, entry.Count, lies.Bytes) : 0;
        if (fate.Tier is { } colder)
            charge +=
                fate.BundleTo > 0
                    ? bucket.Prices[lies.Tier]!.Reads.For(entry.Count) + bucket.Prices[colder]!.Writes.For(entry.RestingCount)
                    : bucket.Prices[colder]!.MovesIn.For(entry.Count);
        return new(
            day,
            bucket.Bucket.Name,
            lies.Key,
            fate.Goes ? NightDeed.Expires
                : fate.Supersedes ? NightDeed.StepsBack
                : NightDeed.Moves,
            fate.Goes || fate.Supersedes ? fate.OverBy : fate.MovedBy,
            terms.Prices.Tiers[lies.Tier].Id,
            fate.Tier is { } to ? terms.Prices.Tiers[to].Id : null,
            entry.Count,
            entry.Count * lies.Bytes,
            charge
        );
    }

    /// <summary>What comes back because it was read on the day, after the rules; null for nothing.</summary>
    public static NightAct? ByReading(in NightEntry entry, Terms terms, DateOnly day)
    {
        if (entry.Watching.Back is not { } rule || entry.ShareRead(day) is not (> 0 and var share))
            return null;
        var (bucket, rests, count) = (entry.Rules.Bucket, entry.Rests, entry.RestingCount * share);
        var since = entry.Fate.Tier is null ? entry.Since : day.DayNumber;
        return new(
            day,
            bucket.Bucket.Name,
            rests.Key,
            NightDeed.ComesBack,
            rule,
            terms.Prices.Tiers[rests.Tier].Id,
            terms.Prices.Tiers[bucket.Landing].Id,
            count,
            count * rests.Bytes,
            Early(bucket, terms, day, rests.Tier, since, count, rests.Bytes) + bucket.Prices[bucket.Landing]!.MovesIn.For(count)
        );
    }

    private static double Early(BucketTerms bucket, Terms terms, DateOnly day, int tier, int since, double count, long bytes) =>
        Events.EarlyLeave(terms, day, bucket, tier, DateOnly.FromDayNumber(since), count, bytes).Amount;
}
