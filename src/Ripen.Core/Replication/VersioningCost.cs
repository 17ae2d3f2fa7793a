using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Replication;

/// <summary>What versions cost where they are switched on.</summary>
/// <param name="Bucket">Where versioning is off.</param>
/// <param name="ReplacedOnceAMonth">Storage a month if everything that lies there were overwritten once, and its earlier version kept for
/// a month. Money.</param>
public sealed record VersioningCost(string Bucket, double ReplacedOnceAMonth)
{
    /// <summary>For everything in stock, at the first band's price and the scheme's factor.</summary>
    public static VersioningCost Of(Bucket bucket, PriceBook prices)
    {
        var region = prices.FindRegion(bucket.Region)!;
        var money = bucket.Stock.Sum(l =>
        {
            var tier = prices.Tiers[prices.Coldness(l.Tier)];
            return region.PriceOf(l.Tier)!.Storage[0].Price.For(l.Count * tier.BilledBytes(l.BytesPerObject) / prices.Unit.Bytes());
        });
        return new VersioningCost(bucket.Name, money * prices.FindScheme(bucket.Scheme)!.StorageFactor);
    }
}
