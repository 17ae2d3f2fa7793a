using System.Text.RegularExpressions;
using Ripen.Core.Pricing;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Estates;

/// <summary>What must hold between the parts of a price book: unique ids, references that lead somewhere, bands that rise.</summary>
internal static partial class PriceBookChecks
{
    public static void Check(PriceBook prices, Findings findings)
    {
        const string book = "$.priceBook";
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
            if (region.TransferOut.Count > 0)
                CheckBands(region.TransferOut, $"{book}.regions[{i}].transferOut", findings);
            Unique(region.Prices, p => p.Tier, j => $"{at}[{j}].tier", "duplicate-id", findings);
            foreach (var (price, j) in Present(region.Prices))
            {
                Refer(price.Tier, prices.Tiers.Any(t => t?.Id == price.Tier), "tier", $"{at}[{j}].tier", findings);
                CheckBands(price.Storage, $"{at}[{j}].storage", findings);
                Unique(price.RecallSpeeds, s => s.Id, k => $"{at}[{j}].recallSpeeds[{k}].id", "duplicate-id", findings);
            }
        }
        foreach (var (transfer, i) in Present(prices.Transfers))
        {
            Refer(transfer.From, prices.Regions.Any(r => r?.Id == transfer.From), "region", $"{book}.transfers[{i}].from", findings);
            Refer(transfer.To, prices.Regions.Any(r => r?.Id == transfer.To), "region", $"{book}.transfers[{i}].to", findings);
        }
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
