using System.Globalization;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Scenarios;

/// <summary>What a difference is told by.</summary>
public enum TellBy
{
    Bucket,
    Charge,
    Tier,
    Region,
    Tenant,
    Year,
    Month,
}

/// <summary>What one bucket, charge, tier, region, tenant, year or month has of a difference. Money.</summary>
/// <param name="Key">Which; empty for all that have no line of their own.</param>
/// <param name="Name">For people.</param>
/// <param name="Before">As the estate stands.</param>
/// <param name="Changes">What each assumption adds to it, given those before.</param>
/// <param name="After">With all of them.</param>
/// <param name="From">Its first month.</param>
/// <param name="To">Its last.</param>
public sealed record DifferenceLine(
    string Key,
    string Name,
    double Before,
    IReadOnlyList<double> Changes,
    double After,
    Month From,
    Month To
);

/// <summary>
/// Where the difference between an estate and a scenario comes from. It adds up both ways: the lines of an assumption make its change of the
/// total, and the changes of a line lead from before to after.
/// </summary>
/// <param name="From">The first month.</param>
/// <param name="To">The last.</param>
/// <param name="Totals">Money of those months as the estate stands, and after each assumption.</param>
/// <param name="Changes">What each assumption adds, given those before.</param>
/// <param name="Lines">The largest changes first, in their order where it is told by year or month; lines of nothing are left out.</param>
public sealed record Difference(
    Month From,
    Month To,
    IReadOnlyList<double> Totals,
    IReadOnlyList<double> Changes,
    IReadOnlyList<DifferenceLine> Lines
)
{
    /// <param name="chain">The estate as it stands, and as it is after each assumption, over the same months.</param>
    /// <param name="first">The first month, from 0.</param>
    /// <param name="months">How many, at least 1.</param>
    /// <param name="by">What lines stand for.</param>
    /// <exception cref="ArgumentOutOfRangeException">The months are not within the projections'.</exception>
    public static Difference Of(IReadOnlyList<ProjectedMoney> chain, int first, int months, TellBy by)
    {
        var calendar = chain[0].Calendar;
        ArgumentOutOfRangeException.ThrowIfNegative(first);
        ArgumentOutOfRangeException.ThrowIfLessThan(months, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(first + months, calendar.Months, nameof(months));
        var told = new Dictionary<string, double[]>();
        for (var p = 0; p < chain.Count; p++)
        {
            foreach (var (key, amount) in Amounts(chain[p], first, months, by))
            {
                if (!told.TryGetValue(key, out var line))
                    told[key] = line = new double[chain.Count];
                line[p] += amount;
            }
        }
        List<Month> all = [.. Enumerable.Range(first, months).Select(m => Month.Of(calendar.Date(m)))];
        var lines = told.Where(l => l.Value.Any(v => v != 0)).Select(l => Line(l.Key, Name(l.Key, by, chain), l.Value, MonthsOf(l.Key)));
        var sums = new double[chain.Count];
        foreach (var line in told.Values)
        {
            for (var p = 0; p < sums.Length; p++)
                sums[p] += line[p];
        }
        return new Difference(
            all[0],
            all[^1],
            sums,
            Line("", "", sums, all).Changes,
            by is TellBy.Year or TellBy.Month
                ? [.. lines.OrderBy(l => l.Key, StringComparer.Ordinal)]
                : Foremost([.. lines.OrderByDescending(Weight).ThenBy(l => l.Key, StringComparer.Ordinal)])
        );

        List<Month> MonthsOf(string key) => by is TellBy.Year or TellBy.Month ? all.FindAll(m => Time(m, by) == key) : all;
    }

    private static string Time(Month month, TellBy by) =>
        by == TellBy.Year ? month.Year.ToString("0000", CultureInfo.InvariantCulture) : month.ToString();

    private static IEnumerable<(string Key, double Amount)> Amounts(ProjectedMoney money, int first, int months, TellBy by)
    {
        return by switch
        {
            TellBy.Bucket => money
                .Estate.Buckets.Select((of, b) => (of.Name, Sum(money.ByBucket[b])))
                .Append((Agreements.Key, Sum(money.Agreed))),
            TellBy.Tenant => money
                .Estate.Buckets.Select((of, b) => (Tenants.KeyOf(of), Sum(money.ByBucket[b])))
                .Append((Agreements.Key, Sum(money.Agreed))),
            TellBy.Charge => money.Table.ByCharge.Select((own, charge) => (((Charge)charge).Name(), Sum(own))),
            TellBy.Tier => money.Table.ByTier.Select(own => (Agreements.KeyOf(own.Key), Sum(own.Value))),
            TellBy.Region => money.Table.ByRegion.Select(own => (Agreements.KeyOf(own.Key), Sum(own.Value))),
            _ => Enumerable.Range(first, months).Select(m => (Time(Month.Of(money.Calendar.Date(m)), by), money.InAll[m])),
        };

        double Sum(double[] own)
        {
            var sum = 0.0;
            foreach (var amount in own.AsSpan(first, months))
                sum += amount;
            return sum;
        }
    }

    private static DifferenceLine Line(string key, string name, double[] values, List<Month> months) =>
        new(key, name, values[0], [.. values.Skip(1).Select((after, i) => after - values[i])], values[^1], months[0], months[^1]);

    private static double Weight(DifferenceLine line) => line.Changes.Sum(Math.Abs);

    private static List<DifferenceLine> Foremost(List<DifferenceLine> lines)
    {
        if (lines.Count <= ForecastSeries.MostLines)
            return lines;
        var rest = lines[(ForecastSeries.MostLines - 1)..];
        return
        [
            .. lines[..(ForecastSeries.MostLines - 1)],
            new DifferenceLine(
                "",
                $"{rest.Count} others",
                rest.Sum(l => l.Before),
                [.. rest[0].Changes.Select((_, i) => rest.Sum(l => l.Changes[i]))],
                rest.Sum(l => l.After),
                rest[0].From,
                rest[0].To
            ),
        ];
    }

    private static string Name(string key, TellBy by, IReadOnlyList<ProjectedMoney> chain)
    {
        var book = chain[0].Estate.PriceBook;
        return by switch
        {
            _ when key == Agreements.Key => Agreements.Name,
            TellBy.Tier => book.Tiers[book.Coldness(key)].Name,
            TellBy.Region => book.RegionName(key),
            TellBy.Tenant => Tenants.NameOf(key),
            _ => key,
        };
    }
}
