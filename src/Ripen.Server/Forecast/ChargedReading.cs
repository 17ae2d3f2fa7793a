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
    public static DerivationReading? Of(
        Month month,
        string? bucket,
        string? tier,
        string? charge,
        Estate estate,
        SimulatedProvider provider
    )
    {
        var (first, end) = (month.FirstDay, month.Plus(1).FirstDay);
        if (bucket is null)
            return Sum(
                provider
                    .LedgerMonths(first, end)
                    .GroupBy(r => r.Bucket)
                    .Select(g => new DerivationLine(Agreements.KeyOf(g.Key), null, null, g.Sum(r => r.Amount)))
            );
        var lines = provider.Ledger(first, end, bucket == Agreements.Key ? "" : bucket);
        if (charge is null)
            return Sum(
                lines
                    // What is agreed opens by charge: it has a tier only where something is taken off there.
                    .GroupBy(l => (Tier: bucket == Agreements.Key ? null : l.Tier, l.Charge))
                    .Select(g => new DerivationLine(bucket, g.Key.Tier, g.Key.Charge, g.Sum(l => l.Amount)))
            );
        var own = lines.Where(l => l.Charge.Name() == charge && (tier is null || l.Tier == tier)).ToList();
        if (own.Count == 0)
            return null;
        var row = new ForecastRow(month, bucket, own[0].Region, tier ?? "", own[0].Charge, 0, own[0].Unit, 0);
        var metered = MeteredDerivation.Of(
            row,
            [.. own.GroupBy(l => l.Day).Select(d => new MeteredDay(d.Key, d.Sum(l => l.Quantity), d.Sum(l => l.Amount)))],
            provider.HeldIn(month, row.Charge),
            estate,
            provider.PartsOf(month, bucket, row.Tier, row.Charge)
        );
        return new DerivationReading(month, metered.Row.Amount, [], null, IsCharged: true, Metered: metered);

        DerivationReading? Sum(IEnumerable<DerivationLine> made)
        {
            List<DerivationLine> all = [.. made.Where(l => l.Amount != 0).OrderByDescending(l => l.Amount)];
            return all.Count == 0
                ? null
                : new DerivationReading(month, all.Sum(l => l.Amount), DerivationEndpoint.Most(all), null, IsCharged: true);
        }
    }
}
