using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Bills;

/// <summary>How a price was found.</summary>
public enum FitBy
{
    /// <summary>Least squares over the rows of the bill.</summary>
    Rows,

    /// <summary>The months do not fill the bands differently enough to tell them apart: all of them are raised or lowered alike.</summary>
    OneFactor,

    /// <summary>Nothing of the bill lies there; the price book's stands.</summary>
    Nothing,
}

/// <summary>A price of the price book, and what a bill makes of it.</summary>
/// <param name="Region">Where, or whence.</param>
/// <param name="To">The region that a transfer leads to; null for everything else.</param>
/// <param name="Tier">Of what; null for a transfer.</param>
/// <param name="Charge">What for.</param>
/// <param name="Speed">The id of a recall's speed; null for the ordinary one and for everything else.</param>
/// <param name="UpTo">Where its band ends, in units; null for the last, and where there are none.</param>
/// <param name="Was">As the price book has it: per unit (and month), or per 1,000.</param>
/// <param name="Fitted">As the bill has it.</param>
/// <param name="How">How it was found.</param>
/// <param name="Quantity">Units, requests or objects of the bill that it rests on.</param>
public sealed record FittedPrice(
    string Region,
    string? To,
    string? Tier,
    Charge Charge,
    string? Speed,
    double? UpTo,
    double Was,
    double Fitted,
    FitBy How,
    double Quantity
);

/// <summary>How well a charge in a tier and region is met.</summary>
/// <param name="Region">Where, or whence.</param>
/// <param name="To">The region that a transfer leads to; null for everything else.</param>
/// <param name="Tier">Of what; null for a transfer.</param>
/// <param name="Charge">What for.</param>
/// <param name="Speed">The id of a recall's speed; null for the ordinary one and for everything else.</param>
/// <param name="Billed">Money of the bill.</param>
/// <param name="AsPriced">What the price book would charge for the same.</param>
/// <param name="AsFitted">What the fitted prices charge for it.</param>
/// <param name="FarthestOff">The largest difference of a bucket's month to its fitted amount.</param>
/// <param name="Rows">Buckets' months.</param>
public sealed record FitOfCharge(
    string Region,
    string? To,
    string? Tier,
    Charge Charge,
    string? Speed,
    double Billed,
    double AsPriced,
    double AsFitted,
    double FarthestOff,
    int Rows
)
{
    /// <summary>What the price book would charge more than was billed, or less.</summary>
    public double PricedOff => AsPriced - Billed;

    /// <summary>The same of the fitted prices.</summary>
    public double FittedOff => AsFitted - Billed;
}

/// <summary>
/// Prices that meet a bill best, in the sense of least squares. Storage fills the bands of the price book with all of the bill that lies in
/// the same region and tier, and each bucket pays its part times its scheme's factor, as <see cref="Billing.Bill"/> has it; what is asked are
/// the prices of the bands. Early leaving is charged by the first band, so that it says what that costs as well. A transfer's price is asked
/// where its item says to which region it goes, or all that a bucket is charged for goes one way; a recall's by the speed of its item. What was
/// read by several speeds within a month is known together: it is shared out by what was recalled at each.
/// </summary>
/// <param name="Prices">One for each that could be asked.</param>
/// <param name="Charges">How well they meet the bill, the dearest first; what is free in the bill and in the price book is left
/// out.</param>
public sealed record PriceFit(IReadOnlyList<FittedPrice> Prices, IReadOnlyList<FitOfCharge> Charges)
{
    private static readonly Charge[] Asked =
    [
        Charge.Storage,
        Charge.EarlyLeave,
        Charge.Writes,
        Charge.Reads,
        Charge.Moves,
        Charge.Recall,
        Charge.Watching,
        Charge.Transfer,
    ];

