using Ripen.Core.Pricing;

namespace Ripen.Provider.Metering;

/// <summary>What one bucket used on one day, by place of the tier from warm to cold.</summary>
internal sealed class DayUse(int tiers)
{
    private readonly TierUse[] use = [.. Enumerable.Range(0, tiers).Select(_ => new TierUse())];

    public TierUse Of(int tier) => use[tier];

    public void Rest(Tier tier, int place, int landing, double count, long bytes)
    {
        use[place].StoredBytes += count * tier.BilledBytes(bytes);
        use[place].RestingBytes += count * bytes;
        use[landing].StoredBytes += count * tier.IndexBytes;
    }

    /// <param name="tier">Where it lies.</param>
    /// <param name="count">Of requests.</param>
    /// <param name="bytes">Of all of them.</param>
    public void Read(int tier, double count, double bytes)
    {
        use[tier].Reads += count;
        use[tier].ReadBytes += bytes;
    }

    /// <summary>Objects are read where they lie, and written as bundles where they go: no recall is charged (model 8.4).</summary>
    public void Bundle(int from, double objects, int to, double bundles)
    {
        use[from].BundleReads += objects;
        use[to].BundleWrites += bundles;
    }

    /// <summary>The charge for leaving early, if any.</summary>
    public double Leave(Terms terms, BucketTerms bucket, DateOnly day, int tier, int since, double count, long bytes)
    {
        var (units, amount) = Events.EarlyLeave(terms, day, bucket, tier, DateOnly.FromDayNumber(since), count, bytes);
        use[tier].EarlyUnitMonths += units;
        use[tier].EarlyAmount += amount;
        return amount;
    }
}

internal sealed class TierUse
{
    /// <summary>Billed bytes at rest on the day.</summary>
    public double StoredBytes { get; set; }

    /// <summary>The same as they are, not as they are billed.</summary>
    public double RestingBytes { get; set; }
    public double Moves { get; set; }

    /// <summary>Objects that were read to be bundled.</summary>
    public double BundleReads { get; set; }

    /// <summary>Bundles that were written.</summary>
    public double BundleWrites { get; set; }

    /// <summary>Objects at rest that are watched for reading.</summary>
    public double Watched { get; set; }
    public double Reads { get; set; }
    public double ReadBytes { get; set; }
    public double EarlyUnitMonths { get; set; }
    public double EarlyAmount { get; set; }
}
