using System.ComponentModel;
using Microsoft.AspNetCore.Mvc;

namespace Ripen.Server.Forecasts;

/// <summary>Which amount opens.</summary>
public sealed record DerivationQuery
{
    [Description("yyyy-MM.")]
    [FromQuery(Name = "month")]
    public required string Month { get; init; }

    [Description("yyyy-MM, the last of several months; the one month without it.")]
    [FromQuery(Name = "to")]
    public string? To { get; init; }

    [Description(
        "A bucket's name, or several with commas between; * for what is agreed for the estate as a whole; all together without it."
    )]
    [FromQuery(Name = "bucket")]
    public string? Bucket { get; init; }

    [Description("The id of a region, or * for none; all together without it.")]
    [FromQuery(Name = "region")]
    public string? Region { get; init; }

    [Description("The name of a tenant, or - for buckets of none; all together without it.")]
    [FromQuery(Name = "tenant")]
    public string? Tenant { get; init; }

    [Description("The id of a tier, or * for none; all together without it.")]
    [FromQuery(Name = "tier")]
    public string? Tier { get; init; }

    [Description(
        "storage, early-leave, writes, reads, moves, recall, transfer, watching, or a charge of what is agreed; all together without it."
    )]
    [FromQuery(Name = "charge")]
    public string? Charge { get; init; }

    [Description("What was charged, and not what is to come; always so of months that are over.")]
    [FromQuery(Name = "charged")]
    public bool? Charged { get; init; }

    [Description("The id of a scenario, as if all of it came true; the estate as it stands without it.")]
    [FromQuery(Name = "scenario")]
    public string? Scenario { get; init; }

    [Description("The id of an offer, as if its prices held from today on; those in force without it.")]
    [FromQuery(Name = "offer")]
    public string? Offer { get; init; }

    [Description(
        "By how much all prices rise in a year, from today on, as in a drawn future: 0.1 is ten per cent; greater than -1. 0 without it."
    )]
    [FromQuery(Name = "rise")]
    public double? Rise { get; init; }

    [Description("What the last of all assumptions makes of it, given those before; not the amount with all of them.")]
    [FromQuery(Name = "change")]
    public bool? Change { get; init; }

    internal MonthPart Part => new(Bucket?.Split(',').ToHashSet(), Region, Tenant, Tier, Charge);

    internal double YearlyRise => Rise ?? 0;

    /// <summary>Whether it is of the estate or its prices as they are not.</summary>
    internal bool Supposes => Scenario is not null || Offer is not null || YearlyRise != 0 || Change == true;
}
