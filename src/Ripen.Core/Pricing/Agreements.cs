using System.Text.Json.Serialization;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Pricing;

/// <summary>What is agreed beside the prices of what is used. It holds for whole calendar months: a month costs what is agreed when it
/// ends.</summary>
public sealed record Agreements
{
    /// <summary>Stands for the estate as a whole where a bucket, a tier or a region is named.</summary>
    public const string Key = "*";

    /// <summary>For people.</summary>
    public const string Name = "Agreements";

    /// <summary>An id, or <see cref="Key"/> where there is none.</summary>
    public static string KeyOf(string id) => id.Length > 0 ? id : Key;

    public IReadOnlyList<FixedAmount> Fixed { get; init; } = [];

    /// <summary>In the order in which they are used up where several hold for the same.</summary>
    public IReadOnlyList<Allowance> Allowances { get; init; } = [];
    public IReadOnlyList<Commitment> Commitments { get; init; } = [];

    [JsonIgnore]
    public bool IsEmpty => this is { Fixed: [], Allowances: [], Commitments: [] };
}

/// <summary>An agreement, and the months for which it holds.</summary>
public abstract record Agreed
{
    [JsonPropertyOrder(-1)]
    public required string Id { get; init; }

    [JsonPropertyOrder(-1)]
    public required string Name { get; init; }

    /// <summary>The first month; null where it has always held.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public Month? From { get; init; }

    /// <summary>The last month; null where none is agreed.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public Month? Through { get; init; }

    /// <summary>The only region for which it holds; null for all.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Region { get; init; }

    public bool IsFor(string region) => Region is null || Region == region;

    public bool Holds(Month month) => !(From is { } from && month.Since(from) < 0) && !(Through is { } last && month.Since(last) > 0);
}

/// <summary>What is paid every month whatever is used.</summary>
public sealed record FixedAmount : Agreed
{
    /// <summary>Money a month.</summary>
    public required double Amount { get; init; }
}

/// <summary>What costs nothing every month. With a last month it is a trial.</summary>
public sealed record Allowance : Agreed
{
    /// <summary>What of.</summary>
    public required Charge Charge { get; init; }

    /// <summary>Units of the charge a month.</summary>
    public required double Quantity { get; init; }

    /// <summary>The only tier for which it holds; null for all.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Tier { get; init; }

    public bool Takes(string region, string tier, Charge charge) => Charge == charge && IsFor(region) && (Tier is null || Tier == tier);
}

/// <summary>So much is paid every month even where less is used; what is used is cheaper for it.</summary>
public sealed record Commitment : Agreed
{
    /// <summary>Money a month; 0 where nothing is promised for the discount.</summary>
    public required double Amount { get; init; }

    /// <summary>The share of what is used, after allowances, that is taken off; from 0, below 1.</summary>
    public double Discount { get; init; }
}
