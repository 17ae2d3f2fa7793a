using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What the lines of a forecast are split by.</summary>
public enum SplitBy
{
    Tier,
    Charge,
    Region,
    Bucket,
    Tenant,
}

/// <summary>One line of a forecast, a value for each month. <see cref="Bytes"/> are at rest on the month's last day; null for charges
/// and agreements, which hold none.</summary>
public sealed record ForecastLine(string Key, string Name, IReadOnlyList<double> Money, IReadOnlyList<double>? Bytes)
{
    /// <summary>Of twelve months each; the last may be cut short by the horizon.</summary>
    public IReadOnlyList<double> YearMoney { get; } = [.. Money.Chunk(12).Select(year => year.Sum())];
}

/// <summary>Twelve months, the <see cref="Number"/>th from today; the last may be cut short by the horizon. Bytes are at rest at its
/// end.</summary>
public sealed record ForecastYear(int Number, Month From, Month To, double Money, double BytesAtEnd)
{
    /// <summary>All years of a projection, of the whole estate.</summary>
    public static IReadOnlyList<ForecastYear> Of(Projection projection)
    {
        var tiers = projection.Estate.PriceBook.Tiers.Count;
        return Of(
            [.. Enumerable.Range(0, projection.Calendar.Months).Select(m => Month.Of(projection.Calendar.Date(m)))],
            projection.MoneyInAll,
            m => projection.Usages.Sum(u => Enumerable.Range(0, tiers).Sum(tier => u.BytesAtEnd(tier, m)))
        );
    }

    internal static IReadOnlyList<ForecastYear> Of(IReadOnlyList<Month> months, double[] money, Func<int, double> bytesAtEnd) =>
        [
            .. months
                .Chunk(12)
                .Select(
                    (year, y) =>
                        new ForecastYear(
                            y + 1,
                            year[0],
                            year[^1],
                            money.AsSpan(y * 12, year.Length).ToArray().Sum(),
                            bytesAtEnd((y * 12) + year.Length - 1)
                        )
                ),
        ];
}

