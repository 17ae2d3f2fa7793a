using Ripen.Core.Billing;
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
/// <param name="Prices">Names of regions and tiers, and the currency.</param>
/// <param name="IsProjected">Whether they are a forecast, and not metered.</param>
public sealed record BillOf(string Name, PriceBook Prices, bool IsProjected);
