namespace Ripen.Core.Pricing;

/// <summary>Amounts for some of what a price book prices; what is not named keeps the amounts that it has.</summary>
public abstract record PriceList
{
    public IReadOnlyList<RegionPrices> Regions { get; init; } = [];
    public IReadOnlyList<TransferPrice> Transfers { get; init; } = [];
}

/// <summary>What a region's tiers cost, and what leaves it for no other region.</summary>
public sealed record RegionPrices
{
    public required string Id { get; init; }

    /// <summary>Of tiers that the region offers, each whole.</summary>
    public IReadOnlyList<TierPrice> Prices { get; init; } = [];

    /// <summary>Graduated bands; empty where they are as they were.</summary>
    public IReadOnlyList<StorageBand> TransferOut { get; init; } = [];
}

/// <summary>What a unit carried over a line of the price book costs.</summary>
public sealed record TransferPrice
{
    public required string From { get; init; }
    public required string To { get; init; }
    public required UnitPrice Price { get; init; }
}

/// <summary>Amounts that hold from a day to come on.</summary>
public sealed record PriceChange : PriceList
{
    /// <summary>The first day on which they hold.</summary>
    public required DateOnly From { get; init; }
}

/// <summary>Amounts that held until others took their place.</summary>
public sealed record EarlierPrices : PriceList
{
    /// <summary>The first day on which they did not hold.</summary>
    public required DateOnly Until { get; init; }
}
