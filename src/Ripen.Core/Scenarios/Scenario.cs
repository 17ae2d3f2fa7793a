using System.Text.Json.Serialization;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Scenarios;

/// <summary>A named "what if": assumptions that are made of the estate as it stands, one after the other.</summary>
public sealed record Scenario
{
    public required string Id { get; init; }
    public required string Name { get; init; }
    public IReadOnlyList<Assumption> Assumptions { get; init; } = [];
}

/// <summary>One thing that is assumed to be otherwise: exactly one of these.</summary>
public sealed record Assumption
{
    public GrowthAssumption? Growth { get; init; }
    public ReadingAssumption? Reading { get; init; }
    public PriceAssumption? Prices { get; init; }

    /// <summary>The id of an offer whose prices hold from today on.</summary>
    public string? Offer { get; init; }

    /// <summary>Another price book, in the estate's currency, in force from today on.</summary>
    public PriceBook? PriceBook { get; init; }
    public PlaceAssumption? Place { get; init; }
    public BucketAssumption? Bucket { get; init; }

    /// <summary>A plan in the place of the one of its id, or one more.</summary>
    public BackupPlan? Plan { get; init; }
    public PacksAssumption? PacksAge { get; init; }

    /// <summary>Of a price book that would take the place of an estate's; it never held, and tells nothing of before.</summary>
    public static Assumption Of(PriceBook prices) => new() { PriceBook = prices with { Earlier = [] } };
}

/// <summary>More or less arrives than the estate says.</summary>
public sealed record GrowthAssumption
{
    /// <summary>Of which bucket's streams; null for all, and for workloads as well, which grow by <see cref="YearlyGrowth"/>.</summary>
    public string? Bucket { get; init; }

    /// <summary>Of streams whose prefix begins so.</summary>
    public string Prefix { get; init; } = "";

    /// <summary>So many times as many objects arrive a day, at least 0.</summary>
    public double Arrivals { get; init; } = 1;

    /// <summary>What is added to the growth in 365 days: 0.1 makes 5 per cent into 15. What comes of it is greater than -1.</summary>
    public double YearlyGrowth { get; init; }
}

/// <summary>Data is read more or less often than the estate says.</summary>
public sealed record ReadingAssumption
{
    /// <summary>Null for all.</summary>
    public string? Bucket { get; init; }

    /// <summary>So many times as often, at least 0.</summary>
    public required double Times { get; init; }
}

/// <summary>Prices are higher or lower than the price book says.</summary>
public sealed record PriceAssumption
{
    /// <summary>The first day on which they are; null for today.</summary>
    public DateOnly? From { get; init; }

    /// <summary>In which region; null for all. What is carried between regions is priced where it leaves.</summary>
    public string? Region { get; init; }

    /// <summary>Of which tier; null for all, and what is carried as well.</summary>
    public string? Tier { get; init; }

    /// <summary>For what; null for all that is priced by use. Early leaving is priced as storage. What is agreed is meant only where it is named:
    /// fixed amounts and what a commitment promises, in whole months from <see cref="From"/> on, and devices, whose price holds for their
    /// whole life.</summary>
    public Charge? Charge { get; init; }

    /// <summary>So many times as much, at least 0.</summary>
    public required double Times { get; init; }
}

/// <summary>What plans store at a target ages by these steps of its bucket, and by no others.</summary>
public sealed record PacksAssumption
{
    /// <summary>The id of a target in a bucket.</summary>
    public required string Target { get; init; }

    /// <summary>Oldest last; empty where packs stay where they land.</summary>
    public IReadOnlyList<Step> Steps { get; init; } = [];
}

/// <summary>Buckets lie somewhere else, are kept by another scheme, or take new objects in elsewhere.</summary>
public sealed record PlaceAssumption
{
    /// <summary>Null for all.</summary>
    public string? Bucket { get; init; }

    /// <summary>Null for where they are.</summary>
    public string? Region { get; init; }
    public string? Scheme { get; init; }

    /// <summary>The landing tier.</summary>
    public string? Tier { get; init; }
}

/// <summary>Another bucket in the place of the one of its name, with what that one holds; or one more.</summary>
public sealed record BucketAssumption
{
    /// <summary>The day on which the rates of its streams hold.</summary>
    public required DateOnly Stated { get; init; }

    /// <summary>As it would be decided. Its stock counts only where there is no bucket of its name yet.</summary>
    [JsonPropertyName("as")]
    public required Bucket As { get; init; }
}
