namespace Ripen.Core.Pricing;

/// <summary>What a tier costs in plain terms: 1 TB, in objects of 100 MB, for a year, written once and read some times. First bands, no
/// scheme's factor, the ordinary recall speed.</summary>
/// <param name="Region">Where.</param>
/// <param name="Tier">Which.</param>
/// <param name="Unread">Money for the year when nobody reads it.</param>
/// <param name="ReadTwice">Money when all of it is read twice.</param>
public sealed record PlainPrice(string Region, string Tier, double Unread, double ReadTwice)
{
    public const double Bytes = 1e12;
    public const long BytesPerObject = 100_000_000;

    /// <summary>For each tier that a region offers, warm to cold.</summary>
    public static IEnumerable<PlainPrice> Of(PriceBook prices)
    {
        const double objects = Bytes / BytesPerObject;
        var units = Bytes / prices.Unit.Bytes();
        foreach (var region in prices.Regions)
        {
            foreach (var tier in prices.Tiers)
            {
                if (region.PriceOf(tier.Id) is not { } price)
                    continue;
                var stored = objects * (tier.BilledBytes(BytesPerObject) + tier.IndexBytes) / prices.Unit.Bytes();
                var year = price.Writes.For(objects) + (12 * price.Storage[0].Price.For(stored));
                var reading = price.Reads.For(objects) + price.RecallRequests.For(objects) + price.Recall.For(units);
                yield return new(region.Id, tier.Id, year, year + (2 * reading));
            }
        }
    }
}
