using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Budgets;

/// <summary>Storage of a bucket in a tier that was metered.</summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Region">Where it was.</param>
/// <param name="Tier">The id.</param>
/// <param name="Quantity">Unit-months.</param>
/// <param name="Weighted">The same times the factor of the scheme.</param>
/// <param name="Amount">Money.</param>
public sealed record StoredSoFar(string Bucket, string Region, string Tier, double Quantity, double Weighted, double Amount);

/// <summary>What was metered of the running month.</summary>
/// <param name="Storage">Of the days before today, in their order.</param>
/// <param name="Days">How many of its days are closed.</param>
/// <param name="Used">By region, tier and charge, with what today was charged so far.</param>
/// <param name="Agreed">What was booked for agreements: a region, a tier and a charge come once.</param>
public sealed record MonthSoFar(
    IReadOnlyList<StorageSoFar> Storage,
    int Days,
    IReadOnlyList<UsedCharge> Used,
    IReadOnlyList<UsedCharge> Agreed
);

/// <summary>Storage of days of a month in which the same prices held.</summary>
/// <param name="From">The first of them.</param>
/// <param name="Prices">That held.</param>
/// <param name="Lines">By bucket and tier.</param>
public sealed record StorageSoFar(DateOnly From, PriceBook Prices, IReadOnlyList<StoredSoFar> Lines);

/// <summary>
/// What the rest of a month adds to what was metered of it. A projection prices the days from its today on by themselves; where a month has
/// begun, its graduated bands are filled by the days before, and these days are settled anew with the whole month's quantity, as the meter
/// does every night; so is what is agreed for the month.
/// </summary>
public static class RestOfMonth
{
    /// <summary>Every row of a projection, the storage and the agreements of its first month settled with the days before.</summary>
    /// <param name="projection">From today on.</param>
    /// <param name="soFar">Of today's month.</param>
    public static IEnumerable<ForecastRow> Rows(Projection projection, MonthSoFar soFar)
    {
        var month = Month.Of(projection.Calendar.Today);
        return FirstMonth(projection, soFar).Concat(projection.Rows().SkipWhile(r => r.Month == month));
    }

    /// <summary>Money of the first month, so settled.</summary>
    public static double Money(Projection projection, MonthSoFar soFar) => FirstMonth(projection, soFar).Sum(r => r.Amount);

    private static List<ForecastRow> FirstMonth(Projection projection, MonthSoFar soFar)
    {
        var month = Month.Of(projection.Calendar.Today);
        var used = projection
            .Rows()
            .TakeWhile(r => r.Month == month)
            .Where(r => r.Charge != Charge.Storage && !r.Charge.IsAgreed())
            .Concat(Storage(projection, soFar.Storage))
            .ToList();
        return [.. used, .. Agreed(projection, soFar, used)];
    }

    private static IEnumerable<ForecastRow> Agreed(Projection projection, MonthSoFar soFar, List<ForecastRow> toCome)
    {
        var month = Month.Of(projection.Calendar.Today);
        var part = projection.PartOf(0) + ((double)soFar.Days / month.Days);
        var used = soFar
            .Used.Concat(toCome.Select(r => new UsedCharge(r.Region, r.Tier, r.Charge, r.Quantity, r.Amount)))
            .GroupBy(u => (u.Region, u.Tier, u.Charge))
            .Select(g => g.First() with { Quantity = g.Sum(u => u.Quantity), Amount = g.Sum(u => u.Amount) });
        return Settlement
            .Difference(Settlement.Of(projection.Estate.PriceBook, month, part, used), part, soFar.Agreed)
            .Select(a => new ForecastRow(month, "", a.Region, a.Tier, a.Charge, a.Quantity, Units.Month, a.Amount));
    }

    private static IEnumerable<ForecastRow> Storage(Projection projection, IReadOnlyList<StorageSoFar> soFar)
    {
        var prices = projection.Estate.PriceBook;
        return ToCome(projection)
            .Concat(soFar.SelectMany(part => part.Lines.Select(l => (part.Prices, IsToCome: false, Of: l))))
            .GroupBy(l => (l.Of.Region, l.Of.Tier))
            .SelectMany(pool =>
            {
                var total = pool.Sum(l => l.Of.Quantity);
                return pool.GroupBy(l => l.Of.Bucket)
                    .Select(bucket => new ForecastRow(
                        Month.Of(projection.Calendar.Today),
                        bucket.Key,
                        pool.Key.Region,
                        pool.Key.Tier,
                        Charge.Storage,
                        bucket.Where(l => l.IsToCome).Sum(l => l.Of.Quantity),
                        Units.Of(Charge.Storage, prices.Unit),
                        bucket.Sum(l => Amount(l.Prices, l.Of, total))
                    ));
            })
            .Where(r => r.Quantity != 0 || r.Amount != 0);
    }

    /// <summary>What is still to be booked of it. What a region does not offer any more stands as it was booked.</summary>
    private static double Amount(PriceBook prices, StoredSoFar line, double total) =>
        total > 0 && prices.FindRegion(line.Region)?.PriceOf(line.Tier) is { } price
            ? (price.StorageCost(total) / total * line.Weighted) - line.Amount
            : 0;

    private static List<(PriceBook Prices, bool IsToCome, StoredSoFar Of)> ToCome(Projection projection)
    {
        var (calendar, prices) = (projection.Calendar, projection.Estate.PriceBook);
        var lines = new List<(PriceBook, bool, StoredSoFar)>();
        for (var stretch = 0; stretch < calendar.First(1); stretch++)
        {
            var book = prices.AmountsOn(calendar.Today.AddDays(calendar.Start(stretch)));
            var unitMonth = prices.Unit.Bytes() * calendar.BilledDays(stretch);
            foreach (var usage in projection.Usages)
            {
                var (bucket, factor) = (usage.Bucket, prices.FindScheme(usage.Bucket.Scheme)!.StorageFactor);
                for (var tier = 0; tier < prices.Tiers.Count; tier++)
                {
                    var units = usage.Of(tier, Measure.StoredByteDays)[stretch] / unitMonth;
                    if (units != 0)
                        lines.Add((book, true, new(bucket.Name, bucket.Region, prices.Tiers[tier].Id, units, units * factor, 0)));
                }
            }
        }
        return lines;
    }
}
