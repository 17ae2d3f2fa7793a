using System.Text.RegularExpressions;
using Ripen.Core.Pricing;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Estates;

/// <summary>What must hold between the parts of a price book: unique ids, references that lead somewhere, bands that rise.</summary>
internal static partial class PriceBookChecks
{
    /// <summary>Each by itself: whether an estate can be priced by it is looked at when it is.</summary>
    public static void CheckOffers(IReadOnlyList<Offer> offers, string path, Findings findings)
    {
        Unique(offers, o => o.Id, i => $"{path}[{i}].id", "duplicate-id", findings);
        foreach (var (offer, i) in Present(offers))
            Check(offer.Prices, DateOnly.MaxValue, $"{path}[{i}].prices", findings);
    }

    /// <param name="prices">Of an estate.</param>
    /// <param name="today">The estate's.</param>
    /// <param name="book">The book's JSON path.</param>
    /// <param name="findings">Where problems go.</param>
    public static void Check(PriceBook prices, DateOnly today, string book, Findings findings)
    {
        findings.Require(
            CurrencyShape().IsMatch(prices.Currency),
            "invalid-currency",
            $"{book}.currency",
            $"'{prices.Currency}' is not a currency code; write three capital letters (ISO 4217).",
            book
        );
        Unique(prices.Tiers, t => t.Id, i => $"{book}.tiers[{i}].id", "duplicate-id", findings);
        Unique(prices.Schemes, s => s.Id, i => $"{book}.schemes[{i}].id", "duplicate-id", findings);
        foreach (var (scheme, i) in Present(prices.Schemes))
            CheckScheme(scheme, $"{book}.schemes[{i}]", findings);
        Unique(prices.Regions, r => r.Id, i => $"{book}.regions[{i}].id", "duplicate-id", findings);
        Unique(prices.Transfers, t => $"{t.From} to {t.To}", i => $"{book}.transfers[{i}]", "duplicate-id", findings);
        foreach (var (region, i) in Present(prices.Regions))
        {
            var at = $"{book}.regions[{i}].prices";
            Unique(region.Devices, d => d.Id, j => $"{book}.regions[{i}].devices[{j}].id", "duplicate-id", findings);
            foreach (var (devices, j) in Present(region.Devices))
                findings.Require(
                    devices.Price == 0 || devices.LifeMonths > 0,
                    "life-missing",
                    $"{book}.regions[{i}].devices[{j}].lifeMonths",
                    "Say for how many months a device serves: its price is spread over them.",
                    $"{book}.regions[{i}].devices[{j}].price"
                );
            if (region.TransferOut.Count > 0)
                CheckBands(region.TransferOut, $"{book}.regions[{i}].transferOut", findings);
            Unique(region.Prices, p => p.Tier, j => $"{at}[{j}].tier", "duplicate-id", findings);
            foreach (var (price, j) in Present(region.Prices))
            {
                Refer(price.Tier, prices.Tiers.Any(t => t?.Id == price.Tier), "tier", $"{at}[{j}].tier", findings);
                CheckPrice(price, $"{at}[{j}]", findings);
            }
        }
        foreach (var (transfer, i) in Present(prices.Transfers))
        {
            Refer(transfer.From, prices.Regions.Any(r => r?.Id == transfer.From), "region", $"{book}.transfers[{i}].from", findings);
            Refer(transfer.To, prices.Regions.Any(r => r?.Id == transfer.To), "region", $"{book}.transfers[{i}].to", findings);
        }
        CheckAgreements(prices, $"{book}.agreements", findings);
        foreach (var (change, i) in Present(prices.Changes))
        {
            var at = $"{book}.changes[{i}]";
            findings.Require(
                i == 0 || prices.Changes[i - 1] is not { } before || before.From < change.From,
                "not-rising",
                $"{at}.from",
                "Changes come in the order of their days, one on a day."
            );
            CheckList(change, at, prices, isPast: false, findings);
        }
        foreach (var (earlier, i) in Present(prices.Earlier))
        {
            var at = $"{book}.earlier[{i}]";
            findings.Require(earlier.Until <= today, "in-the-future", $"{at}.until", "What held earlier ended today at the latest.");
            findings.Require(
                i == 0 || prices.Earlier[i - 1] is not { } before || before.Until <= earlier.Until,
                "not-rising",
                $"{at}.until",
                "What held earlier comes in the order of its last days."
            );
            CheckList(earlier, at, prices, isPast: true, findings);
        }
    }

    private static void CheckAgreements(PriceBook prices, string at, Findings findings)
    {
        CheckAgreed(prices.Agreements.Fixed, prices, $"{at}.fixed", findings);
        CheckAgreed(prices.Agreements.Allowances, prices, $"{at}.allowances", findings);
        CheckAgreed(prices.Agreements.Commitments, prices, $"{at}.commitments", findings);
        foreach (var (allowance, i) in Present(prices.Agreements.Allowances).Where(a => a.Item.Tier is not null))
            Refer(allowance.Tier!, prices.Tiers.Any(t => t?.Id == allowance.Tier), "tier", $"{at}.allowances[{i}].tier", findings);
        foreach (var (commitment, i) in Present(prices.Agreements.Commitments))
            findings.Require(
                commitment is not { Amount: 0, Discount: 0 },
                "nothing-agreed",
                $"{at}.commitments[{i}].amount",
                "Write what is paid at least every month, or the discount that is given.",
                $"{at}.commitments[{i}].discount"
            );
        CheckOverlaps(prices.Agreements.Commitments, $"{at}.commitments", findings);
    }

