using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Provider.Stock;

/// <summary>
/// Sizes that are billed alike: classes whose limits are powers of ten, cut as well where a tier's smallest billed size or a rule's
/// smallest size lies, and where small copies end, so that a class is wholly on one side of each. Within a class every bill is linear in
/// the bytes.
/// </summary>
internal sealed class SizeClasses
{
    private readonly long[] starts;

    public SizeClasses(Bucket bucket, PriceBook prices, IEnumerable<LifecycleRule>? drafted = null)
    {
        var cuts = new SortedSet<long> { 0 };
        for (var limit = 1L; limit < long.MaxValue / 10; limit *= 10)
            cuts.Add(limit);
        cuts.Add(Lanes.SmallAtMostBytes + 1);
        foreach (var tier in prices.Tiers)
            cuts.Add(tier.MinimumObjectBytes);
        foreach (var rule in bucket.Rules.Concat(drafted ?? []))
        {
            cuts.Add(rule.SmallestBytes);
            if (rule.LargestBytes is { } largest)
                cuts.Add(largest + 1);
        }
        starts = [.. cuts];
    }

    public int Of(long bytes)
    {
        var at = Array.BinarySearch(starts, bytes);
        return at >= 0 ? at : ~at - 1;
    }
}
