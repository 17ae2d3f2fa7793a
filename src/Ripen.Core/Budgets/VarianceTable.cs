using System.Globalization;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Budgets;

/// <summary>What a variance is told by.</summary>
public enum VarianceBy
{
    Bucket,
    Charge,
    Tier,
    Region,
    Tenant,
    Month,
}

/// <summary>What one bucket, charge, tier, region, tenant or month has of a variance.</summary>
/// <param name="Key">Which; empty for all that have no line of their own.</param>
/// <param name="Name">For people.</param>
/// <param name="Parts">Money.</param>
public sealed record VarianceTableLine(string Key, string Name, VarianceParts Parts);

/// <summary>A variance summed up; its lines add up to all of it.</summary>
/// <param name="From">The first month.</param>
/// <param name="To">The last.</param>
/// <param name="InAll">Of all lines.</param>
/// <param name="Lines">The largest variances first, months in their order; lines of nothing are left out.</param>
public sealed record VarianceTable(Month From, Month To, VarianceParts InAll, IReadOnlyList<VarianceTableLine> Lines)
{
    /// <param name="variance">Line by line, over the same months.</param>
    /// <param name="first">The first of them.</param>
    /// <param name="months">How many.</param>
    /// <param name="by">What lines stand for.</param>
    /// <param name="estate">Knows names, and whose a bucket is; one that it does not know is nobody's.</param>
    public static VarianceTable Of(IEnumerable<LineVariance> variance, Month first, int months, VarianceBy by, Estate estate)
    {
        var prices = estate.PriceBook;
        var lines = variance
            .SelectMany(l => l.Months.Select((parts, m) => (Key: Key(l.Line, first.Plus(m), by, estate), Parts: parts)))
            .GroupBy(l => l.Key)
            .Select(g => new VarianceTableLine(
                g.Key,
                Name(g.Key, by, prices),
                g.Aggregate(VarianceParts.Nothing, (sum, l) => sum + l.Parts)
            ))
            .Where(l => !l.Parts.IsNothing)
            .ToList();
        return new VarianceTable(
            first,
            first.Plus(months - 1),
            lines.Aggregate(VarianceParts.Nothing, (sum, l) => sum + l.Parts),
            by == VarianceBy.Month
                ? [.. lines.OrderBy(l => l.Key, StringComparer.Ordinal)]
                : Foremost([.. lines.OrderByDescending(Weight).ThenBy(l => l.Key, StringComparer.Ordinal)])
        );
    }

    private static double Weight(VarianceTableLine line) =>
        Math.Abs(line.Parts.Volume) + Math.Abs(line.Parts.Mix) + Math.Abs(line.Parts.Timing) + Math.Abs(line.Parts.Price);

    private static List<VarianceTableLine> Foremost(List<VarianceTableLine> lines)
    {
        if (lines.Count <= ForecastSeries.MostLines)
            return lines;
        var rest = lines[(ForecastSeries.MostLines - 1)..];
        return
        [
            .. lines[..(ForecastSeries.MostLines - 1)],
            new VarianceTableLine(
                "",
                string.Create(CultureInfo.InvariantCulture, $"{rest.Count} others"),
                rest.Aggregate(VarianceParts.Nothing, (sum, l) => sum + l.Parts)
            ),
        ];
    }

    internal static string Key(ChargeLine line, Month month, VarianceBy by, Estate estate) =>
        by switch
        {
            VarianceBy.Bucket => Agreements.KeyOf(line.Bucket),
            VarianceBy.Charge => line.Charge.Name(),
            VarianceBy.Tier => Agreements.KeyOf(line.Tier),
            VarianceBy.Region => Agreements.KeyOf(line.Region),
            VarianceBy.Tenant when line.Bucket.Length == 0 => Agreements.Key,
            VarianceBy.Tenant => estate.Find(line.Bucket) is { } bucket ? Tenants.KeyOf(bucket) : Tenants.None,
            _ => month.ToString(),
        };

    private static string Name(string key, VarianceBy by, PriceBook prices) =>
        by switch
        {
            _ when key == Agreements.Key => Agreements.Name,
            VarianceBy.Tier => prices.Coldness(key) is >= 0 and var tier ? prices.Tiers[tier].Name : key,
            VarianceBy.Region => prices.RegionName(key),
            VarianceBy.Tenant => Tenants.NameOf(key),
            _ => key,
        };
}