    /// <summary>What is missing to two commitments for the same use would be paid twice.</summary>
    private static void CheckOverlaps(IReadOnlyList<Commitment> commitments, string at, Findings findings)
    {
        var promised = Present(commitments).Where(c => c.Item.Amount > 0).ToList();
        foreach (var (later, i) in promised)
        {
            foreach (var (earlier, j) in promised.Where(p => p.Index < i && Overlap(p.Item, later)))
                findings.Require(
                    false,
                    "promised-twice",
                    $"{at}[{i}].amount",
                    $"'{earlier.Name}' promises an amount for the same use in the same months; a discount alone may come on top.",
                    $"{at}[{j}].amount"
                );
        }

        static bool Overlap(Commitment a, Commitment b) =>
            (a.Region is null || b.Region is null || a.Region == b.Region) && !EndsBefore(a, b) && !EndsBefore(b, a);

        static bool EndsBefore(Commitment a, Commitment b) => a.Through is { } end && b.From is { } begin && begin.Since(end) > 0;
    }

    private static void CheckAgreed<T>(IReadOnlyList<T> agreed, PriceBook prices, string at, Findings findings)
        where T : Agreed
    {
        Unique(agreed, a => a.Id, i => $"{at}[{i}].id", "duplicate-id", findings);
        foreach (var (one, i) in Present(agreed))
        {
            if (one.Region is { } region)
                Refer(region, prices.Regions.Any(r => r?.Id == region), "region", $"{at}[{i}].region", findings);
            findings.Require(
                !(one is { From: { } from, Through: { } through } && through.Since(from) < 0),
                "ends-before-it-begins",
                $"{at}[{i}].through",
                "The last month lies before the first.",
                $"{at}[{i}].from"
            );
        }
    }

    /// <summary>Amounts of a day to come are for what the book prices today; of what it priced once, something may be gone.</summary>
    private static void CheckList(PriceList list, string at, PriceBook prices, bool isPast, Findings findings)
    {
        Unique(list.Regions, r => r.Id, i => $"{at}.regions[{i}].id", "duplicate-id", findings);
        Unique(list.Transfers, t => $"{t.From} to {t.To}", i => $"{at}.transfers[{i}]", "duplicate-id", findings);
        foreach (var (region, i) in Present(list.Regions))
        {
            var known = Present(prices.Regions).Select(r => r.Item).FirstOrDefault(r => r.Id == region.Id);
            Refer(region.Id, isPast || known is not null, "region", $"{at}.regions[{i}].id", findings);
            Unique(region.Prices, p => p.Tier, j => $"{at}.regions[{i}].prices[{j}].tier", "duplicate-id", findings);
            if (region.TransferOut.Count > 0)
                CheckBands(region.TransferOut, $"{at}.regions[{i}].transferOut", findings);
            foreach (var (price, j) in Present(region.Prices))
            {
                findings.Require(
                    isPast || known?.Prices.Any(p => p?.Tier == price.Tier) != false,
                    "not-offered",
                    $"{at}.regions[{i}].prices[{j}].tier",
                    $"'{region.Id}' does not offer '{price.Tier}': add the tier to the region first."
                );
                CheckPrice(price, $"{at}.regions[{i}].prices[{j}]", findings);
            }
        }
        foreach (var (transfer, i) in Present(list.Transfers))
            findings.Require(
                isPast || prices.Transfers.Any(t => t?.From == transfer.From && t.To == transfer.To),
                "unknown-reference",
                $"{at}.transfers[{i}]",
                $"The price book has no transfer from '{transfer.From}' to '{transfer.To}'."
            );
    }

    private static void CheckPrice(TierPrice price, string at, Findings findings)
    {
        CheckBands(price.Storage, $"{at}.storage", findings);
        Unique(price.RecallSpeeds, s => s.Id, k => $"{at}.recallSpeeds[{k}].id", "duplicate-id", findings);
    }

    public static void CheckScheme(Scheme scheme, string at, Findings findings) =>
        findings.Require(
            scheme.Coded is null || scheme.Copies == 1,
            "coded-copies",
            $"{at}.copies",
            "A coded scheme has one copy, cut into fragments; write 1 or remove 'coded'.",
            $"{at}.coded"
        );

    private static void CheckBands(IReadOnlyList<StorageBand> bands, string at, Findings findings)
    {
        findings.Require(bands.Count > 0, "no-band", at, "Write at least one band with a price.");
        for (var i = 0; i < bands.Count; i++)
        {
            if (bands[i] is not { } band)
                continue;
            var last = i == bands.Count - 1;
            if (last)
                findings.Require(
                    band.UpTo is null,
                    "band-limit",
                    $"{at}[{i}].upTo",
                    "The last band has no limit; remove 'upTo' or add a band after it."
                );
            else
                findings.Require(
                    band.UpTo is not null,
                    "band-limit",
                    $"{at}[{i}]",
                    "Only the last band goes without 'upTo'; give this one a limit.",
                    $"{at}[{i}].upTo"
                );
            if (i > 0 && bands[i - 1]?.UpTo is { } below && band.UpTo is { } limit)
            {
                findings.Require(
                    below < limit,
                    "not-rising",
                    $"{at}[{i}].upTo",
                    "'upTo' must rise from band to band.",
                    $"{at}[{i - 1}].upTo"
                );
            }
        }
    }

    [GeneratedRegex("^[A-Z]{3}\\z")]
    private static partial Regex CurrencyShape();
}