    /// <param name="bill">In units of the price book.</param>
    /// <param name="estate">Its price book says which bands and prices there are; its buckets, which scheme's factor holds.</param>
    public static PriceFit Of(MappedBill bill, Estate estate)
    {
        var (prices, charges) = (new List<FittedPrice>(), new List<FitOfCharge>());
        var (reads, recalled) = (Quantities(bill, Charge.Reads), Quantities(bill, Charge.Recall));
        var groups = bill
            .Lines.Where(l => Asked.Contains(l.Row.Charge))
            .GroupBy(l => PriceOf(l, estate), l => l.Row)
            .OrderByDescending(g => g.Sum(l => l.Amount))
            .ThenBy(g => g.Key?.Region, StringComparer.Ordinal)
            .ThenBy(g => g.Key?.To, StringComparer.Ordinal)
            .ThenBy(g => g.Key?.Tier, StringComparer.Ordinal)
            .ThenBy(g => g.Key?.Charge)
            .ThenBy(g => g.Key?.Speed, StringComparer.Ordinal);
        foreach (var group in groups)
        {
            if (group.Key is not { } key)
                continue;
            var (region, to, tier, charge, speed) = key;
            if (Bands(estate.PriceBook, key) is not { } bands)
                continue;
            var parts = group.GroupBy(l => l.Charge).Select(g => (Charge: g.Key, Rows: Rows([.. g], bands, estate, Given))).ToList();
            var rows = parts.SelectMany(p => p.Rows).ToList();
            var was = bands.Select(b => b.Price.PerUnit).ToArray();
            if (rows.All(r => r.Amount == 0 && r.At(was) == 0))
                continue;
            var (fitted, how) = Fit(rows, was);
            prices.AddRange(
                bands.Select(
                    (b, i) =>
                        new FittedPrice(
                            region,
                            to,
                            tier,
                            charge,
                            speed,
                            b.UpTo,
                            was[i] * Scale(charge),
                            fitted[i] * Scale(charge),
                            how[i],
                            rows.Sum(r => r.InBand[i])
                        )
                )
            );
            charges.AddRange(
                parts.Select(p => new FitOfCharge(
                    region,
                    to,
                    tier,
                    p.Charge,
                    speed,
                    p.Rows.Sum(r => r.Amount + r.Given),
                    p.Rows.Sum(r => r.At(was) + r.Given),
                    p.Rows.Sum(r => r.At(fitted) + r.Given),
                    p.Rows.Max(r => Math.Abs(r.Amount - r.At(fitted))),
                    p.Rows.Count
                ))
            );

            // A recall costs by the read as well; what reading asked is known, and its price is taken from the price book.
            double Given(ForecastRow line, double quantity)
            {
                if (charge != Charge.Recall)
                    return 0;
                var (price, of) = (estate.PriceBook.FindRegion(region)!.PriceOf(tier!)!, (line.Month, line.Bucket, region, tier!));
                var share = recalled[of] == quantity ? 1 : quantity / recalled[of];
                return (SpeedOf(price, speed)?.RecallRequests ?? price.RecallRequests).For(share * reads.GetValueOrDefault(of));
            }
        }
        return new PriceFit(prices, charges);
    }

    /// <summary>The price book with the fitted prices in the place of its own, not checked as a whole.</summary>
    public Checked<PriceBook> Apply(PriceBook prices) =>
        PriceRows.Apply(
            prices,
            [
                .. Prices.Select(p => new PriceRow(
                    null,
                    p.Region,
                    p.To,
                    p.Tier,
                    p.Charge == Charge.Moves ? "moves-in" : p.Charge.Name(),
                    p.Speed,
                    p.UpTo,
                    p.Fitted
                )),
            ]
        );

    /// <summary>From the price of one to the price as the price book writes it.</summary>
    private static double Scale(Charge charge) => charge is Charge.Storage or Charge.Recall or Charge.Transfer ? 1 : 1000;

    /// <summary>Of what, by month, bucket, region and tier.</summary>
    private static Dictionary<(Month Month, string Bucket, string Region, string Tier), double> Quantities(
        MappedBill bill,
        Charge charge
    ) =>
        bill
            .Lines.Select(l => l.Row)
            .Where(l => l.Charge == charge)
            .GroupBy(l => (l.Month, l.Bucket, l.Region, l.Tier))
            .ToDictionary(g => g.Key, g => g.Sum(l => l.Quantity));

    /// <summary>A price that is asked.</summary>
    private readonly record struct Price(string Region, string? To, string? Tier, Charge Charge, string? Speed = null);

    /// <summary>By which price a line is charged; null where that cannot be told.</summary>
    private static Price? PriceOf(MappedLine line, Estate estate) =>
        line.Row.Charge switch
        {
            Charge.EarlyLeave => new(line.Row.Region, null, line.Row.Tier, Charge.Storage),
            Charge.Recall => new(line.Row.Region, null, line.Row.Tier, Charge.Recall, line.Way),
            Charge.Transfer => Way(estate.Find(line.Row.Bucket)!, line.Way, estate) is var (from, to)
                ? new(from, to, null, Charge.Transfer)
                : null,
            var charge => new(line.Row.Region, null, line.Row.Tier, charge),
        };

    /// <summary>The way that a transfer went: the one to the region that its item says, or the only one.</summary>
    private static (string From, string To)? Way(Bucket bucket, string? to, Estate estate) =>
        Ways(bucket, estate).Where(w => to is null || w.To == to).ToList() switch
        {
            [var way] => way,
            // Of a copy that is no more.
            [] when to is not null && to != bucket.Region => (bucket.Region, to),
            _ => null,
        };

    /// <summary>From where to where a bucket is charged for what is carried: its own copies, and what comes from local arrays.</summary>
    private static List<(string From, string To)> Ways(Bucket bucket, Estate estate) =>
        [
            .. bucket
                .CopyTo.Select(c => (bucket.Region, estate.Find(c.Bucket)!.Region))
                .Concat(estate.Arrays.Where(a => a.Bucket == bucket.Name).Select(a => (a.Region, bucket.Region)))
                .Distinct(),
        ];

