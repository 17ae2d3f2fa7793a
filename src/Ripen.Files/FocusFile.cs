using System.Globalization;
using CsvHelper;
using Ripen.Core.Forecasting;

namespace Ripen.Files;

/// <summary>
/// Bill lines in the columns of the FinOps Open Cost and Usage Specification (FOCUS) 1.0, as CSV: written from memory of the specification,
/// column by column in the order of their names. What the price book does not know (discounts, commitments, accounts below the estate) is
/// empty, which the specification reads as null; the four costs are one, since there is one price.
/// </summary>
public static class FocusFile
{
    private sealed record Column(string Name, Func<BillOf, BillLine, string?> Value);

    private static readonly IReadOnlyList<Column> Columns =
    [
        new("AvailabilityZone", (_, _) => null),
        new("BilledCost", (_, l) => Number(l.Amount)),
        new("BillingAccountId", (b, _) => b.Name),
        new("BillingAccountName", (b, _) => b.Name),
        new("BillingCurrency", (b, _) => b.Prices.Currency),
        new("BillingPeriodEnd", (_, l) => Instant(Month(l).AddMonths(1))),
        new("BillingPeriodStart", (_, l) => Instant(Month(l))),
        new("ChargeCategory", (_, _) => "Usage"),
        new("ChargeClass", (_, _) => null),
        new("ChargeDescription", (b, l) => $"{(b.IsProjected ? "projected " : "")}{l.Charge.Name()} in {TierOf(b, l)}"),
        new("ChargeFrequency", (_, _) => "Usage-Based"),
        new("ChargePeriodEnd", (_, l) => Instant(l.To)),
        new("ChargePeriodStart", (_, l) => Instant(l.From)),
        new("CommitmentDiscountCategory", (_, _) => null),
        new("CommitmentDiscountId", (_, _) => null),
        new("CommitmentDiscountName", (_, _) => null),
        new("CommitmentDiscountStatus", (_, _) => null),
        new("CommitmentDiscountType", (_, _) => null),
        new("ConsumedQuantity", (_, l) => Number(l.Quantity)),
        new("ConsumedUnit", (_, l) => l.Unit),
        new("ContractedCost", (_, l) => Number(l.Amount)),
        new("ContractedUnitPrice", (_, l) => UnitPrice(l)),
        new("EffectiveCost", (_, l) => Number(l.Amount)),
        new("InvoiceIssuerName", (b, l) => b.Prices.RegionName(l.Region)),
        new("ListCost", (_, l) => Number(l.Amount)),
        new("ListUnitPrice", (_, l) => UnitPrice(l)),
        new("PricingCategory", (_, _) => "Standard"),
        new("PricingQuantity", (_, l) => Number(l.Quantity)),
        new("PricingUnit", (_, l) => l.Unit),
        new("ProviderName", (b, l) => b.Prices.RegionName(l.Region)),
        new("PublisherName", (b, l) => b.Prices.RegionName(l.Region)),
        new("RegionId", (_, l) => l.Region),
        new("RegionName", (b, l) => b.Prices.RegionName(l.Region)),
        new("ResourceId", (_, l) => l.Bucket),
        new("ResourceName", (_, l) => l.Bucket),
        new("ResourceType", (_, _) => "Bucket"),
        new("ServiceCategory", (_, _) => "Storage"),
        new("ServiceName", (b, l) => $"Object storage, {TierOf(b, l)}"),
        new("SkuId", (_, l) => $"{l.Tier}/{l.Charge.Name()}"),
        new("SkuPriceId", (_, l) => $"{l.Region}/{l.Tier}/{l.Charge.Name()}"),
        new("SubAccountId", (_, _) => null),
        new("SubAccountName", (_, _) => null),
        new("Tags", (_, _) => null),
    ];

    public static void Write(IEnumerable<BillLine> lines, BillOf of, TextWriter writer)
    {
        using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
        csv.WriteHeader([.. Columns.Select(c => c.Name)]);
        foreach (var line in lines)
            csv.WriteRecord([.. Columns.Select(c => c.Value(of, line) ?? "")]);
    }

    private static DateOnly Month(BillLine line) => new(line.From.Year, line.From.Month, 1);

    private static string TierOf(BillOf of, BillLine line) => of.Prices.Tiers[of.Prices.Coldness(line.Tier)].Name;

    /// <summary>What a unit came to; none where there is none.</summary>
    private static string? UnitPrice(BillLine line) => line.Quantity > 0 ? Number(line.Amount / line.Quantity) : null;

    private static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);

    private static string Instant(DateOnly day) => day.ToString("yyyy-MM-dd'T00:00:00Z'", CultureInfo.InvariantCulture);
}
