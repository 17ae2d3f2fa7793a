namespace Ripen.Core.Pricing;

/// <summary>Something in a price book that is valid and probably not meant.</summary>
/// <param name="Code">Of its kind.</param>
/// <param name="Region">Where.</param>
/// <param name="Tier">Of which tier.</param>
/// <param name="Message">What, in words, with the amounts.</param>
public sealed record PriceDoubt(string Code, string Region, string Tier, string Message);

/// <summary>Looks a price book over for what a slip of the hand, or of a provider, leaves behind.</summary>
public static class PriceDoubts
{
    /// <summary>In the order of regions and tiers.</summary>
    public static IEnumerable<PriceDoubt> Of(PriceBook prices)
    {
        foreach (var region in prices.Regions)
        {
            var offered = prices.Tiers.Where(t => region.PriceOf(t.Id) is not null).ToList();
            for (var i = 0; i < offered.Count; i++)
            {
                var (tier, price) = (offered[i], region.PriceOf(offered[i].Id)!);
                for (var b = 1; b < price.Storage.Count; b++)
                {
                    if (price.Storage[b].Price.PerUnit > price.Storage[b - 1].Price.PerUnit)
                        yield return new(
                            "band-rises",
                            region.Id,
                            tier.Id,
                            $"{tier.Name} in {region.Name} gets dearer with quantity: {price.Storage[b].Price.PerUnit} above "
                                + $"{price.Storage[b - 1].UpTo:N0} {prices.Unit}, {price.Storage[b - 1].Price.PerUnit} below."
                        );
                }
                if (
                    i > 0
                    && region.PriceOf(offered[i - 1].Id)!.Storage[0].Price is var warmer
                    && price.Storage[0].Price.PerUnit > warmer.PerUnit
                )
                    yield return new(
                        "colder-is-dearer",
                        region.Id,
                        tier.Id,
                        $"{tier.Name} in {region.Name} is colder than {offered[i - 1].Name} and costs more to store: {price.Storage[0].Price.PerUnit} "
                            + $"against {warmer.PerUnit} per {prices.Unit} and month."
                    );
                if (offered.FirstOrDefault(o => o != tier && IsNeverWorse(o, tier, region)) is { } better)
                    yield return new(
                        "tier-never-pays",
                        region.Id,
                        tier.Id,
                        $"Nothing should ever lie in {tier.Name} in {region.Name}: {better.Name} costs no more for anything, and asks for no more."
                    );
            }
        }
    }

    /// <summary>Whether a tier costs no more than another whatever lies there for however long and is read however often, and less for
    /// something. Of two that are alike, the warmer one.</summary>
    private static bool IsNeverWorse(Tier one, Tier other, Region region)
    {
        var (price, against) = (region.PriceOf(one.Id)!, region.PriceOf(other.Id)!);
        double[] Demands(Tier tier) =>
            [
                tier.MinimumStayDays,
                tier.MinimumObjectBytes,
                tier.OverheadBytes,
                tier.IndexBytes,
                tier.WaitHours,
                tier.LeastAge?.Created ?? 0,
                tier.LeastAge?.Read ?? 0,
            ];
        double[] Amounts(TierPrice p) =>
            [
                p.Writes.PerThousand,
                p.Reads.PerThousand,
                p.MovesIn.PerThousand,
                p.RecallRequests.PerThousand,
                p.Recall.PerUnit,
                p.Watching.PerThousand,
            ];
        // Bands are straight between their limits: where neither is dearer at any limit, and in the last band, it is dearer nowhere.
        var limits = price.Storage.Concat(against.Storage).Select(b => b.UpTo).OfType<double>().ToList();
        double[] Stored(TierPrice p) => [.. limits.Select(p.StorageCost), p.Storage[0].Price.PerUnit, p.Storage[^1].Price.PerUnit];
        double[] mine = [.. Demands(one), .. Amounts(price), .. Stored(price)];
        double[] its = [.. Demands(other), .. Amounts(against), .. Stored(against)];
        return mine.Zip(its).All(p => p.First <= p.Second) && mine.Zip(its).Any(p => p.First < p.Second);
    }
}
