using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;

namespace Ripen.Provider.Objects;

/// <summary>What is to be brought back, so that it can be read: current objects of a bucket.</summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Prefix">Everything under it; null for what <paramref name="Keys"/> names.</param>
/// <param name="Keys">Objects with content, one by one; null for a prefix.</param>
/// <param name="Speed">The id of a recall speed; null for the ordinary one, which a tier that lacks it gives as well.</param>
/// <param name="Days">How many days the copies stay, from the day on which they are ready; 1 to <see cref="Recalls.MostDays"/>.</param>
/// <param name="MissingIsFine">Keys of which there is no object are passed over, and not refused.</param>
public sealed record RecallOrder(
    string Bucket,
    string? Prefix,
    IReadOnlyCollection<string>? Keys,
    string? Speed,
    int Days,
    bool MissingIsFine = false
);

/// <summary>A recall, foreseen or ordered: copies lie in a tier without a wait until a day, and what they are of stays where it is.</summary>
/// <param name="Parts">What has to be recalled, by the tier where it rests.</param>
/// <param name="Tier">Where the copies lie.</param>
/// <param name="ReadyFrom">When the last can be read; now where nothing has to be recalled.</param>
/// <param name="Until">The first day on which the copies are not there.</param>
/// <param name="AtHand">Objects that can be read already, or whose copies are ordered already.</param>
/// <param name="Storage">Of the copies until they go, in the first band of the tier's price.</param>
public sealed record Recall(
    IReadOnlyList<RecallPart> Parts,
    string Tier,
    DateTimeOffset ReadyFrom,
    DateOnly Until,
    double AtHand,
    PricedTerm Storage
)
{
    public double StorageCharge => Storage.Amount;

    public double Objects => Parts.Sum(p => p.Objects);

    public double Bytes => Parts.Sum(p => p.Bytes);

    /// <summary>Charged at once, for recalling and reading.</summary>
    public double OnceCharge => Parts.Sum(p => p.Charge);
}

/// <summary>What is recalled from one tier.</summary>
/// <param name="From">The tier.</param>
/// <param name="Objects">That are recalled.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="WaitHours">Before the first byte.</param>
/// <param name="Terms">All that costs something at once.</param>
public sealed record RecallPart(string From, double Objects, double Bytes, double WaitHours, IReadOnlyList<PricedTerm> Terms)
{
    public double Charge => Terms.Sum(t => t.Amount);
}

/// <summary>Copies of what rests where reading takes a wait. What is foreseen and what is ordered are one computation.</summary>
public sealed class Recalls
{
    public const int MostDays = 3650;

    private readonly ProviderState state;

    internal Recalls(ProviderState state) => this.state = state;

    private sealed record Candidate(long Id, string Key, double Count, long Bytes, int Tier, RecalledCopy? Copy);

    /// <exception cref="RefusalException">There is no such bucket, object or speed; nothing is offered there without a wait; days out of
    /// range.</exception>
    public Recall Foresee(RecallOrder order) => state.Index.Read(db => Weigh(db, order).Recall);

    /// <inheritdoc cref="Foresee"/>
    public Recall Order(RecallOrder order) =>
        state.Change(db =>
        {
            var terms = state.TermsIn(db);
            var (recall, own, place, from) = Weigh(db, order);
            var (now, today) = (ProviderState.Now(db), ProviderState.Today(db));
            foreach (var c in from)
            {
                if (c.Copy is null)
                {
                    var charge = Events.Read(db, terms, today, own, c.Tier, c.Count, c.Count * c.Bytes, own.TargetOf(c.Key), order.Speed);
                    db.Run("UPDATE entry SET charged = charged + ?2 WHERE id = ?1", c.Id, charge);
                }
                RecallRows.Put(
                    db,
                    c.Id,
                    terms.TierId(place),
                    c.Copy?.Ready ?? now.AddHours(Wait(terms, own, c.Tier, order.Speed)),
                    recall.Until
                );
            }
            if (from.Count > 0)
            {
                ProviderState.Touch(db, own);
                state.Note(
                    db,
                    order.Bucket,
                    $"recalled {Wording.Objects(recall.Objects)}{(order.Prefix is { } under ? $" under '{under}'" : "")} until {recall.Until:yyyy-MM-dd}"
                );
            }
            return recall;
        });

    /// <summary>The speeds, beside the ordinary one, that the prices of a bucket's region name.</summary>
    public IReadOnlyList<RecallSpeed> SpeedsIn(string bucket) =>
        state.Index.Read(db => state.Reach(db, bucket).Prices.SelectMany(p => p?.RecallSpeeds ?? []).DistinctBy(s => s.Id).ToList());

