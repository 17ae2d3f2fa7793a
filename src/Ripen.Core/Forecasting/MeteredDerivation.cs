using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What was charged on a day.</summary>
public sealed record MeteredDay(DateOnly Day, double Quantity, double Amount);

/// <summary>How an amount that was charged in a month comes about.</summary>
/// <param name="Row">The amount, with its quantity.</param>
/// <param name="Terms">What the price book of those days makes of the quantities.</param>
/// <param name="Rest">Money that no price of it explains: requests of recalls and their other speeds, ways of transfers, what a bucket had
/// under another scheme.</param>
/// <param name="Days">Add up to the row.</param>
public sealed record MeteredDerivation(ForecastRow Row, IReadOnlyList<DerivationTerm> Terms, double Rest, IReadOnlyList<MeteredDay> Days)
{
    /// <param name="row">Without quantity and amount: they are those of the days.</param>
    /// <param name="days">In their order.</param>
    /// <param name="storage">What all buckets stored in the month, by the prices that held.</param>
    /// <param name="estate">Knows schemes.</param>
    public static MeteredDerivation Of(ForecastRow row, IReadOnlyList<MeteredDay> days, IReadOnlyList<StorageSoFar> storage, Estate estate)
    {
        row = row with { Quantity = days.Sum(d => d.Quantity), Amount = days.Sum(d => d.Amount) };
        List<DerivationTerm> terms =
        [
            .. storage.SelectMany((part, i) => Term(row, part, End(i), days, storage, estate)).Where(t => t.Quantity != 0),
        ];
        return new MeteredDerivation(row, terms, row.Amount - terms.Sum(t => t.Amount), days);

        DateOnly End(int part) => (part + 1 < storage.Count ? storage[part + 1].From : row.Month.Plus(1).FirstDay).AddDays(-1);
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
            Charge.Recall => Told("recalled", price.Recall.PerUnit, 1),
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
