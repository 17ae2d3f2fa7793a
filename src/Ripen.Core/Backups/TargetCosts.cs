using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
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

    /// <summary>What lies in a target, left to itself: what makes its money of a month in the tenth year, on average over that year, as it ages
    /// by its bucket's rules. What arrives there from streams is among it; graduated bands are those of it alone.</summary>
    /// <param name="target">In a bucket.</param>
    /// <param name="estate">Valid, with what lies there as the bucket's stock.</param>
    public static IReadOnlyList<PricedTerm> TenthYear(BackupTarget target, Estate estate)
    {
        var bucket = estate.Find(target.Bucket!)!;
        var alone = bucket with
        {
            Stock = [.. bucket.Stock.Where(l => l.Prefix.StartsWith(target.Prefix, StringComparison.Ordinal))],
            Streams = [.. bucket.Streams.Where(s => s.Prefix.StartsWith(target.Prefix, StringComparison.Ordinal))],
        };
        var projection = Projection.Of(estate.Alone(alone), 10 * Month.OfAYear);
        return [.. PricedTerm.OfLastYear(projection, 0).Select(t => t with { Quantity = t.Quantity / Month.OfAYear })];
    }
}
