using Ripen.Core.Estates;

namespace Ripen.Core.Pricing;

/// <summary>One amount of a price book: a line of a table.</summary>
/// <param name="From">The first day on which it holds; null for now.</param>
/// <param name="Region">Where, or whence; empty for an agreement that is for all of them.</param>
/// <param name="To">The region that a transfer leads to; null for everything else.</param>
/// <param name="Tier">Null for what leaves a region.</param>
/// <param name="Charge">One of <see cref="PriceRows.Charges"/>.</param>
/// <param name="Speed">The id of a recall speed; null for the ordinary one.</param>
/// <param name="UpTo">Where its band ends, in units; null for the last.</param>
/// <param name="Amount">Money: per unit and month (storage), per unit (recall, transfers), a month (fixed, commitment), for one (device), per
/// 1,000 (all else); units a month of an allowance; the share of a discount.</param>
/// <param name="Agreement">The id of the agreement or class of devices; null for prices of what is used.</param>
public sealed record PriceRow(
    DateOnly? From,
    string Region,
    string? To,
    string? Tier,
    string Charge,
    string? Speed,
    double? UpTo,
    double Amount,
    string? Agreement = null
);

/// <summary>A price book's amounts as a table, and amounts of a table in a price book.</summary>
public static class PriceRows
{
    public static IReadOnlyList<string> Charges { get; } =
    ["storage", "writes", "reads", "moves-in", "recall-requests", "recall", "watching", "transfer", "transfer-out", .. AgreedCharges];

    private static string[] AgreedCharges => ["fixed", "allowance", "commitment", "discount", "device"];

    /// <summary>Amounts that hold now, those of days to come, and what is agreed beside them.</summary>
    public static IEnumerable<PriceRow> Of(PriceBook prices) =>
        Of(
                null,
                prices.Regions.Select(r => new RegionPrices
                {
                    Id = r.Id,
                    Prices = r.Prices,
                    TransferOut = r.TransferOut,
                }),
                prices.Transfers.Select(t => (t.From, t.To, t.Price))
            )
            .Concat(prices.Changes.SelectMany(c => Of(c.From, c.Regions, c.Transfers.Select(t => (t.From, t.To, t.Price)))))
            .Concat(OfAgreements(prices));

    private static IEnumerable<PriceRow> OfAgreements(PriceBook prices)
    {
        foreach (var amount in prices.Agreements.Fixed)
            yield return Row("fixed", amount, amount.Amount);
        foreach (var allowance in prices.Agreements.Allowances)
            yield return Row("allowance", allowance, allowance.Quantity, allowance.Tier);
        foreach (var commitment in prices.Agreements.Commitments)
        {
            yield return Row("commitment", commitment, commitment.Amount);
            yield return Row("discount", commitment, commitment.Discount);
        }
        foreach (var region in prices.Regions)
        {
            foreach (var devices in region.Devices.Where(d => d.LifeMonths > 0))
                yield return new(null, region.Id, null, null, "device", null, null, devices.Price, devices.Id);
        }

        static PriceRow Row(string charge, Agreed agreed, double amount, string? tier = null) =>
            new(null, agreed.Region ?? "", null, tier, charge, null, null, amount, agreed.Id);
    }

    private static IEnumerable<PriceRow> Of(
        DateOnly? from,
        IEnumerable<RegionPrices> regions,
        IEnumerable<(string From, string To, UnitPrice Price)> transfers
    )
    {
        foreach (var region in regions)
        {
            foreach (var p in region.Prices)
            {
                foreach (var band in p.Storage)
                    yield return Row("storage", band.Price.PerUnit, upTo: band.UpTo);
                yield return Row("writes", p.Writes.PerThousand);
                yield return Row("reads", p.Reads.PerThousand);
                yield return Row("moves-in", p.MovesIn.PerThousand);
                yield return Row("recall-requests", p.RecallRequests.PerThousand);
                yield return Row("recall", p.Recall.PerUnit);
                yield return Row("watching", p.Watching.PerThousand);
                foreach (var speed in p.RecallSpeeds)
                {
                    yield return Row("recall-requests", speed.RecallRequests.PerThousand, speed.Id);
                    yield return Row("recall", speed.Recall.PerUnit, speed.Id);
                }

                PriceRow Row(string charge, double amount, string? speed = null, double? upTo = null) =>
                    new(from, region.Id, null, p.Tier, charge, speed, upTo, amount);
            }
            foreach (var band in region.TransferOut)
                yield return new(from, region.Id, null, null, "transfer-out", null, band.UpTo, band.Price.PerUnit);
        }
        foreach (var (whence, to, price) in transfers)
            yield return new(from, whence, to, null, "transfer", null, null, price.PerUnit);
    }

