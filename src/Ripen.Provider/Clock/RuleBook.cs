using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Clock;

/// <summary>A bucket's lifecycle and keep rules and its reading habit, as they hold on one day.</summary>
internal sealed class RuleBook(BucketTerms bucket, PriceBook prices, DateOnly day)
{
    private readonly Bucket terms = bucket.Bucket;
    private readonly (LifecycleRule Rule, (int Age, int Tier)[] Steps)[] rules =
    [
        .. bucket.Bucket.Rules.Select(r => (r, r.Steps.Select(s => (s.Age, prices.Coldness(s.Tier))).ToArray())),
    ];

    public BucketTerms Bucket => bucket;

    /// <summary>Whether any rule looks at keys at all.</summary>
    public bool NeedsKeys { get; } = bucket.Bucket.Rules.Any(r => r.Prefix.Length > 0);

    /// <summary>Whether an object of this age goes, which bears <paramref name="keptUntil"/> (0 for nothing) as the first day on which it
    /// may.</summary>
    public bool Expires(string key, int created, int keptUntil)
    {
        var age = day.DayNumber - created;
        foreach (var (rule, _) in rules)
        {
            if (rule.ExpireAt <= age && rule.Scope.TakesKey(key))
                return keptUntil <= day.DayNumber;
        }
        return false;
    }

    /// <summary>The coldest tier of all steps that are due, when it is colder than <paramref name="tier"/>.</summary>
    public int? ColderTier(string key, int created, long bytes, int tier)
    {
        var (age, coldest) = (day.DayNumber - created, tier);
        foreach (var (rule, steps) in rules)
        {
            if (!rule.StepScope.TakesSize(bytes) || !rule.StepScope.TakesKey(key))
                continue;
            foreach (var step in steps)
            {
                if (step.Age <= age && step.Tier > coldest)
                    coldest = step.Tier;
            }
        }
        return coldest > tier ? coldest : null;
    }

    /// <summary>The share of objects of this age that is read on the day.</summary>
    public double ReadShare(int created)
    {
        var share = 0.0;
        foreach (var band in terms.Reads)
        {
            if (band.FromAge > day.DayNumber - created)
                break;
            share = band.ShareOfObjectsPerDay;
        }
        return share;
    }
}
