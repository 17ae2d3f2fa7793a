using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>What lies in a target's bucket costs, before there is a plan that fills it.</summary>
public static class TargetCosts
{
    /// <summary>Days of a month in these figures, whatever the price book bills.</summary>
    public const int MonthDays = 30;

    /// <summary>Money for a TB (10^12 bytes) in a tier of a bucket for a month of 30 days: first band, with the scheme's factor.</summary>
    public static double TerabyteMonth(Bucket bucket, string tier, PriceBook prices) =>
        prices.FindRegion(bucket.Region)!.PriceOf(tier)!.Storage[0].Price.For(1e12 / prices.Unit.Bytes())
        * prices.FindScheme(bucket.Scheme)!.StorageFactor;
}
