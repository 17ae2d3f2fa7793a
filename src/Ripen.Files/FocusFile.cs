using System.Globalization;
using CsvHelper;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;

namespace Ripen.Files;

/// <summary>
/// Bill lines in the columns of the FinOps Open Cost and Usage Specification (FOCUS) 1.0, as CSV: written from memory of the specification,
/// column by column in the order of their names. Tenants are the accounts below the estate's. What is not known (whose discount
/// a line is) is empty, which the specification reads as null; the four costs are one, since there is one price, but that what an agreement takes off has no list cost.
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
        new(
            "ChargeCategory",
            (_, l) =>
                !l.Charge.IsAgreed() ? "Usage"
                : IsTakenOff(l) ? "Credit"
                : "Purchase"
        ),
        new("ChargeClass", (_, _) => null),
        new(
            "ChargeDescription",
            (b, l) => $"{(b.IsProjected ? "projected " : "")}{l.Charge.Name()}{(l.Tier == "" ? "" : $" in {TierOf(b, l)}")}"
        ),
        new("ChargeFrequency", (_, l) => l.Charge.IsAgreed() ? "Recurring" : "Usage-Based"),
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
        new("InvoiceIssuerName", Provider),
        new("ListCost", (_, l) => Number(IsTakenOff(l) ? 0 : l.Amount)),
        new("ListUnitPrice", (_, l) => IsTakenOff(l) ? null : UnitPrice(l)),
        new("PricingCategory", (_, _) => "Standard"),
        new("PricingQuantity", (_, l) => Number(l.Quantity)),
        new("PricingUnit", (_, l) => l.Unit),
        new("ProviderName", Provider),
        new("PublisherName", Provider),
        new("RegionId", (_, l) => l.Region),
        new("RegionName", (b, l) => b.Prices.RegionName(l.Region)),
        new("ResourceId", (_, l) => l.Bucket),
        new("ResourceName", (_, l) => l.Bucket),
        new("ResourceType", (_, l) => l.Bucket == "" ? null : "Bucket"),
        new("ServiceCategory", (_, _) => "Storage"),
        new("ServiceName", (b, l) => l.Tier == "" ? "Object storage" : $"Object storage, {TierOf(b, l)}"),
        new("SkuId", (_, l) => Path(l.Tier, l.Charge.Name())),
        new("SkuPriceId", (_, l) => Path(l.Region, l.Tier, l.Charge.Name())),
        new("SubAccountId", (b, l) => b.TenantOf(l.Bucket)),
        new("SubAccountName", (b, l) => b.TenantOf(l.Bucket)),
        new("Tags", (_, _) => null),
    ];

    public static void Write(IEnumerable<BillLine> lines, BillOf of, TextWriter writer)
    {
        using var csv = CsvWriter.Create(writer, new CsvWriterOptions(), leaveOpen: true);
        csv.WriteHeader([.. Columns.Select(c => c.Name)]);
        foreach (var line in lines)
            csv.WriteRecord([.. Columns.Select(c => c.Value(of, line) ?? "")]);
    }

    private static bool IsTakenOff(BillLine line) => line.Charge is Charge.Allowance or Charge.Discount;

    /// <summary>Who charges it; what is agreed for no region in particular is told under the estate's name.</summary>
    private static string Provider(BillOf of, BillLine line) => line.Region == "" ? of.Name : of.Prices.RegionName(line.Region);

    private static string Path(params IEnumerable<string> parts) => string.Join('/', parts.Where(p => p.Length > 0));

    private static DateOnly Month(BillLine line) => new(line.From.Year, line.From.Month, 1);

    private static string TierOf(BillOf of, BillLine line) => of.Prices.Tiers[of.Prices.Coldness(line.Tier)].Name;

    /// <summary>What a unit came to; none where there is none.</summary>
    private static string? UnitPrice(BillLine line) => line.Quantity > 0 ? Number(line.Amount / line.Quantity) : null;

    private static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);

    private static string Instant(DateOnly day) => day.ToString("yyyy-MM-dd'T00:00:00Z'", CultureInfo.InvariantCulture);
}
