using System.Collections.Concurrent;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Metering;

/// <summary>The ledger summed up by calendar month. Days that are over are booked for good, until an import begins another ledger: what they add
/// up to is counted once.</summary>
internal sealed class MonthSums(ProviderState state)
{
    private const int MostHeld = 60;

    private readonly ConcurrentDictionary<(long? Import, DateOnly From, DateOnly To), IReadOnlyList<ForecastRow>> over = [];

    /// <summary>All buckets', from <paramref name="from"/> on, before <paramref name="to"/>.</summary>
    public IEnumerable<ForecastRow> Rows(DateOnly from, DateOnly to)
    {
        for (var day = from; day < to; day = Month.Of(day).Plus(1).FirstDay)
        {
            foreach (var row in Of(day, Earlier(to, Month.Of(day).Plus(1).FirstDay)))
                yield return row;
        }
    }

    /// <param name="from">The first day.</param>
    /// <param name="to">The day after the last, which is of the same month.</param>
    private IReadOnlyList<ForecastRow> Of(DateOnly from, DateOnly to)
    {
        var (import, unit, today) = state.Index.Read(db => (Adoption.Import(db), state.TermsIn(db).Prices.Unit, ProviderState.Today(db)));
        if (from > today)
            return [];
        if (over.TryGetValue((import, from, to), out var known))
            return known;
        var rows = state.Booked().Index.Read(db => Ledger.OfMonth(db, unit, from, to));
        if (to > today)
            return rows;
        if (over.Count >= MostHeld)
            over.Clear();
        return over[(import, from, to)] = rows;
    }

    private static DateOnly Earlier(DateOnly a, DateOnly b) => a < b ? a : b;
}
