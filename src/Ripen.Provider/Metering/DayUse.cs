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

    public void Read(int tier, double count, long bytes)
    {
        use[tier].Reads += count;
        use[tier].ReadBytes += count * bytes;
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
    public double Reads { get; set; }
    public double ReadBytes { get; set; }
    public double EarlyUnitMonths { get; set; }
    public double EarlyAmount { get; set; }
}
