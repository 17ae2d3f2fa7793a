using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>Another bucket's rule that brings copies into this one.</summary>
public sealed record IncomingCopy(Bucket From, CopyRule Rule);

/// <summary>Objects of one size that share their lives. <see cref="Arrives"/> says whether they are written during the projection.</summary>
internal sealed record Population(Cohorts Cohorts, long BytesPerObject, bool Arrives, IReadOnlyList<Life> Lives)
{
    /// <summary>
    /// Everything that lies or will arrive in <paramref name="bucket"/> within <paramref name="days"/> days: its stock and streams, and the
    /// copies of others' that match their rule's prefix. Copies of copies are not among them: copies do not travel further.
    /// </summary>
    public static IEnumerable<Population> Of(
        Bucket bucket, IReadOnlyList<IncomingCopy> incoming, PriceBook prices, DateOnly today, int days, GrowthTable.Shelf growth)
    {
        var landing = prices.Coldness(bucket.Tier);
        foreach (var lot in bucket.Stock)
        {
            yield return Stock(lot, prices.Coldness(lot.Tier), lot.InTierSince, arrives: false);
        }
        foreach (var stream in bucket.Streams) yield return Stream(stream);
        foreach (var (from, rule) in incoming)
        {
            foreach (var stream in from.Streams)
            {
                if (Prefixes.Covers(rule.Prefix, stream.Prefix)) yield return Stream(stream);
            }
            if (!rule.CatchUp) continue;
            foreach (var lot in from.Stock)
            {
                if (Prefixes.Covers(rule.Prefix, lot.Prefix)) yield return Stock(lot, landing, today, arrives: true);
            }
        }

        Population Stock(Lot lot, int tier, DateOnly inTierSince, bool arrives)
        {
            var created = lot.Created.DayNumber - today.DayNumber;
            var cohorts = Cohorts.Lot(created, lot.Count);
            var lifecycle = Lifecycle.Of(bucket, lot.Prefix, lot.BytesPerObject, prices, today);
            var since = inTierSince.DayNumber - lot.Created.DayNumber;
            return new(cohorts, lot.BytesPerObject, arrives, [.. Life.Of(lifecycle, cohorts, tier, -created, since)]);
        }

        Population Stream(ObjectStream stream)
        {
            var cohorts = Cohorts.Stream(stream.ObjectsPerDay, growth.For(stream.YearlyGrowth), days);
            var lifecycle = Lifecycle.Of(bucket, stream.Prefix, stream.BytesPerObject, prices, today);
            return new(cohorts, stream.BytesPerObject, true, [.. Life.Of(lifecycle, cohorts, landing, 0, 0)]);
        }
    }
}