/// <summary>Money and bytes by month, split one way. Lines of nothing are left out; the order is the price book's or the estate's. Of
/// very many buckets the dearest have lines of their own, and the rest one together, whose key is empty.</summary>
public sealed record ForecastSeries(
    IReadOnlyList<Month> Months,
    IReadOnlyList<ForecastLine> Lines,
    IReadOnlyList<double> Money,
    IReadOnlyList<double> Bytes,
    IReadOnlyList<ForecastYear> Years
)
{
    /// <summary>More lines nobody can tell apart.</summary>
    public const int MostLines = 12;

    /// <param name="projection">What is summed up.</param>
    /// <param name="by">What the lines stand for.</param>
    /// <param name="bucket">Only this bucket's part of it; null for the whole estate.</param>
    public static ForecastSeries Of(Projection projection, SplitBy by, string? bucket = null)
    {
        var (months, prices) = (projection.Calendar.Months, projection.Estate.PriceBook);
        List<(string Key, string Name)> lines = by switch
        {
            SplitBy.Tier => [.. prices.Tiers.Select(t => (t.Id, t.Name)), (Agreements.Key, Agreements.Name)],
            SplitBy.Charge => [.. Enum.GetValues<Charge>().Select(c => (c.Name(), c.Name()))],
            SplitBy.Region => [.. prices.Regions.Select(r => (r.Id, r.Name)), (Agreements.Key, Agreements.Name)],
            SplitBy.Tenant =>
            [
                .. Tenants.Of(projection.Estate.Buckets).Select(t => (t, Tenants.NameOf(t))),
                (Agreements.Key, Agreements.Name),
            ],
            _ => [.. projection.Usages.Select(u => (u.Bucket.Name, u.Bucket.Name)), (Agreements.Key, Agreements.Name)],
        };
        var places = lines.Select((line, i) => (line.Key, i)).ToDictionary(l => l.Key, l => l.i);
        var money = lines.Select(_ => new double[months]).ToArray();
        var bytes = lines.Select(_ => new double[months]).ToArray();
        var totalBytes = new double[months];
        var some = Enumerable
            .Range(0, projection.Usages.Count)
            .Where(b => bucket is null || projection.Usages[b].Bucket.Name == bucket)
            .ToList();
        if (bucket is not null)
        {
            var rows = new List<BillRow>();
            foreach (var b in some)
            {
                for (var m = 0; m < months; m++)
                    projection.Bill.AddRows(b, m, rows);
                foreach (var row in rows)
                    money[LineOf(b, row.Tier, row.Charge)][row.Month] += row.Amount;
            }
        }
        else if (by is not (SplitBy.Tier or SplitBy.Charge))
        {
            foreach (var b in some)
                Sums.Add(projection.Money[b], money[LineOf(b, 0, Charge.Storage)]);
        }
        else
        {
            for (var m = 0; m < months; m++)
            {
                foreach (var used in projection.Charges.Of(m))
                    money[LineOf(0, prices.Coldness(used.Tier), used.Charge)][m] += used.Amount;
            }
        }
        foreach (var b in some)
        {
            for (var tier = 0; tier < prices.Tiers.Count; tier++)
            {
                for (var m = 0; m < months; m++)
                {
                    var resting = projection.Usages[b].BytesAtEnd(tier, m);
                    if (by != SplitBy.Charge)
                        bytes[LineOf(b, tier, Charge.Storage)][m] += resting;
                    totalBytes[m] += resting;
                }
            }
        }
        for (var m = 0; m < months && bucket is null; m++)
        {
            foreach (var agreed in projection.Agreed(m))
            {
                var line = by switch
                {
                    SplitBy.Tier when agreed.Tier.Length > 0 => prices.Coldness(agreed.Tier),
                    SplitBy.Charge => (int)agreed.Charge,
                    SplitBy.Region when agreed.Region.Length > 0 => places[agreed.Region],
                    _ => lines.Count - 1,
                };
                money[line][m] += agreed.Amount;
            }
        }
        var totalMoney = Sum(money);
        List<Month> names = [.. Enumerable.Range(0, months).Select(m => Month.Of(projection.Calendar.Date(m)))];
        return new ForecastSeries(
            names,
            AtMost(
                MostLines,
                [
                    .. lines
                        .Select(
                            (line, i) =>
                                new ForecastLine(
                                    line.Key,
                                    line.Name,
                                    money[i],
                                    by == SplitBy.Charge || line.Key == Agreements.Key ? null : bytes[i]
                                )
                        )
                        .Where(l => l.Money.Any(v => v != 0) || l.Bytes?.Any(v => v != 0) == true),
                ]
            ),
            totalMoney,
            totalBytes,
            ForecastYear.Of(names, totalMoney, m => totalBytes[m])
        );

        int LineOf(int b, int tier, Charge charge) =>
            by switch
            {
                SplitBy.Tier => tier,
                SplitBy.Charge => (int)charge,
                SplitBy.Region => places[projection.Usages[b].Bucket.Region],
                SplitBy.Tenant => places[Tenants.KeyOf(projection.Usages[b].Bucket)],
                _ => b,
            };
    }

    private static List<ForecastLine> AtMost(int most, List<ForecastLine> lines)
    {
        if (lines.Count <= most)
            return lines;
        var own = lines.OrderByDescending(l => l.Money.Sum()).Take(most - 1).ToHashSet();
        var rest = lines.Where(l => !own.Contains(l)).ToList();
        return
        [
            .. lines.Where(own.Contains),
            new ForecastLine(
                "",
                $"{rest.Count} others",
                Sum(rest.Select(l => l.Money)),
                rest.Select(l => l.Bytes).OfType<IReadOnlyList<double>>().ToList() is { Count: > 0 } held ? Sum(held) : null
            ),
        ];
    }

    private static double[] Sum(IEnumerable<IReadOnlyList<double>> lines)
    {
        double[]? sum = null;
        foreach (var line in lines)
        {
            sum ??= new double[line.Count];
            for (var m = 0; m < sum.Length; m++)
                sum[m] += line[m];
        }
        return sum ?? [];
    }
}
