using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;

namespace Ripen.Provider.Tests;

/// <summary>What was charged opens down to prices and days, and they make it.</summary>
public sealed class MeteredDerivationTests
{
    private static readonly Charge[] Explained =
    [
        Charge.EarlyLeave,
        Charge.Moves,
        Charge.Reads,
        Charge.Recall,
        Charge.Storage,
        Charge.Transfer,
        Charge.Watching,
        Charge.Writes,
    ];

    [Fact]
    public void Prices_of_the_days_make_every_amount_of_random_estates()
    {
        var (opened, graduated, changed, parted) = (0, 0, 0, 0);
        RandomEstates.Check(
            25,
            estate =>
            {
                using var provider = new TestProvider(estate);
                provider.PassDays(50);
                // Today's charges are booked while it passes, its storage when it closes.
                foreach (var (row, days) in Charged(provider, estate.Today, provider.Inside.Clock.Today))
                {
                    var told = MeteredDerivation.Of(
                        row,
                        days,
                        provider.Inside.HeldIn(row.Month, row.Charge),
                        provider.Inside.InForce!,
                        provider.Inside.PartsOf(row.Month, row.Bucket, row.Tier, row.Charge)
                    );
                    parted += told.Terms.Count > 1 && row.Charge is Charge.Recall or Charge.Transfer ? 1 : 0;
                    opened++;
                    graduated += told.Terms.Count(t => t.Bands.Count > 1);
                    changed += told.Terms.Count > 1 ? 1 : 0;
                    if (!Compare.Close(told.Row.Amount, told.Terms.Sum(t => t.Amount) + told.Rest))
                        return $"{told.Row}: {told.Terms.Sum(t => t.Amount)} and {told.Rest}";
                    if (Explained.Contains(row.Charge) && !Compare.Close(told.Rest, 0))
                        return $"{told.Row}: prices leave {told.Rest}";
                    foreach (var term in told.Terms)
                    {
                        if (!Compare.Close(term.Quantity / term.Per * term.Price * term.Factor, term.Amount))
                            return $"{told.Row}: {term}";
                        if (
                            term.Bands.Count > 0
                            && !Compare.Close(term.Bands.Sum(b => b.Amount), term.Price * term.Bands.Sum(b => b.Units))
                        )
                            return $"{told.Row}: the bands of {term}";
                    }
                }
                return null;
            }
        );
        Assert.True(
            opened > 100 && graduated > 10 && changed > 10 && parted > 10,
            $"{opened} opened, {graduated} by bands, {changed} over changes of price, {parted} with several prices"
        );
    }

    private static IEnumerable<(ForecastRow Row, IReadOnlyList<MeteredDay> Days)> Charged(
        TestProvider provider,
        DateOnly from,
        DateOnly to
    ) =>
        provider
            .Inside.Ledger(from, to, null)
            .Where(l => l.Bucket.Length > 0)
            .GroupBy(l => new ForecastRow(Month.Of(l.Day), l.Bucket, l.Region, l.Tier, l.Charge, 0, l.Unit, 0))
            .Select(g => (g.Key, (IReadOnlyList<MeteredDay>)[.. g.Select(l => new MeteredDay(l.Day, l.Quantity, l.Amount))]));
}
