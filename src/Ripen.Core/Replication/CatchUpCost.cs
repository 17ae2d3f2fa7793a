using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Replication;

/// <summary>What lies in a rule's scope already, and what it takes to copy that as well. Money is in the price book's currency, charged
/// once unless a month is named.</summary>
/// <param name="Objects">That are there; without catch-up they stay behind.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="WriteCharge">At the price of the tier where copies land.</param>
/// <param name="TransferCharge">Between the two regions.</param>
/// <param name="StorageAMonth">Of the copies, at the first band's price, in the tier where they land.</param>
/// <param name="Hours">Until all of it has arrived, behind what waits already and beside what keeps coming; null for never.</param>
/// <param name="ShortBytesPerSecond">By how much the line is too thin then.</param>
public sealed record CatchUpCost(
    double Objects,
    double Bytes,
    double WriteCharge,
    double TransferCharge,
    double StorageAMonth,
    double? Hours,
    double ShortBytesPerSecond
)
{
    /// <summary>What catching up costs once.</summary>
    public double OnceCharge => WriteCharge + TransferCharge;

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
            price.Writes.For(objects),
            prices.TransferPrice(from.Region, to.Region).For(bytes / unit),
            price.Storage[0].Price.For(billed) * prices.FindScheme(to.Scheme)!.StorageFactor,
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
