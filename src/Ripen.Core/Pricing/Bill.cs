using Ripen.Core.Ageing;
using Ripen.Core.Estates;

namespace Ripen.Core.Pricing;

/// <summary>What a row of a bill is for. The names in files are these in kebab case.</summary>
public enum Charge { EarlyLeave, Moves, Reads, Recall, Storage, Transfer, Writes }

/// <summary>One month's charge of one kind for one bucket in one tier. The amount is money, not rounded.</summary>
public readonly record struct BillRow(int Month, int Bucket, int Tier, Charge Charge, double Quantity, double Amount);

/// <summary>
/// Prices what buckets use. Graduated storage bands apply to the whole estate's unit-months in a region and tier, and each
/// bucket pays its part of them times its scheme's factor; everything else is priced where it is counted.
/// </summary>
public sealed class Bill
{
    private readonly PriceBook prices;
    private readonly BillingCalendar calendar;
    private readonly IReadOnlyList<BucketUsage> usages;
    private readonly Dictionary<string, Region> regionOfBucket;
    private readonly Dictionary<string, double[]> unitPrices = [];

    /// <param name="prices">The price book that the buckets refer to.</param>
    /// <param name="calendar">The calendar that the usages were computed on.</param>
    /// <param name="usages">One for each bucket of the estate.</param>
    public Bill(PriceBook prices, BillingCalendar calendar, IReadOnlyList<BucketUsage> usages)
    {
        this.prices = prices;
        this.calendar = calendar;
        this.usages = usages;
        var regions = prices.Regions.ToDictionary(r => r.Id);
        regionOfBucket = usages.ToDictionary(u => u.Bucket.Name, u => regions[u.Bucket.Region]);
        foreach (var region in regions.Values) unitPrices[region.Id] = UnitPrices(region);
    }

    public int Months => calendar.Months;

    /// <summary>
    /// The rows of one bucket in one month, by tier from warm to cold; rows of nothing are left out.
    /// Quantities: unit-months for storage and early leaving, requests, objects moved, units recalled and carried.
    /// </summary>
    public void AddRows(int bucket, int month, List<BillRow> rows)
    {
        var usage = usages[bucket];
        var region = regionOfBucket[usage.Bucket.Name];
        var factor = prices.FindScheme(usage.Bucket.Scheme)!.StorageFactor;
        var unit = prices.Unit.Bytes();
        var unitMonth = unit * calendar.BilledDays(month);
        var landing = prices.Coldness(usage.Bucket.Tier);
        for (var tier = 0; tier < prices.Tiers.Count; tier++)
        {
            if (region.PriceOf(prices.Tiers[tier].Id) is not { } price) continue;
            var early = usage.Of(tier, Measure.EarlyLeaveByteDays)[month] / unitMonth;
            var moves = usage.Of(tier, Measure.Moves)[month];
            var reads = usage.Of(tier, Measure.Reads)[month];
            var recalled = usage.Of(tier, Measure.ReadBytes)[month] / unit;
            var stored = usage.Of(tier, Measure.StoredByteDays)[month] / unitMonth;
            var writes = usage.Of(tier, Measure.Writes)[month];
            Add(Charge.EarlyLeave, early, price.Storage[0].Price.For(early) * factor);
            Add(Charge.Moves, moves, price.MovesIn.For(moves));
            Add(Charge.Reads, reads, price.Reads.For(reads));
            Add(Charge.Recall, recalled, price.RecallRequests.For(reads) + price.Recall.For(recalled));
            Add(Charge.Storage, stored, stored * unitPrices[region.Id][(tier * calendar.Months) + month] * factor);
            if (tier == landing) AddTransfer();
            Add(Charge.Writes, writes, price.Writes.For(writes));

            void Add(Charge charge, double quantity, double amount)
            {
                if (quantity != 0 || amount != 0) rows.Add(new BillRow(month, bucket, tier, charge, quantity, amount));
            }

            void AddTransfer()
            {
                var (units, amount) = (0.0, 0.0);
                for (var i = 0; i < usage.SentBytes.Length; i++)
                {
                    var sent = usage.SentBytes[i][month] / unit;
                    units += sent;
                    amount += prices.TransferPrice(region.Id, regionOfBucket[usage.Bucket.CopyTo[i].Bucket].Id).For(sent);
                }
                Add(Charge.Transfer, units, amount);
            }
        }
    }

    /// <summary>Money per unit-month after bands, by tier and month, before any scheme's factor; 0 where nothing is stored.</summary>
    private double[] UnitPrices(Region region)
    {
        var pools = new double[prices.Tiers.Count * calendar.Months];
        foreach (var usage in usages)
        {
            if (usage.Bucket.Region != region.Id) continue;
            for (var tier = 0; tier < prices.Tiers.Count; tier++)
            {
                var stored = usage.Of(tier, Measure.StoredByteDays);
                var pool = pools.AsSpan(tier * calendar.Months, calendar.Months);
                for (var m = 0; m < stored.Length; m++) pool[m] += stored[m];
            }
        }
        for (var tier = 0; tier < prices.Tiers.Count; tier++)
        {
            var price = region.PriceOf(prices.Tiers[tier].Id);
            for (var m = 0; m < calendar.Months; m++)
            {
                ref var pool = ref pools[(tier * calendar.Months) + m];
                var unitMonths = pool / (prices.Unit.Bytes() * calendar.BilledDays(m));
                pool = unitMonths > 0 ? price!.StorageCost(unitMonths) / unitMonths : 0;
            }
        }
        return pools;
    }
}
