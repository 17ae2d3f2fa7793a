using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What was charged on a day.</summary>
public sealed record MeteredDay(DateOnly Day, double Quantity, double Amount);

/// <summary>What a part of a charge has a price of its own for.</summary>
public enum ChargePart
{
    /// <summary>Bytes of a recall, at a speed.</summary>
    Bytes,

    /// <summary>Requests of a recall, at a speed.</summary>
    Requests,

    /// <summary>Carried to a region.</summary>
    To,

    /// <summary>Carried from a region.</summary>
    From,
}

/// <summary>A part of what was charged on a day, as it was told apart then.</summary>
/// <param name="Which">The id of the speed, empty for the ordinary one; or of the region.</param>
public sealed record MeteredPart(DateOnly Day, ChargePart What, string Which, double Quantity, double Amount);

/// <summary>How an amount that was charged in a month comes about.</summary>
/// <param name="Row">The amount, with its quantity.</param>
/// <param name="Terms">What the price book of those days makes of the quantities.</param>
/// <param name="Rest">Money that no price of it explains: what a bucket had under another scheme, or what was booked before parts were told
/// apart.</param>
/// <param name="Days">Add up to the row.</param>
public sealed record MeteredDerivation(ForecastRow Row, IReadOnlyList<DerivationTerm> Terms, double Rest, IReadOnlyList<MeteredDay> Days)
{
    /// <param name="row">Without quantity and amount: they are those of the days.</param>
    /// <param name="days">In their order.</param>
    /// <param name="storage">What all buckets stored in the month, by the prices that held.</param>
    /// <param name="estate">Knows schemes.</param>
    /// <param name="parts">Of recalls and transfers.</param>
    public static MeteredDerivation Of(
        ForecastRow row,
        IReadOnlyList<MeteredDay> days,
        IReadOnlyList<StorageSoFar> storage,
        Estate estate,
        IReadOnlyList<MeteredPart> parts
    )
    {
        row = row with { Quantity = days.Sum(d => d.Quantity), Amount = days.Sum(d => d.Amount) };
        List<DerivationTerm> terms =
        [
            .. storage
                .SelectMany(
                    (part, i) =>
                        row.Charge is Charge.Recall or Charge.Transfer
                            ? PartTerms(row, part, End(i), parts)
                            : Term(row, part, End(i), days, storage, estate)
                )
                .Where(t => t.Quantity != 0),
        ];
        return new MeteredDerivation(row, terms, row.Amount - terms.Sum(t => t.Amount), days);

        DateOnly End(int part) => (part + 1 < storage.Count ? storage[part + 1].From : row.Month.Plus(1).FirstDay).AddDays(-1);
    }

    /// <summary>Of recalls and transfers, which have several prices at a time.</summary>
    private static IEnumerable<DerivationTerm> PartTerms(ForecastRow row, StorageSoFar held, DateOnly end, IReadOnlyList<MeteredPart> parts)
    {
        var price = held.Prices.FindRegion(row.Region)?.PriceOf(row.Tier);
        foreach (var some in parts.Where(p => p.Day >= held.From && p.Day <= end).GroupBy(p => (p.What, p.Which)))
        {
            var speed = price?.RecallSpeeds.FirstOrDefault(s => s.Id == some.Key.Which);
            var at = speed is null ? "" : $" as {speed.Name}";
            var quantity = some.Sum(p => p.Quantity);
            yield return some.Key.What switch
            {
                ChargePart.Bytes => Told($"recalled{at}", row.Unit, (speed?.Recall ?? price?.Recall ?? default).PerUnit, 1),
                ChargePart.Requests => Told(
                    $"of recalls{at}",
                    "request",
                    (speed?.RecallRequests ?? price?.RecallRequests ?? default).PerThousand,
                    1000
                ),
                ChargePart.To => Told(
                    $"to {held.Prices.RegionName(some.Key.Which)}",
                    row.Unit,
                    held.Prices.TransferPrice(row.Region, some.Key.Which).PerUnit,
                    1
                ),
                _ => Told(
                    $"from {held.Prices.RegionName(some.Key.Which)}",
                    row.Unit,
                    held.Prices.TransferPrice(some.Key.Which, row.Region).PerUnit,
                    1
                ),
            };

            DerivationTerm Told(string what, string unit, double each, int per) =>
                new(held.From, end, what, quantity, unit, each, per, 1, quantity / per * each, []);
        }
    }

    private static IEnumerable<DerivationTerm> Term(
        ForecastRow row,
        StorageSoFar part,
        DateOnly end,
        IReadOnlyList<MeteredDay> days,
        IReadOnlyList<StorageSoFar> storage,
        Estate estate
    )
    {
        if (part.Prices.FindRegion(row.Region)?.PriceOf(row.Tier) is not { } price)
            yield break;
        var quantity = days.Where(d => d.Day >= part.From && d.Day <= end).Sum(d => d.Quantity);
        if (row.Charge == Charge.Storage)
        {
            var all = storage.SelectMany(s => s.Lines).Where(l => l.Region == row.Region && l.Tier == row.Tier).Sum(l => l.Quantity);
            var own = part.Lines.Where(l => l.Bucket == row.Bucket && l.Region == row.Region && l.Tier == row.Tier).ToList();
            var bands = DerivationTerms.Bands(price.Storage, all).ToList();
            var unitPrice = all > 0 ? price.StorageCost(all) / all : 0;
            yield return Told("stored", unitPrice, 1, quantity > 0 ? own.Sum(l => l.Weighted) / quantity : 1) with
            {
                Bands = bands,
            };
            yield break;
        }
        var factor = estate.Find(row.Bucket) is { } bucket ? part.Prices.FindScheme(bucket.Scheme)?.StorageFactor ?? 1 : 1;
        var term = row.Charge switch
        {
            Charge.EarlyLeave => Told("left before its stay was over", price.Storage[0].Price.PerUnit, 1, factor),
            Charge.Moves => Told("moved in", price.MovesIn.PerThousand, 1000),
            Charge.Reads => Told("read", price.Reads.PerThousand, 1000),
            Charge.Watching => Told("watched for reading", price.Watching.PerThousand, 1000),
            Charge.Writes => Told("written", price.Writes.PerThousand, 1000),
            _ => null,
        };
        if (term is not null)
            yield return term;

        DerivationTerm Told(string what, double each, int per, double times = 1) =>
            new(part.From, end, what, quantity, row.Unit, each, per, times, quantity / per * each * times, []);
    }
}
