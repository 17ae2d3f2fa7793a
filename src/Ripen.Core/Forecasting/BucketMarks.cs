using Ripen.Core.Estates;
using Ripen.Core.Redundancy;

namespace Ripen.Core.Forecasting;

/// <summary>What somebody looks for among many buckets.</summary>
public enum BucketMark
{
    /// <summary>A lifecycle step costs more than it saves for what arrives.</summary>
    StepCostsMore,

    /// <summary>All of it is lost with its region: no scheme over regions, and no replication to another region.</summary>
    NoCopyElsewhere,

    /// <summary>A copy is later than was agreed.</summary>
    LateCopies,

    /// <summary>Its settings have warnings.</summary>
    Warnings,

    /// <summary>Nothing moves or expires by a rule.</summary>
    NoLifecycle,

    /// <summary>Nothing keeps it from being deleted.</summary>
    NoRetention,
}

public static class BucketMarks
{
    /// <summary>The marks that follow from the estate, of a bucket of a valid one; whether copies are late only the provider knows.</summary>
    public static IEnumerable<BucketMark> Of(Bucket bucket, Estate estate)
    {
        if (StepEconomies.Of(bucket, estate).Any(s => s.NetPerYear < 0))
            yield return BucketMark.StepCostsMore;
        if (IsLostWithItsRegion(bucket, estate))
            yield return BucketMark.NoCopyElsewhere;
        if (Doubts.Of(bucket, estate).Count > 0)
            yield return BucketMark.Warnings;
        if (bucket.Rules.Count == 0)
            yield return BucketMark.NoLifecycle;
        if (bucket.Keep is null)
            yield return BucketMark.NoRetention;
    }

    private static bool IsLostWithItsRegion(Bucket bucket, Estate estate) =>
        Placement.Of(estate.PriceBook.FindScheme(bucket.Scheme)!).RegionsSurvived == 0
        && !bucket.CopyTo.Any(c => estate.Find(c.Bucket) is { } target && target.Region != bucket.Region);
}
