using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>At this age (days), to the tier of this coldness.</summary>
public readonly record struct AgeStep(int Age, int Tier);

/// <summary>
/// What a bucket's rules together do to objects of one prefix and size: a staircase that only gets colder,
/// the age at which they expire, and how long a keep rule holds that up.
/// </summary>
public sealed record Lifecycle
{
    /// <summary>An age or day that never comes; far beyond every horizon, and small enough to add to.</summary>
    public const int Never = 1 << 29;

    /// <summary>Ages rise and every tier is colder than the one before.</summary>
    public required IReadOnlyList<AgeStep> Steps { get; init; }

    /// <summary>The earliest expiry of all rules that match, waiting for a keep rule in days; <see cref="Never"/> for none.</summary>
    public required int ExpireAt { get; init; }

    /// <summary>The day, counted from today, before which nothing may be removed; 0 or less when nothing holds.</summary>
    public required int KeptUntil { get; init; }

    /// <summary>The rules of <paramref name="bucket"/> for objects under <paramref name="prefix"/> of this size.</summary>
    public static Lifecycle Of(Bucket bucket, string prefix, long bytesPerObject, PriceBook prices, DateOnly today)
    {
        var steps = new List<AgeStep>();
        var expireAt = Never;
        foreach (var rule in bucket.Rules)
        {
            if (!rule.Scope.TakesKey(prefix))
                continue;
            if (rule.ExpireAt is { } age)
                expireAt = Math.Min(expireAt, age);
            if (!rule.StepScope.TakesSize(bytesPerObject))
                continue;
            foreach (var step in rule.Steps)
                steps.Add(new AgeStep(step.Age, prices.Coldness(step.Tier)));
        }
        if (expireAt < Never && bucket.Keep?.Days is { } days)
            expireAt = Math.Max(expireAt, days);
        return new Lifecycle
        {
            Steps = Staircase(steps),
            ExpireAt = expireAt,
            KeptUntil = bucket.Keep?.Until is { } until ? until.DayNumber - today.DayNumber : 0,
        };
    }

    /// <summary>The tier in which objects that landed in <paramref name="landing"/> rest at <paramref name="age"/>.</summary>
    public int TierAt(int age, int landing)
    {
        var tier = landing;
        foreach (var step in Steps)
        {
            if (step.Age > age)
                break;
            tier = Math.Max(tier, step.Tier);
        }
        return tier;
    }

    private static List<AgeStep> Staircase(List<AgeStep> steps)
    {
        var stairs = new List<AgeStep>(steps.Count);
        foreach (var step in steps.OrderBy(s => s.Age).ThenByDescending(s => s.Tier))
        {
            if (stairs.Count == 0 || step.Tier > stairs[^1].Tier)
                stairs.Add(step);
        }
        return stairs;
    }
}
