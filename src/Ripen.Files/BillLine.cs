using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Files;

/// <summary>What is charged in a span of days for a bucket in a tier, metered or projected. The amount is not rounded.</summary>
/// <param name="From">The first day.</param>
/// <param name="To">The day after the last.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Region">Where it is.</param>
/// <param name="Tier">The id of the tier.</param>
/// <param name="Charge">What for.</param>
/// <param name="Quantity">In <paramref name="Unit"/>.</param>
/// <param name="Unit">Of the quantity.</param>
/// <param name="Amount">Money.</param>
public sealed record BillLine(
    DateOnly From,
    DateOnly To,
    string Bucket,
    string Region,
    string Tier,
    Charge Charge,
    double Quantity,
    string Unit,
    double Amount
)
{
    public static BillLine Of(ForecastRow row)
    {
        var from = new DateOnly(row.Month.Year, row.Month.Number, 1);
        return new(from, from.AddMonths(1), row.Bucket, row.Region, row.Tier, row.Charge, row.Quantity, row.Unit, row.Amount);
    }
}

/// <summary>Whose lines they are.</summary>
/// <param name="Name">Of the estate.</param>
/// <param name="Estate">Knows names, the currency, and whose a bucket is.</param>
/// <param name="IsProjected">Whether they are a forecast, and not metered.</param>
public sealed record BillOf(string Name, Estate Estate, bool IsProjected)
{
    public PriceBook Prices => Estate.PriceBook;

    /// <summary>The tenant of a bucket; null where it has none, or is gone.</summary>
    public string? TenantOf(string bucket) => Estate.Find(bucket)?.Tenant;
}
