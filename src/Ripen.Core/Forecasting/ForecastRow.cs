using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>A calendar month, written yyyy-MM.</summary>
[JsonConverter(typeof(MonthConverter))]
public readonly record struct Month(int Year, int Number)
{
    public static Month Of(DateOnly day) => new(day.Year, day.Month);

    public DateOnly FirstDay => new(Year, Number, 1);

    /// <summary>The month that comes so many later.</summary>
    public Month Plus(int months) => Of(FirstDay.AddMonths(months));

    /// <summary>How many months lie between; negative when this one is earlier.</summary>
    public int Since(Month earlier) => ((Year - earlier.Year) * 12) + Number - earlier.Number;

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Year:0000}-{Number:00}");
}

/// <summary>One row of a forecast: what is charged in a month for a bucket in a tier. The amount is not rounded.</summary>
public sealed record ForecastRow(
    Month Month,
    string Bucket,
    string Region,
    string Tier,
    Charge Charge,
    double Quantity,
    string Unit,
    double Amount
);

public static class Units
{
    /// <summary>The unit of a charge's quantity, as files name it.</summary>
    public static string Of(Charge charge, SizeUnit unit) =>
        charge switch
        {
            Charge.Storage or Charge.EarlyLeave => $"{unit}-month",
            Charge.Writes or Charge.Reads => "request",
            Charge.Moves => "object",
            Charge.Watching => "object-month",
            _ => unit.ToString(),
        };

    /// <summary>The name of a charge in files and over HTTP.</summary>
    public static string Name(this Charge charge) => JsonNamingPolicy.KebabCaseLower.ConvertName(charge.ToString());
}
