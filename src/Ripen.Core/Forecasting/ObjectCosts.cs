using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What one object costs in a bucket, tier by tier: in the first bands of the prices, with the bucket's factor and its reading habit. Months are
/// a twelfth of 365 days, or thirty where the price book says so. Tiers by their coldness.
/// </summary>
internal sealed class ObjectCosts(Bucket bucket, PriceBook prices)
{
    private readonly Region region = prices.FindRegion(bucket.Region)!;
    private readonly int landing = prices.Coldness(bucket.Tier);

    /// <summary>Of the bucket's scheme.</summary>
    public double Factor { get; } = prices.FindScheme(bucket.Scheme)!.StorageFactor;

    public double DaysAMonth { get; } = prices.Month == BillingMonth.ThirtyDays ? 30 : 365 / 12.0;

    /// <summary>Of a tier that the bucket's region offers.</summary>
    public TierPrice Price(int tier) => region.PriceOf(prices.Tiers[tier].Id)!;

    public bool Offers(int tier) => region.PriceOf(prices.Tiers[tier].Id) is not null;

    public double MoveInto(int tier) => Price(tier).MovesIn.For(1);

    /// <summary>For leaving a tier after so many days.</summary>
    public double EarlyLeave(int tier, int stays, long bytes) => prices.Tiers[tier].DaysShort(stays) * EarlyADay(tier, bytes);

    /// <summary>For each day short of the minimum stay.</summary>
    public double EarlyADay(int tier, long bytes) => prices.Tiers[tier].BilledBytes(bytes) * DayPrice(tier);

    /// <summary>A day at rest, with the index in the landing tier.</summary>
    public double StoredADay(int tier, long bytes) =>
        (prices.Tiers[tier].BilledBytes(bytes) * DayPrice(tier)) + (prices.Tiers[tier].IndexBytes * DayPrice(landing));

    /// <summary>What the reading habit costs there at the ages [from, to).</summary>
    public double Read(int tier, long bytes, int from, int to) => Readings(from, to) * ReadOnce(tier, bytes);

    public double ReadOnce(int tier, long bytes)
    {
        var price = Price(tier);
        return price.Reads.For(1) + price.RecallRequests.For(1) + price.Recall.For(bytes / prices.Unit.Bytes());
    }

    /// <summary>How often the habit reads an object at the ages [from, to).</summary>
    public double Readings(int from, int to)
    {
        var reads = 0.0;
        for (var i = 0; i < bucket.Reads.Count; i++)
        {
            var until = i + 1 < bucket.Reads.Count ? bucket.Reads[i + 1].FromAge : Lifecycle.Never;
            var overlap = Math.Min(until, to) - Math.Max(bucket.Reads[i].FromAge, from);
            if (overlap > 0)
                reads += overlap * bucket.Reads[i].ShareOfObjectsPerDay;
        }
        return reads;
    }

    /// <summary>Money per byte and day at rest.</summary>
    private double DayPrice(int tier) => Price(tier).Storage[0].Price.PerUnit * Factor / prices.Unit.Bytes() / DaysAMonth;
}