    private (Recall Recall, BucketTerms Own, int Place, List<Candidate> From) Weigh(SqliteConnection db, RecallOrder order)
    {
        var terms = state.TermsIn(db);
        var own = state.Reach(db, order.Bucket);
        if (order.Days is < 1 or > MostDays)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"Copies stay for 1 to {MostDays} days.", "$.days");
        if (order.Speed is { } speed && !own.Prices.Any(p => p?.RecallSpeeds.Any(s => s.Id == speed) == true))
            throw new RefusalException(
                RefusalKind.Invalid,
                "no-speed",
                $"In '{own.Bucket.Region}' no tier's price names a recall speed '{speed}'.",
                "$.speed"
            );
        var place = PlaceOfCopies(terms, own);
        var now = ProviderState.Now(db);
        var today = DateOnly.FromDateTime(now.UtcDateTime);
        var all = Candidates(db, terms, own, order);
        var away = all.Where(c => terms.Prices.Tiers[c.Tier].WaitHours > 0).ToList();
        var newly = away.Where(c => c.Copy is null).ToList();
        var ready = away.Select(c => c.Copy?.Ready ?? now.AddHours(Wait(terms, own, c.Tier, order.Speed))).Append(now).Max();
        var until = DateOnly.FromDateTime(ready.UtcDateTime).AddDays(order.Days);
        double Days(Candidate c)
        {
            var from = DateOnly.FromDateTime((c.Copy?.Ready ?? now.AddHours(Wait(terms, own, c.Tier, order.Speed))).UtcDateTime);
            var paid = c.Copy is { } copy && copy.Until > from ? copy.Until : from;
            return Math.Max(0, until.DayNumber - paid.DayNumber);
        }
        var recall = new Recall(
            [
                .. newly
                    .GroupBy(c => c.Tier)
                    .OrderBy(g => g.Key)
                    .Select(g =>
                    {
                        var (objects, bytes) = (g.Sum(c => c.Count), g.Sum(c => c.Count * c.Bytes));
                        var tier = terms.Prices.Tiers[g.Key].Id;
                        var speed = own.Prices[g.Key]!.RecallSpeeds.FirstOrDefault(s => s.Id == order.Speed);
                        return new RecallPart(
                            tier,
                            objects,
                            bytes,
                            Wait(terms, own, g.Key, order.Speed),
                            [.. PricedTerm.OfReading(terms.Prices, own.Bucket.Region, tier, speed, objects, bytes)]
                        );
                    }),
            ],
            terms.Prices.Tiers[place].Id,
            ready,
            until,
            all.Sum(c => c.Count) - newly.Sum(c => c.Count),
            PricedTerm.OfResting(
                terms.Prices,
                own.Bucket,
                terms.Prices.Tiers[place].Id,
                away.Sum(c => c.Count * terms.Prices.Tiers[place].BilledBytes(c.Bytes) * Days(c)) / terms.UnitMonth(today),
                "of the copies"
            )
        );
        return (recall, own, place, away);
    }

    /// <summary>The landing tier; where that has a wait, the warmest that has none.</summary>
    private static int PlaceOfCopies(Terms terms, BucketTerms own)
    {
        var tiers = Enumerable
            .Range(0, terms.Prices.Tiers.Count)
            .Where(t => own.Prices[t] is not null && terms.Prices.Tiers[t].WaitHours == 0);
        return tiers.Cast<int?>().FirstOrDefault(t => t == own.Landing)
            ?? tiers.Cast<int?>().FirstOrDefault()
            ?? throw new RefusalException(
                RefusalKind.Conflict,
                "no-warm-tier",
                $"In '{own.Bucket.Region}' no tier is offered that can be read without a wait."
            );
    }

    private static double Wait(Terms terms, BucketTerms own, int tier, string? speed) =>
        own.Prices[tier]!.RecallSpeeds.FirstOrDefault(s => s.Id == speed)?.WaitHours ?? terms.Prices.Tiers[tier].WaitHours;

    private static List<Candidate> Candidates(SqliteConnection db, Terms terms, BucketTerms own, RecallOrder order)
    {
        if (order.Keys is null)
            return Read(
                "current = 1 AND kind < 2 AND key >= ?2 AND (?3 IS NULL OR key < ?3)",
                order.Prefix ?? "",
                ObjectKeys.After(order.Prefix ?? "")
            );
        var found = new List<Candidate>();
        foreach (var key in order.Keys.Distinct())
        {
            if (Read("current = 1 AND kind = 1 AND key = ?2", key, null).SingleOrDefault() is { } one)
                found.Add(one);
            else if (!order.MissingIsFine)
                throw RefusalException.NoObject(key);
        }
        return found;

        List<Candidate> Read(string which, string from, string? to) =>
            db.List(
                $"SELECT e.id, e.key, e.count, e.bytes, e.tier, r.tier, r.ready, r.until FROM entry e LEFT JOIN recall r ON r.entry = e.id "
                    + $"WHERE e.bucket = ?1 AND {which}",
                r => new Candidate(
                    r.GetInt64(0),
                    r.GetString(1),
                    r.GetDouble(2),
                    r.GetInt64(3),
                    terms.Place(r.GetInt64(4)),
                    r.IsDBNull(5) ? null : RecallRows.Read(r, 5, terms)
                ),
                own.Id,
                from,
                to
            );
    }
}
