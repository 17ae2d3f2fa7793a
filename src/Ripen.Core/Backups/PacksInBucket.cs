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
        var lifecycles = new Dictionary<(string Bucket, string Target), Lifecycle>();
        var own = new Dictionary<Branch, SettledPacks>();
        foreach (var packs in copies.Planned.Into(bucket.Name))
            yield return Here(
                packs,
                packs.Objects,
                Own(bucket, packs, prices, LifecycleIn(bucket, packs), Pile(own, packs.Branch)),
                packs.Created < 0 ? null : new Writing(prices.Coldness(bucket.Tier), packs.Created)
            );
        foreach (var (from, rule, flow) in copies.Into(bucket.Name))
        {
            var landing = prices.Coldness(rule.Tier ?? bucket.Tier);
            if (flow is not null)
            {
                foreach (var came in flow.Dated.Where(c => c.Packs is not null))
                    yield return Copy(came.Packs!, came.Objects, came.Arrived, from, rule, landing, null);
                continue;
            }
            var copied = new Dictionary<Branch, SettledPacks>();
            foreach (var packs in copies.Planned.Into(from.Name).Where(p => p.Created >= 0 && rule.Scope.Takes(p.Prefix, null)))
                yield return Copy(
                    packs,
                    packs.Objects,
                    packs.Created,
                    from,
                    rule,
                    landing,
                    rule.FollowDeletions ? Pile(copied, packs.Branch) : null
                );
        }

        // What nothing thins tells its few stays by itself.
        SettledPacks? Pile(Dictionary<Branch, SettledPacks> piles, Branch branch)
        {
            if (branch.Deduplicates && !piles.ContainsKey(branch))
                piles[branch] = new SettledPacks(branch, today);
            return piles.GetValueOrDefault(branch);
        }

        Lifecycle LifecycleIn(Bucket of, PlannedPacks packs)
        {
            var place = (of.Name, packs.Branch.Target.Id);
            if (!lifecycles.TryGetValue(place, out var lifecycle))
                lifecycles[place] = lifecycle = LifecycleOf(of, packs, prices, today);
            return lifecycle;
        }

        PacksHere Copy(PlannedPacks packs, double objects, int arrived, Bucket from, CopyRule rule, int landing, SettledPacks? pile)
        {
            var lifecycle = LifecycleIn(bucket, packs);
            var life = new PackLife(packs, objects, arrived, lifecycle, landing)
            {
                Needed = rule.FollowDeletions ? packs.Branch.Needed(packs.Run) : null,
                // A copy comes down with its original, and that leaves when its own bucket keeps it no more.
                KeptBy = [LifecycleIn(from, packs).Keeping, lifecycle.Keeping],
                Settled = pile,
            };
            return Here(packs, objects, life, new Writing(landing, arrived));
        }

        static PacksHere Here(PlannedPacks packs, double objects, PackLife life, Writing? writing) =>
            new(new PacksCame(objects, packs.BytesPerObject, packs.Created), life, writing);
    }

    /// <summary>The life of what a run stored in its target's bucket.</summary>
    public static PackLife Own(Bucket bucket, PlannedPacks packs, PriceBook prices, DateOnly today) =>
        Own(bucket, packs, prices, LifecycleOf(bucket, packs, prices, today), null);

    private static PackLife Own(Bucket bucket, PlannedPacks packs, PriceBook prices, Lifecycle lifecycle, SettledPacks? pile) =>
        new(packs, packs.Objects, packs.Created, lifecycle, prices.Coldness(bucket.Tier))
        {
            Needed = packs.Branch.Needed(packs.Run),
            KeptBy = [lifecycle.Keeping],
            Settled = pile,
        };

    private static Lifecycle LifecycleOf(Bucket bucket, PlannedPacks packs, PriceBook prices, DateOnly today) =>
        Lifecycle.Of(bucket, packs.Kind, prices, today).Unbundled();
}
