using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider;

namespace Ripen.Server.Forecasts;

/// <summary>What was charged in a month, opened: by bucket, then by charge and tier, then by price and day.</summary>
internal static class ChargedReading
{
    /// <returns>Null where nothing was charged for it.</returns>
    public static DerivationReading? Of(Month first, Month last, MonthPart part, Estate estate, SimulatedProvider provider)
    {
        if (first == last)
            return Of(first, part, estate, provider);
        var rows = part.Of(provider.LedgerMonths(first.FirstDay, last.Plus(1).FirstDay), estate).ToLookup(r => r.Month);
        return rows.Count == 0
            ? null
            : DerivationEndpoint.OfMonths(
                first,
                [.. Enumerable.Range(0, last.Since(first) + 1).Select(m => rows[first.Plus(m)].Sum(r => r.Amount))]
            ) with
            {
                IsCharged = true,
            };
    }

    private static DerivationReading? Of(Month month, MonthPart part, Estate estate, SimulatedProvider provider)
    {
        var (first, end) = (month.FirstDay, month.Plus(1).FirstDay);
        if (part is not { Bucket: { } bucket, Charge: not null } || (part.Tier is null && bucket != Agreements.Key))
        {
            List<DerivationLine> all = [.. part.Lines(part.Of(provider.LedgerMonths(first, end), estate))];
            return all.Count == 0
                ? null
                : new DerivationReading(month, month, all.Sum(l => l.Amount), DerivationEndpoint.Most(all), null, IsCharged: true);
        }
        var name = bucket == Agreements.Key ? "" : bucket;
        var own = part.Has(name, estate) ? provider.Ledger(first, end, name).Where(l => part.Has(l.Region, l.Tier, l.Charge)).ToList() : [];
        if (own.Count == 0)
            return null;
        var row = new ForecastRow(month, bucket, own[0].Region, part.Tier ?? "", own[0].Charge, 0, own[0].Unit, 0);
        var metered = MeteredDerivation.Of(
            row,
            [.. own.GroupBy(l => l.Day).Select(d => new MeteredDay(d.Key, d.Sum(l => l.Quantity), d.Sum(l => l.Amount)))],
            provider.HeldIn(month, row.Charge),
            estate,
            provider.PartsOf(month, bucket, row.Tier, row.Charge)
        );
        return new DerivationReading(month, month, metered.Row.Amount, [], null, IsCharged: true, Metered: metered);
    }
}
