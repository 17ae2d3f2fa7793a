using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Ageing;

/// <summary>Objects of one size that share their lives.</summary>
/// <param name="Cohorts">By day of creation.</param>
/// <param name="BytesPerObject">Bytes of each.</param>
/// <param name="Writing">How they come to be written during the projection; null for stock, which is there already.</param>
/// <param name="Lives">What becomes of them.</param>
internal sealed record Population(Cohorts Cohorts, long BytesPerObject, Writing? Writing, IReadOnlyList<Life> Lives)
{
    /// <summary>
    /// Everything that lies or will arrive in <paramref name="bucket"/> within <paramref name="days"/> days: its stock and streams, and the
    /// copies of others' that are in their rule's scope. Copies of copies are not among them: copies do not travel further.
    /// </summary>
    public static IEnumerable<Population> Of(
        Bucket bucket,
        IReadOnlyList<IncomingCopy> incoming,
        PriceBook prices,
        DateOnly today,
        int days,
        GrowthTable.Shelf growth
    )
    {
        foreach (var lot in bucket.Stock)
        {
            var created = lot.Created.DayNumber - today.DayNumber;
            yield return Dated(
                lot.Prefix,
                lot.BytesPerObject,
                created,
                lot.Count,
                prices.Coldness(lot.Tier),
                0,
                lot.InTierSince.DayNumber - lot.Created.DayNumber,
                writing: null
            );
        }
        foreach (var stream in bucket.Streams)
            yield return Stream(stream, 0, days, prices.Coldness(bucket.Tier));
        foreach (var (from, rule, flow) in incoming)
        {
            var landing = prices.Coldness(rule.Tier ?? bucket.Tier);
            if (flow is not null)
            {
                foreach (var run in flow.SameDay)
                    yield return Stream(run.Stream, run.First, run.End, landing);
                // What plans store lives by itself.
                foreach (var copies in flow.Dated.Where(c => c.Packs is null))
                    yield return Arriving(copies, landing);
                continue;
            }
            foreach (var stream in from.Streams.Where(s => rule.Scope.Takes(s.Prefix, s.Tags)))
                yield return Stream(stream, 0, days, landing);
            // Without a limit, what waited and what is caught up arrives today.
            foreach (var lot in rule.Waiting)
                yield return Arriving(
                    new DatedCopies(lot.Prefix, lot.BytesPerObject, lot.Created.DayNumber - today.DayNumber, 0, lot.Count),
                    landing
                );
            if (!rule.CatchUp)
                continue;
            foreach (var lot in from.Stock.Where(l => rule.Scope.Takes(l.Prefix, l.Tags)))
            {
                yield return Arriving(
                    new DatedCopies(lot.Prefix, lot.BytesPerObject, lot.Created.DayNumber - today.DayNumber, 0, lot.Count),
                    landing
                );
            }
        }

        Population Arriving(DatedCopies copies, int landing) =>
            Dated(
                copies.Prefix,
                copies.BytesPerObject,
                copies.Created,
                copies.Objects,
                landing,
                copies.Arrived,
                copies.Arrived - copies.Created,
                new Writing(landing, copies.Arrived)
            );

        // There from the day `there` on, in the tier since the age `since`.
        Population Dated(string prefix, long bytes, int created, double objects, int tier, int there, int since, Writing? writing)
        {
            var cohorts = Cohorts.Lot(created, objects);
            var lifecycle = Lifecycle.Of(bucket, prefix, bytes, prices, today);
            // What a keep rule held until a day before they came does not hold them any more.
            if (lifecycle.KeptUntil <= there)
                lifecycle = lifecycle with { KeptUntil = 0 };
            return new(cohorts, bytes, writing, [.. Life.Of(lifecycle, cohorts, tier, there - created, since)]);
        }

        Population Stream(ObjectStream stream, int first, int end, int landing)
        {
            var cohorts = Cohorts.Stream(stream.ObjectsPerDay, growth.For(stream.YearlyGrowth), days).Between(first, end);
            var lifecycle = Lifecycle.Of(bucket, stream.Prefix, stream.BytesPerObject, prices, today);
            return new(cohorts, stream.BytesPerObject, new Writing(landing, null), [.. Life.Of(lifecycle, cohorts, landing, 0, 0)]);
        }
    }
}

/// <summary>Objects are written in the tier of this coldness, all on one day or, when that is null, each on its day of creation.</summary>
internal readonly record struct Writing(int Tier, int? On);
