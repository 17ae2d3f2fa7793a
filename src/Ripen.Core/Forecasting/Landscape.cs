using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Replication;

namespace Ripen.Core.Forecasting;

/// <summary>Bytes of one tier by day and age.</summary>
/// <param name="Tier">Its id.</param>
/// <param name="Bytes">For each of the landscape's days, for each of <see cref="AgeBins.Starts"/>; as objects are, not as billed.</param>
public sealed record TierLandscape(string Tier, IReadOnlyList<IReadOnlyList<double>> Bytes);

/// <summary>How data ripens: what lies where at which age, on mornings from today to the end of a horizon.</summary>
/// <param name="Days">Today, and days in equal steps of months after it.</param>
/// <param name="Tiers">From warm to cold; those in which nothing ever lies are left out.</param>
public sealed record Landscape(IReadOnlyList<DateOnly> Days, IReadOnlyList<TierLandscape> Tiers)
{
    /// <summary>More columns nobody sees apart.</summary>
    public const int MostDays = 61;

    /// <param name="estate">Valid.</param>
    /// <param name="copies">Of the estate, over at least as many months.</param>
    /// <param name="months">From 1 to <see cref="BillingCalendar.MostMonths"/>.</param>
    /// <param name="only">A bucket; null for all.</param>
    public static Landscape Of(Estate estate, IncomingCopies copies, int months, string? only = null)
    {
        var step = (months + MostDays - 2) / (MostDays - 1);
        List<DateOnly> days = [.. Enumerable.Range(0, (months / step) + 1).Select(i => estate.Today.AddMonths(i * step))];
        var tiers = estate.PriceBook.Tiers.Select(t => t.Id).ToList();
        var buckets = estate.Buckets.Where(b => only is null || b.Name == only).ToList();
        var columns = days.ConvertAll(_ => tiers.ConvertAll(_ => new double[AgeBins.Starts.Count]));
        foreach (var there in buckets.AsParallel().AsOrdered().Select(b => Snapshot.Of(b, estate, days, copies).ToList()))
        {
            foreach (var (bytes, snapshot) in columns.Zip(there))
            {
                foreach (var tier in snapshot.Tiers)
                {
                    var into = bytes[tiers.IndexOf(tier.Tier)];
                    for (var bin = 0; bin < into.Length; bin++)
                        into[bin] += tier.BytesByAge[bin];
                }
            }
        }
        return new(
            days,
            [
                .. tiers
                    .Select((id, t) => new TierLandscape(id, [.. columns.Select(c => (IReadOnlyList<double>)c[t])]))
                    .Where(t => t.Bytes.Any(day => day.Any(b => b > 0))),
            ]
        );
    }
}
