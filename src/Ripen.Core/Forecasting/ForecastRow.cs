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
    public const int OfAYear = 12;

    public static Month Of(DateOnly day) => new(day.Year, day.Month);

    /// <summary>Of yyyy-MM; null where it is none.</summary>
    public static Month? TryParse(string? text) =>
        DateOnly.TryParseExact($"{text}-01", "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day) ? Of(day) : null;

    public DateOnly FirstDay => new(Year, Number, 1);

    public int Days => DateTime.DaysInMonth(Year, Number);

    /// <summary>The month that comes so many later.</summary>
    public Month Plus(int months) => Of(FirstDay.AddMonths(months));

    /// <summary>How many months lie between; negative when this one is earlier.</summary>
    public int Since(Month earlier) => ((Year - earlier.Year) * 12) + Number - earlier.Number;

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Year:0000}-{Number:00}");
}

/// <summary>One row of a forecast: what is charged in a month for a bucket in a tier. What is agreed for the estate has no bucket, and a region or
/// a tier only where it is agreed or taken off there. The amount is not rounded.</summary>
[method: JsonConstructor]
public readonly record struct ForecastRow(
    Month Month,
    string Bucket,
    string Region,
    string Tier,
    Charge Charge,
    double Quantity,
    string Unit,
    double Amount
)
{
    /// <summary>What is agreed for a month, by region, tier and charge.</summary>
    /// <param name="month">Which.</param>
    /// <param name="part">Of the month: their quantity.</param>
    /// <param name="lines">Of that part.</param>
    public static IEnumerable<ForecastRow> Of(Month month, double part, IEnumerable<SettledLine> lines) =>
        lines
            .GroupBy(l => (l.Region, l.Tier, l.Charge))
            .OrderBy(g => g.Key.Region, StringComparer.Ordinal)
            .ThenBy(g => g.Key.Tier, StringComparer.Ordinal)
            .ThenBy(g => g.Key.Charge)
            .Select(g => new ForecastRow(month, "", g.Key.Region, g.Key.Tier, g.Key.Charge, part, Units.Month, g.Sum(l => l.Amount)))
            .Where(r => r.Amount != 0);
}

public static class Units
{
    public const string Month = "month";

    private static readonly string[] Names =
    [
        .. Enum.GetValues<Charge>().Select(c => JsonNamingPolicy.KebabCaseLower.ConvertName(c.ToString())),
    ];

    /// <summary>The unit of a charge's quantity, as files name it.</summary>
    public static string Of(Charge charge, SizeUnit unit) =>
        charge switch
        {
            Charge.Storage or Charge.EarlyLeave => unit == SizeUnit.GB ? "GB-month" : "GiB-month",
            Charge.Writes or Charge.Reads => "request",
            Charge.Moves => "object",
            Charge.Watching => "object-month",
            _ when charge.IsAgreed() => Month,
            _ => unit == SizeUnit.GB ? "GB" : "GiB",
        };

    /// <summary>The name of a charge in files and over HTTP.</summary>
    public static string Name(this Charge charge) => Names[(int)charge];
}
