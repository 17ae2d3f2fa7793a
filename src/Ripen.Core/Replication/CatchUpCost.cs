using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Replication;

/// <summary>What lies in a rule's scope already, and what it takes to copy that as well. Money is in the price book's currency, charged
/// once unless a month is named.</summary>
/// <param name="Objects">That are there; without catch-up they stay behind.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="Once">Writes at the price of the tier where copies land, and the way between the two regions.</param>
/// <param name="Storage">A month of the copies, at the first band's price, in the tier where they land.</param>
/// <param name="Hours">Until all of it has arrived, behind what waits already and beside what keeps coming; null for never.</param>
/// <param name="ShortBytesPerSecond">By how much the line is too thin then.</param>
public sealed record CatchUpCost(
    double Objects,
    double Bytes,
    IReadOnlyList<PricedTerm> Once,
    PricedTerm Storage,
    double? Hours,
    double ShortBytesPerSecond
)
{
    /// <summary>What catching up costs once.</summary>
    public double OnceCharge => WriteCharge + TransferCharge;

    public double WriteCharge => Once.Where(t => t.Charge == Charge.Writes).Sum(t => t.Amount);

    public double TransferCharge => Once.Where(t => t.Charge == Charge.Transfer).Sum(t => t.Amount);

    public double StorageAMonth => Storage.Amount;

    /// <param name="estate">Valid, with the rule in its source.</param>
    /// <param name="source">Where the rule is.</param>
    /// <param name="rule">Whether it catches up or not.</param>
    public static CatchUpCost Of(Estate estate, string source, CopyRule rule)
    {
        var (from, to, prices) = (estate.Find(source)!, estate.Find(rule.Bucket)!, estate.PriceBook);
        var lots = InScope(from, rule).ToList();
        var (objects, bytes) = (lots.Sum(l => l.Count), lots.Sum(l => l.Count * l.BytesPerObject));
        var tier = prices.Tiers[prices.Coldness(rule.Tier ?? to.Tier)];
        var price = prices.FindRegion(to.Region)!.PriceOf(tier.Id)!;
        var unit = (double)prices.Unit.Bytes();
        var billed = lots.Sum(l => l.Count * tier.BilledBytes(l.BytesPerObject)) / unit;
        var emptying = Emptying(estate, from, to, rule);
        return new CatchUpCost(
            objects,
            bytes,
            [.. PricedTerm.OfWriting(prices, to.Region, tier.Id, objects), .. PricedTerm.OfCarrying(prices, from.Region, to.Region, bytes)],
            PricedTerm.OfResting(prices, to, tier.Id, billed, "of the copies"),
            emptying.Seconds / 3600,
            emptying.ShortBytesPerSecond
        );
    }

    /// <summary>When the rule, if it caught up, would have nothing waiting any more.</summary>
    private static Emptying Emptying(Estate estate, Bucket from, Bucket to, CopyRule rule)
    {
        var regions = estate.Buckets.ToDictionary(b => b.Name, b => b.Region);
        var loads = new List<LaneLoad>();
        var own = 0;
        foreach (var bucket in estate.Buckets.Where(b => b.Region == from.Region))
        {
            foreach (var other in bucket.CopyTo.Where(c => regions[c.Bucket] == to.Region))
            {
                var isOwn = bucket.Name == from.Name && other.IsSame(rule);
                if (isOwn)
                    own = loads.Count;
                loads.AddRange(Loads(bucket, other, isOwn || other.CatchUp));
            }
        }
        var rate = estate.PriceBook.FindTransfer(from.Region, to.Region)?.BytesPerSecond ?? double.PositiveInfinity;
        return Backlog.Together(Backlog.Empties(loads, rate).Skip(own).Take(Lanes.Count));
    }

    private static IEnumerable<LaneLoad> Loads(Bucket from, CopyRule rule, bool catchesUp)
    {
        var (waiting, arriving) = (new double[Lanes.Count], Backlog.Arriving(from, rule));
        foreach (var lot in rule.Waiting)
            waiting[(int)Lanes.Of(lot.BytesPerObject)] += lot.Count * lot.BytesPerObject;
        foreach (var lot in catchesUp ? InScope(from, rule) : [])
            waiting[(int)Lanes.Of(lot.BytesPerObject)] += lot.Count * lot.BytesPerObject;
        return waiting.Zip(arriving, (bytes, rate) => new LaneLoad(bytes, rate));
    }

    private static IEnumerable<Lot> InScope(Bucket from, CopyRule rule) => from.Stock.Where(l => rule.Scope.Takes(l.Prefix, l.Tags));
}
