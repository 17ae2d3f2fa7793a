using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>What one run of a branch stores, as objects of its target's bucket (model 9.5), in expectation.</summary>
/// <param name="Branch">Whose run it is.</param>
/// <param name="Run">Its place in the branch.</param>
/// <param name="Created">Its day, counted from the estate's today; below 0 for one that is over.</param>
/// <param name="Objects">Of the target's pack size; fractions allowed.</param>
public sealed record PlannedPacks(Branch Branch, int Run, int Created, double Objects)
{
    public ObjectKind Kind => Branch.PackKind;

    public string Prefix => Kind.Prefix;

    public long BytesPerObject => Kind.BytesPerObject;
}

/// <summary>What the plans of an estate bring into its buckets, over the days of a projection.</summary>
public sealed class PlannedRuns
{
    private static readonly IReadOnlyList<Branch> Nothing = [];

    private readonly Dictionary<string, IReadOnlyList<Branch>> byBucket;
    private readonly Estate estate;

    private PlannedRuns(Estate estate, int days, Dictionary<string, IReadOnlyList<Branch>> byBucket) =>
        (this.estate, Days, this.byBucket) = (estate, days, byBucket);

    /// <summary>How far it looks, from the estate's today.</summary>
    public int Days { get; }

    /// <param name="estate">Valid.</param>
    /// <param name="days">How far to look, from its today.</param>
    /// <param name="previous">Those of the estate before a change, over the same days; taken over where plans, targets and workloads are
    /// the very same.</param>
    public static PlannedRuns Of(Estate estate, int days, PlannedRuns? previous = null)
    {
        if (previous is not null && previous.IsOf(estate, days))
            return previous;
        var byBucket = Branch
            .All(estate, estate.Today.AddDays(days))
            .Where(b => b.Target.Bucket is not null)
            .GroupBy(b => b.Target.Bucket!)
            .ToDictionary(b => b.Key, b => (IReadOnlyList<Branch>)[.. b]);
        return new PlannedRuns(estate, days, byBucket);
    }

    /// <summary>In the order of the plans; the very same list at every call.</summary>
    public IReadOnlyList<Branch> Into(string bucket) => byBucket.GetValueOrDefault(bucket, Nothing);

    private bool IsOf(Estate other, int days) =>
        days == Days
        && other.Today == estate.Today
        && ReferenceEquals(other.Plans, estate.Plans)
        && ReferenceEquals(other.Targets, estate.Targets)
        && ReferenceEquals(other.Workloads, estate.Workloads);
}
