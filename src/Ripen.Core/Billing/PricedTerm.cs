using System.Runtime.InteropServices;
using Ripen.Core.Arrays;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Billing;

/// <summary>A price put on a quantity, of what is not charged yet: <see cref="Quantity"/> / <see cref="Per"/> × <see cref="Price"/> ×
/// <see cref="Factor"/>.</summary>
/// <param name="Charge">For what.</param>
/// <param name="Region">Whose prices hold.</param>
/// <param name="Tier">The id of the tier whose prices hold; null for what is carried, whatever the tier.</param>
/// <param name="What">Is priced, and by which band where the price is graduated.</param>
/// <param name="Quantity">Of it.</param>
/// <param name="Unit">Of the quantity.</param>
/// <param name="Price">Of one, or of 1,000.</param>
/// <param name="Per">1, or 1,000.</param>
/// <param name="Factor">The scheme's, for storage; else 1.</param>
public sealed record PricedTerm(
    Charge Charge,
    string Region,
    string? Tier,
    string What,
    double Quantity,
    string Unit,
    double Price,
    int Per,
    double Factor = 1
)
{
    /// <summary>Money that only rounding makes.</summary>
    private const double Nothing = 1e-9;

    /// <summary>Money.</summary>
    public double Amount => Quantity / Per * Price * Factor;

    /// <summary>Reading once what rests in a tier.</summary>
    /// <param name="prices">In force.</param>
    /// <param name="region">The id.</param>
    /// <param name="tier">The id of a tier that the region offers.</param>
    /// <param name="speed">At which it is recalled; null for the ordinary one.</param>
    /// <param name="objects">How many requests it takes.</param>
    /// <param name="bytes">That are read.</param>
    /// <returns>Those that cost something.</returns>
    public static IEnumerable<PricedTerm> OfReading(
        PriceBook prices,
        string region,
        string tier,
        RecallSpeed? speed,
        double objects,
        double bytes
    )
    {
        var price = prices.FindRegion(region)!.PriceOf(tier)!;
        PricedTerm[] terms =
        [
            Bytes(prices, Charge.Recall, region, tier, "recalled", bytes, speed?.Recall ?? price.Recall),
            Many(prices, Charge.Recall, region, tier, "recall requests", objects, speed?.RecallRequests ?? price.RecallRequests),
            Many(prices, Charge.Reads, region, tier, "reads", objects, price.Reads),
        ];
        return terms.Where(t => t.Amount > 0);
    }

    /// <summary>Objects that are written; nothing where that is free.</summary>
    /// <param name="prices">In force.</param>
    /// <param name="region">The id.</param>
    /// <param name="tier">The id of a tier that the region offers.</param>
    /// <param name="objects">How many.</param>
    public static IEnumerable<PricedTerm> OfWriting(PriceBook prices, string region, string tier, double objects)
    {
        var term = Many(prices, Charge.Writes, region, tier, "written", objects, prices.FindRegion(region)!.PriceOf(tier)!.Writes);
        return term.Amount > 0 ? [term] : [];
    }

    /// <summary>Unit-months at rest in a bucket, at the first band's price.</summary>
    /// <param name="prices">In force.</param>
    /// <param name="bucket">For region and scheme.</param>
    /// <param name="tier">The id of a tier that the region offers.</param>
    /// <param name="unitMonths">Billed.</param>
    /// <param name="what">Rests there.</param>
    public static PricedTerm OfResting(PriceBook prices, Bucket bucket, string tier, double unitMonths, string what) =>
        new(
            Charge.Storage,
            bucket.Region,
            tier,
            what,
            unitMonths,
            Units.Of(Charge.Storage, prices.Unit),
            prices.FindRegion(bucket.Region)!.PriceOf(tier)!.Storage[0].Price.PerUnit,
            1,
            prices.FindScheme(bucket.Scheme)!.StorageFactor
        );

    /// <summary>Unit-months that are held on an array of one's own.</summary>
    /// <param name="array">At its price.</param>
    /// <param name="prices">For the unit.</param>
    /// <param name="unitMonths">Of bytes as they are.</param>
    public static PricedTerm OfHolding(LocalArray array, PriceBook prices, double unitMonths) =>
        new(
            Charge.Storage,
            array.Region,
            null,
            "on the array",
            unitMonths,
            Units.Of(Charge.Storage, prices.Unit),
            array.PricePerUnitMonth.PerUnit,
            1
        );

    /// <summary>Objects that leave a tier for another one, or for good.</summary>
    /// <param name="prices">In force.</param>
    /// <param name="bucket">Where they rest.</param>
    /// <param name="from">The id of the tier.</param>
    /// <param name="to">The id of the other one; null for good.</param>
    /// <param name="objects">How many leave.</param>
    /// <param name="bundled">Those of them that are bundled on the way.</param>
    /// <param name="bundles">Into how many.</param>
    /// <param name="unitMonthsShort">Of the minimum stay, of all that leave.</param>
    /// <returns>Those that cost something.</returns>
    public static IEnumerable<PricedTerm> OfLeaving(
        PriceBook prices,
        Bucket bucket,
        string from,
        string? to,
        double objects,
        double bundled,
        double bundles,
        double unitMonthsShort
    )
    {
        var region = prices.FindRegion(bucket.Region)!;
        var (left, entered) = (region.PriceOf(from)!, to is null ? null : region.PriceOf(to)!);
        List<PricedTerm> terms =
        [
            OfResting(prices, bucket, from, unitMonthsShort, "short of the minimum stay") with
            {
                Charge = Charge.EarlyLeave,
            },
        ];
        if (entered is not null)
        {
            var moved = $"moved in from {prices.Tiers[prices.Coldness(from)].Name}";
            terms.Add(Many(prices, Charge.Moves, region.Id, to!, moved, objects - bundled, entered.MovesIn));
            terms.Add(Many(prices, Charge.Reads, region.Id, from, "read to be bundled", bundled, left.Reads));
            terms.Add(Many(prices, Charge.Writes, region.Id, to!, "bundles written", bundles, entered.Writes));
        }
        return terms.Where(t => t.Amount > 0);
    }

    /// <summary>What is carried from one region to another; nothing where that is free.</summary>
    /// <param name="prices">In force.</param>
    /// <param name="from">The id of the one.</param>
    /// <param name="to">The id of the other.</param>
    /// <param name="bytes">That are carried.</param>
    public static IEnumerable<PricedTerm> OfCarrying(PriceBook prices, string from, string to, double bytes)
    {
        var term = Bytes(prices, Charge.Transfer, from, null, "carried", bytes, prices.TransferPrice(from, to));
        return term.Amount > 0 ? [term] : [];
    }

    /// <summary>What makes a row of a projection, a graduated price by its bands.</summary>
    private static IEnumerable<PricedTerm> OfRow(Projection projection, int bucket, int tier, Charge charge, int month)
    {
        var (of, tiers) = (projection.Usages[bucket].Bucket, projection.Estate.PriceBook.Tiers);
        var from = charge == Charge.Transfer ? null : tiers[tier].Id;
        foreach (var t in new DerivationTerms(projection, bucket, tier).Of(charge, month))
        {
            if (t.Bands.Count == 0)
            {
                yield return new(charge, of.Region, from, t.What, t.Quantity, t.Unit, t.Price, t.Per, t.Factor);
                continue;
            }
            // The whole estate fills the bands, and the row has its share of each.
            var share = t.Quantity / t.Bands.Sum(b => b.Units);
            foreach (var band in t.Bands)
                yield return new(charge, of.Region, from, band.Of(t.What), band.Units * share, t.Unit, band.Price, t.Per, t.Factor);
        }
    }

    /// <summary>Alike quantities together, in the order in which they come first.</summary>
    public static IReadOnlyList<PricedTerm> Together(IEnumerable<PricedTerm> terms) =>
        [.. terms.GroupBy(t => t with { Quantity = 0 }).Select(alike => alike.Key with { Quantity = alike.Sum(t => t.Quantity) })];

    /// <summary>What makes a bucket's rows of a projection's last twelve months: alike quantities together, the dearest first.</summary>
    /// <param name="projection">Over a year or more.</param>
    /// <param name="bucket">The place of the bucket.</param>
    public static IReadOnlyList<PricedTerm> OfLastYear(Projection projection, int bucket) =>
        [
            .. Together(
                    Enumerable
                        .Range(projection.Calendar.Months - Month.OfAYear, Month.OfAYear)
                        .SelectMany(month =>
                        {
                            var rows = new List<BillRow>();
                            projection.Bill.AddRows(bucket, month, rows);
                            return rows.SelectMany(r => OfRow(projection, bucket, r.Tier, r.Charge, month));
                        })
                )
                .Where(t => t.Amount > 0)
                .OrderByDescending(t => t.Amount),
        ];

    /// <summary>What makes the difference of two projections of the same buckets over the same calendar: quantities of the later, less those of
    /// the earlier where their prices are the same; what buckets pay more or less that use the same, because others fill the bands; and what
    /// agreements add. What makes most of it comes first.</summary>
    /// <param name="before">The one.</param>
    /// <param name="after">The other; as many buckets, in the same order.</param>
    /// <param name="first">A month, counted from the first.</param>
    /// <param name="months">How many from there on.</param>
    public static IReadOnlyList<PricedTerm> OfDifference(Projection before, Projection after, int first, int months)
    {
        var all = Enumerable.Range(first, months).ToList();
        return
        [
            .. Together(all.SelectMany(Used).Concat(Agreed(after, 1).Concat(Agreed(before, -1))))
                .Where(t => Math.Abs(t.Amount) > Nothing)
                .OrderByDescending(t => Math.Abs(t.Amount)),
        ];

        IEnumerable<PricedTerm> Used(int month)
        {
            var (were, are) = (new List<BillRow>(), new List<BillRow>());
            var otherBands = new Dictionary<(string Region, int Tier), double>();
            for (var b = 0; b < after.Usages.Count; b++)
            {
                were.Clear();
                are.Clear();
                before.Bill.AddRows(b, month, were);
                after.Bill.AddRows(b, month, are);
                if (ReferenceEquals(before.Usages[b], after.Usages[b]))
                {
                    Add(are, 1);
                    Add(were, -1);
                    continue;
                }
                foreach (var row in are.Except(were))
                {
                    foreach (var term in OfRow(after, b, row.Tier, row.Charge, month))
                        yield return term;
                }
                foreach (var row in were.Except(are))
                {
                    foreach (var term in OfRow(before, b, row.Tier, row.Charge, month))
                        yield return term with
                        {
                            Quantity = -term.Quantity,
                        };
                }

                void Add(List<BillRow> rows, int times)
                {
                    foreach (var row in rows)
                    {
                        ref var money = ref CollectionsMarshal.GetValueRefOrAddDefault(
                            otherBands,
                            (after.Usages[b].Bucket.Region, row.Tier),
                            out _
                        );
                        money += times * row.Amount;
                    }
                }
            }
            foreach (var ((region, tier), money) in otherBands)
                yield return OfMoney(Charge.Storage, region, after.Estate.PriceBook.Tiers[tier].Id, "unchanged, in other bands", money);
        }

        IEnumerable<PricedTerm> Agreed(Projection projection, int times) =>
            all.SelectMany(projection.Agreed)
                .GroupBy(l => (l.Name, l.Charge, l.Region, l.Tier))
                .Select(g =>
                    OfMoney(g.Key.Charge, g.Key.Region, g.Key.Tier.Length > 0 ? g.Key.Tier : null, g.Key.Name, times * g.Sum(l => l.Amount))
                );

        PricedTerm OfMoney(Charge charge, string region, string? tier, string what, double money) =>
            new(charge, region, tier, what, money, after.Estate.PriceBook.Currency, 1, 1);
    }

    private static PricedTerm Many(
        PriceBook prices,
        Charge charge,
        string region,
        string tier,
        string what,
        double count,
        PricePerThousand price
    ) =>
        new(
            charge,
            region,
            tier,
            what,
            count,
            charge == Charge.Recall ? "request" : Units.Of(charge, prices.Unit),
            price.PerThousand,
            1000
        );

    private static PricedTerm Bytes(
        PriceBook prices,
        Charge charge,
        string region,
        string? tier,
        string what,
        double bytes,
        UnitPrice price
    ) => new(charge, region, tier, what, bytes / prices.Unit.Bytes(), Units.Of(charge, prices.Unit), price.PerUnit, 1);
}