    /// <summary>The price book with the amounts of a table in the place of its own: those without a day now, others from their day on. What
    /// the table does not name stays; bands are named all or none.</summary>
    /// <param name="prices">Valid.</param>
    /// <param name="rows">As they come.</param>
    /// <returns>The book, not checked as a whole; or what is wrong with which row.</returns>
    public static Checked<PriceBook> Apply(PriceBook prices, IReadOnlyList<PriceRow> rows)
    {
        var findings = new Findings();
        for (var i = 0; i < rows.Count; i++)
            Check(rows[i], $"$[{i}]", prices, findings);
        if (findings.Problems.Count > 0)
            return new(findings.Problems);
        var now = rows.Where(r => r.From is null && !AgreedCharges.Contains(r.Charge)).ToList();
        var book = now.Count > 0 ? prices.With(ListOf(new PriceChange { From = default }, now, prices)) : prices;
        foreach (var row in rows.Where(r => AgreedCharges.Contains(r.Charge)))
            book = WithAgreed(book, row);
        foreach (var day in rows.Where(r => r.From is not null).GroupBy(r => r.From!.Value).OrderBy(g => g.Key))
        {
            var known = book.Changes.FirstOrDefault(c => c.From == day.Key);
            var change = ListOf(known ?? new PriceChange { From = day.Key }, [.. day], book.AmountsOn(day.Key));
            book = book with { Changes = [.. book.Changes.Where(c => c.From != day.Key).Append(change).OrderBy(c => c.From)] };
        }
        return new(book);
    }

    private static PriceBook WithAgreed(PriceBook prices, PriceRow row)
    {
        var agreed = prices.Agreements;
        return row.Charge switch
        {
            "fixed" => prices with { Agreements = agreed with { Fixed = Put(agreed.Fixed, f => f with { Amount = row.Amount }) } },
            "allowance" => prices with
            {
                Agreements = agreed with { Allowances = Put(agreed.Allowances, a => a with { Quantity = row.Amount }) },
            },
            "commitment" => prices with
            {
                Agreements = agreed with { Commitments = Put(agreed.Commitments, c => c with { Amount = row.Amount }) },
            },
            "discount" => prices with
            {
                Agreements = agreed with { Commitments = Put(agreed.Commitments, c => c with { Discount = row.Amount }) },
            },
            _ => prices with
            {
                Regions =
                [
                    .. prices.Regions.Select(r =>
                        r.Id == row.Region
                            ? r with
                            {
                                Devices = [.. r.Devices.Select(d => d.Id == row.Agreement ? d with { Price = row.Amount } : d)],
                            }
                            : r
                    ),
                ],
            },
        };

        List<T> Put<T>(IReadOnlyList<T> all, Func<T, T> change)
            where T : Agreed => [.. all.Select(a => a.Id == row.Agreement ? change(a) : a)];
    }

    private static PriceChange ListOf(PriceChange known, List<PriceRow> rows, PriceBook amounts)
    {
        var regions = known.Regions.ToDictionary(r => r.Id);
        foreach (var own in rows.Where(r => r.To is null).GroupBy(r => r.Region))
        {
            var region = regions.GetValueOrDefault(own.Key) ?? new RegionPrices { Id = own.Key };
            var tiers = own.Where(r => r.Tier is not null)
                .GroupBy(r => r.Tier!)
                .Select(t => t.Aggregate(WithoutBands(t, amounts.FindRegion(own.Key)!.PriceOf(t.Key)!), With))
                .ToList();
            var bands = own.Where(r => r.Charge == "transfer-out").Select(Band).ToList();
            regions[own.Key] = region with
            {
                Prices = [.. region.Prices.Where(p => tiers.All(t => t.Tier != p.Tier)), .. tiers],
                TransferOut = bands.Count > 0 ? bands : region.TransferOut,
            };
        }
        var carried = rows.Where(r => r.To is not null)
            .Select(r => new TransferPrice
            {
                From = r.Region,
                To = r.To!,
                Price = new(r.Amount),
            })
            .ToList();
        return known with
        {
            Regions = [.. regions.Values],
            Transfers = [.. known.Transfers.Where(t => carried.All(c => (c.From, c.To) != (t.From, t.To))), .. carried],
        };
    }