    /// <summary>Null where the price book has none.</summary>
    private static IReadOnlyList<StorageBand>? Bands(PriceBook prices, Price of)
    {
        if (of.To is { } to)
            return prices.FindTransfer(of.Region, to) is { } line ? Of(line.Price) : null;
        if (prices.FindRegion(of.Region)?.PriceOf(of.Tier!) is not { } price)
            return null;
        return of switch
        {
            { Charge: Charge.Storage } => price.Storage,
            { Charge: Charge.Recall, Speed: { } speed } => SpeedOf(price, speed) is { } other ? Of(other.Recall) : null,
            { Charge: Charge.Recall } => Of(price.Recall),
            { Charge: Charge.Writes } => One(price.Writes),
            { Charge: Charge.Reads } => One(price.Reads),
            { Charge: Charge.Moves } => One(price.MovesIn),
            _ => One(price.Watching),
        };

        static StorageBand[] Of(UnitPrice price) => [new StorageBand { Price = price }];
    }

    private static RecallSpeed? SpeedOf(TierPrice price, string? speed) => price.RecallSpeeds.FirstOrDefault(s => s.Id == speed);

    private static StorageBand[] One(PricePerThousand price) => [new StorageBand { Price = new UnitPrice(price.PerThousand / 1000) }];

    /// <summary>A bucket's month.</summary>
    /// <param name="InBand">Its quantity by band, times the factor of its scheme.</param>
    /// <param name="Amount">Money of the bill, without what is given.</param>
    /// <param name="Given">Money of it that is charged by other prices than those asked.</param>
    private sealed record Row(double[] InBand, double Amount, double Given)
    {
        public double At(double[] prices) => InBand.Zip(prices, (q, p) => q * p).Sum();
    }

    private static List<Row> Rows(
        List<ForecastRow> lines,
        IReadOnlyList<StorageBand> bands,
        Estate estate,
        Func<ForecastRow, double, double> givenFor
    ) =>
        [
            .. lines
                .GroupBy(l => l.Month)
                .SelectMany(month =>
                {
                    var total = month.Sum(l => l.Quantity);
                    return month
                        .GroupBy(l => l.Bucket)
                        .Select(bucket =>
                        {
                            var (quantity, given) = (bucket.Sum(l => l.Quantity), givenFor(bucket.First(), bucket.Sum(l => l.Quantity)));
                            var charge = bucket.First().Charge;
                            var factor = charge is Charge.Storage or Charge.EarlyLeave
                                ? estate.PriceBook.FindScheme(estate.Find(bucket.Key)!.Scheme)!.StorageFactor
                                : 1;
                            var filled =
                                charge == Charge.EarlyLeave
                                    ? bands.Select((_, i) => i == 0 ? quantity : 0)
                                    : Filled(bands, total).Select(q => total > 0 ? q * quantity / total : 0);
                            return new Row([.. filled.Select(q => q * factor)], bucket.Sum(l => l.Amount) - given, given);
                        });
                }),
        ];

    /// <summary>How much of a quantity lies in each band.</summary>
    private static IEnumerable<double> Filled(IReadOnlyList<StorageBand> bands, double quantity)
    {
        var from = 0.0;
        foreach (var band in bands)
        {
            var to = band.UpTo ?? double.PositiveInfinity;
            yield return Math.Clamp(quantity - from, 0, to - from);
            from = to;
        }
    }

    private static (double[] Prices, FitBy[] How) Fit(List<Row> rows, double[] was)
    {
        var filled = Enumerable.Range(0, was.Length).Where(i => rows.Any(r => r.InBand[i] > 0)).ToArray();
        var (prices, how) = ((double[])was.Clone(), Enumerable.Repeat(FitBy.Nothing, was.Length).ToArray());
        if (filled.Length == 0)
            return (prices, how);
        var solved = LeastSquares.Solve([.. rows.Select(r => (filled.Select(i => r.InBand[i]).ToArray(), r.Amount))]);
        if (solved is null || solved.Any(p => p < 0))
        {
            var (square, product) = (rows.Sum(r => r.At(was) * r.At(was)), rows.Sum(r => r.At(was) * r.Amount));
            var factor = square > 0 ? Math.Max(0, product / square) : 1;
            solved = [.. filled.Select(i => was[i] * factor)];
            Array.ForEach(filled, i => how[i] = FitBy.OneFactor);
        }
        else
            Array.ForEach(filled, i => how[i] = FitBy.Rows);
        for (var i = 0; i < filled.Length; i++)
            prices[filled[i]] = solved[i];
        return (prices, how);
    }
}
