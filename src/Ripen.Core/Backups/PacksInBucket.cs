using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Backups;

/// <summary>Packs in one bucket: how many, what becomes of them, and how they come to be written (null for what was there before
/// today).</summary>
internal readonly record struct PacksHere(PacksCame Came, PackLife Life, Writing? Writing);

internal readonly record struct PacksCame(double Objects, long BytesPerObject, int Created);

/// <summary>All that plans store in a bucket, and the copies of what they store elsewhere that come into it.</summary>
internal static class PacksInBucket
{
    public static IEnumerable<PacksHere> Of(Bucket bucket, IncomingCopies copies, PriceBook prices, DateOnly today)
    {
        foreach (var packs in copies.Planned.Into(bucket.Name))
            yield return Own(packs);
        foreach (var (from, rule, flow) in copies.Into(bucket.Name))
        {
            var landing = prices.Coldness(rule.Tier ?? bucket.Tier);
            if (flow is not null)
            {
                foreach (var came in flow.Dated.Where(c => c.Packs is not null))
                    yield return Copy(came.Packs!, came.Objects, came.Arrived, from, rule, landing);
                continue;
            }
            foreach (var packs in copies.Planned.Into(from.Name).Where(p => p.Created >= 0 && rule.Scope.Takes(p.Prefix, null)))
                yield return Copy(packs, packs.Objects, packs.Created, from, rule, landing);
        }

        PacksHere Own(PlannedPacks packs)
        {
            var landing = prices.Coldness(bucket.Tier);
            var life = new PackLife(packs, packs.Objects, packs.Created, Lifecycle(packs, packs.Created), landing)
            {
                Needed = packs.Branch.Needed(packs.Run),
                KeptUntil = KeptBy(bucket, packs),
            };
            return Here(packs, packs.Objects, life, packs.Created < 0 ? null : new Writing(landing, packs.Created));
        }

        PacksHere Copy(PlannedPacks packs, double objects, int arrived, Bucket from, CopyRule rule, int landing)
        {
            // A copy comes down with its original, and that leaves when its own bucket keeps it no more.
            var kept = KeptBy(from, packs) > KeptBy(bucket, packs) ? KeptBy(from, packs) : KeptBy(bucket, packs);
            var life = new PackLife(packs, objects, arrived, Lifecycle(packs, arrived), landing)
            {
                Needed = rule.FollowDeletions ? packs.Branch.Needed(packs.Run) : null,
                KeptUntil = kept,
            };
            return Here(packs, objects, life, new Writing(landing, arrived));
        }

        static PacksHere Here(PlannedPacks packs, double objects, PackLife life, Writing? writing) =>
            new(new PacksCame(objects, packs.BytesPerObject, packs.Created), life, writing);

        Lifecycle Lifecycle(PlannedPacks packs, int there)
        {
            var lifecycle = Ageing.Lifecycle.Of(bucket, packs.Prefix, packs.BytesPerObject, prices, today);
            // What a keep rule held until a day before they came does not hold them any more.
            return lifecycle.KeptUntil <= Math.Max(there, 0) ? lifecycle with { KeptUntil = 0 } : lifecycle;
        }
    }

    private static DateOnly KeptBy(Bucket bucket, PlannedPacks packs) =>
        bucket.Keep.KeptUntil(packs.Branch.Runs[packs.Run].Day) ?? DateOnly.MinValue;
}
