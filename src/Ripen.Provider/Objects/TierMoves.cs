using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;

namespace Ripen.Provider.Objects;

/// <summary>Moving objects to another tier by hand. What is foreseen and what is done are one computation.</summary>
internal sealed class TierMoves(ProviderState state)
{
    private sealed record Candidate(long Id, string Key, int Kind, double Count, long Bytes, DateOnly Created, int Tier, DateOnly Since);

    public TierMove Foresee(string bucket, string scope, bool wholePrefix, string tier) =>
        state.Index.Read(db =>
        {
            var (own, target) = Target(db, bucket, tier);
            return Weigh(state.TermsIn(db), own, Candidates(db, own, scope, wholePrefix), target, ProviderState.Today(db));
        });

    public TierMove Make(string bucket, string scope, bool wholePrefix, string tier) =>
        state.Change(db =>
        {
            var terms = state.TermsIn(db);
            var (own, target) = Target(db, bucket, tier);
            var now = ProviderState.Now(db);
            var today = DateOnly.FromDateTime(now.UtcDateTime);
            var candidates = Candidates(db, own, scope, wholePrefix);
            using var relocation = new EntryRelocation(db);
            foreach (var c in candidates.Where(c => c.Tier != target))
            {
                var charge =
                    Events.LeftEarly(db, terms, today, own, c.Tier, c.Since, c.Count, c.Bytes, own.TargetOf(c.Key))
                    + Events.Moved(db, terms, today, own, target, c.Count, own.TargetOf(c.Key));
                if (target < c.Tier)
                    charge += Events.Read(db, terms, today, own, c.Tier, c.Count, c.Count * c.Bytes, own.TargetOf(c.Key));
                var wait = target < c.Tier ? terms.Prices.Tiers[c.Tier].WaitHours : 0;
                relocation.Move(c.Id, c.Kind, terms.TierId(target), today, wait > 0 ? now.AddHours(wait) : null, charge);
            }
            ProviderState.Touch(db, own);
            state.Note(db, bucket, $"moved {(wholePrefix ? $"everything under '{scope}'" : $"'{scope}'")} to {tier} by hand");
            return Weigh(terms, own, candidates, target, today);
        });

    private (BucketTerms Own, int Target) Target(SqliteConnection db, string bucket, string tier)
    {
        var terms = state.TermsIn(db);
        var own = state.Reach(db, bucket);
        var target = terms.Prices.Coldness(tier);
        if (target < 0)
            throw new RefusalException(
                RefusalKind.Invalid,
                "unknown-reference",
                $"There is no tier '{tier}'; write one of {string.Join(", ", terms.Prices.Tiers.Select(t => t.Id))}.",
                "$.tier"
            );
        return own.Prices[target] is null
            ? throw new RefusalException(
                RefusalKind.Invalid,
                "not-offered",
                $"Tier '{tier}' has no price in region '{own.Bucket.Region}'; choose a tier that is offered there.",
                "$.tier"
            )
            : (own, target);
    }

    private List<Candidate> Candidates(SqliteConnection db, BucketTerms own, string scope, bool wholePrefix)
    {
        var terms = state.TermsIn(db);
        var found = db.List(
            """
            SELECT id, key, kind, count, bytes, created, tier, since FROM entry
            WHERE bucket = ?1 AND current = 1 AND kind < 2 AND ((?4 = 1 AND key >= ?2 AND (?3 IS NULL OR key < ?3)) OR (?4 = 0
                AND key = ?2 AND kind = 1))
            """,
            r => new Candidate(
                r.GetInt64(0),
                r.GetString(1),
                r.GetInt32(2),
                r.GetDouble(3),
                r.GetInt64(4),
                DateOnly.FromDayNumber(r.GetInt32(5)),
                terms.Place(r.GetInt64(6)),
                DateOnly.FromDayNumber(r.GetInt32(7))
            ),
            own.Id,
            scope,
            ObjectKeys.After(scope),
            wholePrefix ? 1 : 0
        );
        return found.Count > 0 || wholePrefix ? found : throw RefusalException.NoObject(scope);
    }

    private static TierMove Weigh(Terms terms, BucketTerms own, List<Candidate> candidates, int target, DateOnly today)
    {
        var tiers = terms.Prices.Tiers;
        var unit = terms.Prices.Unit.Bytes();
        var moving = candidates.Where(c => c.Tier != target).ToList();
        double Monthly(Candidate c, int tier) =>
            c.Count * tiers[tier].BilledBytes(c.Bytes) / unit * own.Prices[tier]!.Storage[0].Price.PerUnit * own.Factor;
        return new TierMove(
            [
                .. moving
                    .GroupBy(c => c.Tier)
                    .OrderBy(g => g.Key)
                    .Select(from =>
                    {
                        var (objects, bytes) = (from.Sum(c => c.Count), from.Sum(c => c.Count * c.Bytes));
                        var early = from.Sum(c => Events.EarlyLeave(terms, today, own, c.Tier, c.Since, c.Count, c.Bytes).UnitMonths);
                        var (left, entered) = (tiers[from.Key].Id, tiers[target].Id);
                        return new TierMovePart(
                            left,
                            objects,
                            bytes,
                            [
                                .. PricedTerm.OfLeaving(terms.Prices, own.Bucket, left, entered, objects, 0, 0, early),
                                .. target < from.Key
                                    ? PricedTerm.OfReading(terms.Prices, own.Bucket.Region, left, null, objects, bytes)
                                    : [],
                            ]
                        );
                    }),
            ],
            tiers[target].Id,
            candidates.Where(c => c.Tier == target).Sum(c => c.Count),
            moving.Sum(c => Monthly(c, c.Tier)),
            moving.Sum(c => Monthly(c, target)),
            tiers[target].WaitHours,
            moving.Where(c => target < c.Tier).Select(c => tiers[c.Tier].WaitHours).DefaultIfEmpty(0).Max(),
            [
                .. own
                    .Bucket.Rules.Where(rule =>
                        rule.Applies == VersionKind.Current
                        && rule.Steps.Any(s =>
                            terms.Prices.Coldness(s.Tier) > target
                            && moving.Any(c =>
                                rule.StepScope.TakesKey(c.Key)
                                && rule.StepScope.TakesSize(c.Bytes)
                                && today.DayNumber - c.Created.DayNumber >= s.Age
                            )
                        )
                    )
                    .Select(r => r.Id),
            ]
        );
    }
}
