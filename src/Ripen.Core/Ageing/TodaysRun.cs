using Ripen.Core.Estates;

namespace Ripen.Core.Ageing;

/// <summary>Stock that today's run of the rules would take from one tier to another, or remove when <see cref="ToTier"/> is null.</summary>
/// <param name="FromTier">Where it lies.</param>
/// <param name="ToTier">Where it goes.</param>
/// <param name="Objects">As they lie there.</param>
/// <param name="Bundled">How many of them are bundled on the way.</param>
/// <param name="Bundles">Into how many.</param>
/// <param name="Bytes">Of all of them.</param>
/// <param name="EarlyLeaveByteDays">Billed byte-days short of the minimum stay.</param>
public sealed record RunMove(
    string FromTier,
    string? ToTier,
    double Objects,
    double Bundled,
    double Bundles,
    double Bytes,
    double EarlyLeaveByteDays
);

/// <summary>What the rules do to a bucket's stock when they run today.</summary>
public static class TodaysRun
{
    public static IReadOnlyList<RunMove> Of(Bucket bucket, Estate estate)
    {
        var prices = estate.PriceBook;
        var moves = new Dictionary<(int From, int To), RunMove>();
        // Nobody has read anything before the day's rules have run.
        var stockOnly = bucket with
        {
            Streams = [],
            Reads = [],
        };
        foreach (var population in Population.Of(stockOnly, [], prices, estate.Today, 1, new GrowthTable.Shelf(1)))
        {
            foreach (var life in population.Lives)
            {
                for (var i = 0; i < life.Stays.Length; i++)
                {
                    var (stay, tier) = (life.Stays[i], prices.Tiers[life.Stays[i].Tier]);
                    var (count, bytes) = (stay.Form.Count, stay.Form.BytesPerObject);
                    var missing = life.ShortOfMinimum(i, tier, 0, 1) * count * tier.BilledBytes(bytes);
                    if (i + 1 < life.Stays.Length)
                    {
                        var (next, moved) = (life.Stays[i + 1], life.MovesOn(i, 0, 1));
                        Add(stay.Tier, next.Tier, moved * count, next.Form == stay.Form ? 0 : moved * next.Form.Count, bytes, missing);
                    }
                    Add(stay.Tier, -1, life.Removed(i, 0, 1) * count, 0, bytes, missing);
                }
            }
        }
        return [.. moves.OrderBy(m => m.Key).Select(m => m.Value)];

        void Add(int from, int to, double objects, double bundles, long bytesPerObject, double missing)
        {
            if (objects == 0)
                return;
            var empty = new RunMove(prices.Tiers[from].Id, to < 0 ? null : prices.Tiers[to].Id, 0, 0, 0, 0, 0);
            var sum = moves.GetValueOrDefault((from, to), empty);
            moves[(from, to)] = sum with
            {
                Objects = sum.Objects + objects,
                Bundled = sum.Bundled + (bundles > 0 ? objects : 0),
                Bundles = sum.Bundles + bundles,
                Bytes = sum.Bytes + (objects * bytesPerObject),
                EarlyLeaveByteDays = sum.EarlyLeaveByteDays + missing,
            };
        }
    }
}
