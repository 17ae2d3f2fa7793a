namespace Ripen.Core.Pricing;

/// <summary>What becomes of a price book that somebody writes anew.</summary>
public static class PriceAmendment
{
    /// <summary>
    /// The book as written, in force from today on. What was is not rewritten: amounts that held until today are told as earlier, whatever
    /// the writing says of that.
    /// </summary>
    /// <param name="before">In force.</param>
    /// <param name="written">Valid; its changes are of days to come.</param>
    /// <param name="today">The first day on which it holds.</param>
    public static PriceBook Of(PriceBook before, PriceBook written, DateOnly today)
    {
        var after = (written with { Earlier = before.Earlier }).On(today) with { Earlier = before.Earlier };
        var replaced = new EarlierPrices
        {
            Until = today,
            Regions = [.. before.Regions.Select(r => Replaced(r, after.FindRegion(r.Id))).OfType<RegionPrices>()],
            Transfers =
            [
                .. before
                    .Transfers.Where(t => after.FindTransfer(t.From, t.To) is { } other && other.Price != t.Price)
                    .Select(t => new TransferPrice
                    {
                        From = t.From,
                        To = t.To,
                        Price = t.Price,
                    }),
                .. after
                    .Transfers.Where(t => t.Price != default && before.FindTransfer(t.From, t.To) is null)
                    .Select(t => new TransferPrice
                    {
                        From = t.From,
                        To = t.To,
                        Price = default,
                    }),
            ],
        };
        return replaced is { Regions: [], Transfers: [] } ? after : after with { Earlier = [.. before.Earlier, replaced] };
    }

    /// <summary>What of a region's amounts is another; null where nothing is.</summary>
    private static RegionPrices? Replaced(Region before, Region? after)
    {
        if (after is null)
            return null;
        var replaced = new RegionPrices
        {
            Id = before.Id,
            Prices = [.. before.Prices.Where(p => after.PriceOf(p.Tier) is { } other && !Same(p, other))],
            TransferOut = before.TransferOut.SequenceEqual(after.TransferOut) ? [] : before.TransferOut,
        };
        return replaced is { Prices: [], TransferOut: [] } ? null : replaced;
    }

    private static bool Same(TierPrice one, TierPrice other) =>
        one.Storage.SequenceEqual(other.Storage)
        && one.RecallSpeeds.SequenceEqual(other.RecallSpeeds)
        && one with { Storage = [], RecallSpeeds = [] } == other with { Storage = [], RecallSpeeds = [] };
}