    private static TierPrice WithoutBands(IEnumerable<PriceRow> rows, TierPrice price) =>
        rows.Any(r => r.Charge == "storage") ? price with { Storage = [] } : price;

    private static TierPrice With(TierPrice price, PriceRow row) =>
        row.Charge switch
        {
            "storage" => price with { Storage = [.. price.Storage, Band(row)] },
            "writes" => price with { Writes = new(row.Amount) },
            "reads" => price with { Reads = new(row.Amount) },
            "moves-in" => price with { MovesIn = new(row.Amount) },
            "watching" => price with { Watching = new(row.Amount) },
            "recall-requests" when row.Speed is null => price with { RecallRequests = new(row.Amount) },
            "recall" when row.Speed is null => price with { Recall = new(row.Amount) },
            _ => price with
            {
                RecallSpeeds =
                [
                    .. price.RecallSpeeds.Select(s =>
                        s.Id != row.Speed ? s
                        : row.Charge == "recall" ? s with { Recall = new(row.Amount) }
                        : s with { RecallRequests = new(row.Amount) }
                    ),
                ],
            },
        };

    private static StorageBand Band(PriceRow row) => new() { UpTo = row.UpTo, Price = new(row.Amount) };

    private static void Check(PriceRow row, string at, PriceBook prices, Findings findings)
    {
        var region = prices.FindRegion(row.Region);
        findings.Require(
            Charges.Contains(row.Charge),
            "unknown-charge",
            $"{at}.charge",
            $"'{row.Charge}' is no charge; write one of {string.Join(", ", Charges)}."
        );
        findings.Require(row.Amount is >= 0 and <= Limits.Whole, "out-of-range", $"{at}.amount", "An amount is 0 or more.");
        if (AgreedCharges.Contains(row.Charge))
        {
            findings.Require(
                IsKnown(row, prices),
                "unknown-reference",
                $"{at}.agreement",
                $"The price book has no {row.Charge} '{row.Agreement}'{(row.Charge == "device" ? $" in '{row.Region}'" : "")}."
            );
            findings.Require(
                row.From is null,
                "unknown-reference",
                $"{at}.from",
                "What is agreed holds for its own months; leave the day out."
            );
            return;
        }
        findings.Require(region is not null, "unknown-reference", $"{at}.region", $"There is no region '{row.Region}'.");
        if (row.Charge == "transfer")
            findings.Require(
                prices.FindTransfer(row.Region, row.To ?? "") is not null,
                "unknown-reference",
                $"{at}.to",
                $"The price book has no transfer from '{row.Region}' to '{row.To}'."
            );
        else if (row.Charge != "transfer-out" && region is not null)
            findings.Require(
                region.PriceOf(row.Tier ?? "") is { } price && (row.Speed is null || price.RecallSpeeds.Any(s => s.Id == row.Speed)),
                "unknown-reference",
                row.Speed is null ? $"{at}.tier" : $"{at}.speed",
                $"'{row.Region}' does not offer '{row.Tier}'{(row.Speed is null ? "" : $" at the speed '{row.Speed}'")}."
            );
    }

    private static bool IsKnown(PriceRow row, PriceBook prices) =>
        row.Charge switch
        {
            "fixed" => prices.Agreements.Fixed.Any(f => f.Id == row.Agreement),
            "allowance" => prices.Agreements.Allowances.Any(a => a.Id == row.Agreement),
            "device" => prices.FindRegion(row.Region)?.Devices.Any(d => d.Id == row.Agreement && d.LifeMonths > 0) ?? false,
            _ => prices.Agreements.Commitments.Any(c => c.Id == row.Agreement),
        };
}
