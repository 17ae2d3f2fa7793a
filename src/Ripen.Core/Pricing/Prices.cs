namespace Ripen.Core.Pricing;

/// <summary>Money per unit (GB or GiB, per month where storage is meant), in the price book's currency. Never negative.</summary>
public readonly record struct UnitPrice(double PerUnit)
{
    /// <summary>Money for <paramref name="units"/> units; not rounded.</summary>
    public double For(double units) => PerUnit * units;
}

/// <summary>Money per 1,000 requests or objects, in the price book's currency. Never negative.</summary>
public readonly record struct PricePerThousand(double PerThousand)
{
    /// <summary>Money for <paramref name="count"/> requests or objects; fractions count, nothing is rounded up.</summary>
    public double For(double count) => PerThousand * count / 1000;
}

/// <summary>What the price book prices: 10^9 bytes (GB) or 2^30 bytes (GiB), IEC 80000-13.</summary>
public enum SizeUnit
{
    GB,
    GiB,
}

/// <summary>How many days a month is billed as: its own, or thirty.</summary>
public enum BillingMonth
{
    Calendar,
    ThirtyDays,
}

public static class SizeUnits
{
    /// <summary>Bytes in one <paramref name="unit"/>.</summary>
    public static double Bytes(this SizeUnit unit) => unit == SizeUnit.GB ? 1e9 : 1L << 30;
}
