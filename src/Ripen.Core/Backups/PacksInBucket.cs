using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Backups;

/// <summary>
/// Packs in one bucket of branches that differ only in what they store: what becomes of those of one becomes of those of all.
/// </summary>
/// <param name="Branches">With the same times, in the same target.</param>
/// <param name="Lives">Of their runs; those that arrive on day 0 or later are written then.</param>
/// <param name="Settled">Takes over from the lives; null where each is told to its end.</param>
internal sealed record PacksHere(IReadOnlyList<Branch> Branches, IReadOnlyList<PackLife> Lives, SettledPacks? Settled)
{
    /// <summary>Whether their lives are the same however much is stored: no line carries them in parts.</summary>
    public bool ByTimesAlone { get; init; } = true;

    public long BytesPerObject => Branches[0].Target.PackBytes;
}

/// <summary>All that plans store in a bucket, and the copies of what they store elsewhere that come into it.</summary>
internal static class PacksInBucket
{
    /// <param name="bucket">Of the estate.</param>
    /// <param name="copies">The estate's.</param>
    /// <param name="prices">Its price book.</param>
    /// <param name="today">Day 0.</param>
    public static IEnumerable<PacksHere> Of(Bucket bucket, IncomingCopies copies, PriceBook prices, DateOnly today)
    {
        foreach (var own in OwnOf(bucket, copies.Planned, prices, today))
            yield return own;
        foreach (var (from, rule, flow) in copies.Into(bucket.Name))
        {
            var landing = prices.Coldness(rule.Tier ?? bucket.Tier);
            if (flow is null)
            {
                foreach (var alike in Alike(copies.Planned.Into(from.Name).Where(b => rule.Scope.Takes(b.PackKind.Prefix, null))))
                {
                    var times = alike[0].Times;
                    var runs = Enumerable.Range(0, times.Count).Where(i => times.Day(i) >= today);
                    yield return Copied(alike, runs.Select(i => (i, times.Day(i).DayNumber - today.DayNumber, 1.0)), rule.FollowDeletions);
                }
                continue;
            }
            // A line carries each one's packs in parts of their own.
            foreach (var carried in flow.Dated.Where(c => c.Packs is not null).GroupBy(c => c.Packs!.Branch))
                yield return Copied([carried.Key], carried.Select(c => (c.Packs!.Run, c.Arrived, c.Objects / c.Packs.Objects)), false) with
                {
                    ByTimesAlone = false,
                };

            PacksHere Copied(IReadOnlyList<Branch> branches, IEnumerable<(int Run, int Arrived, double Part)> came, bool together)
            {
                var (branch, paths) = (branches[0], PathsIn(bucket, branches[0], prices, today));
                // A copy comes down with its original, and that leaves when its own bucket keeps it no more.
                Keeping[] keptBy = [PathsIn(from, branch, prices, today).Lifecycle.Keeping, paths.Lifecycle.Keeping];
                var settled = together && branch.Deduplicates ? new SettledPacks(branch.Times, today) : null;
                var lives = came.Select(c => new PackLife(c.Run, branch.Times.Day(c.Run).DayNumber - today.DayNumber, c.Arrived, landing)
                {
                    Paths = paths,
                    Part = c.Part,
                    Needs = rule.FollowDeletions ? branch.Times.Needs(c.Run, branch.Deduplicates) : null,
                    KeptBy = keptBy,
                    Settled = settled,
                });
                return new PacksHere(branches, [.. lives], settled);
            }
        }
    }

    /// <summary>What plans store in the bucket that their targets name.</summary>
    public static IEnumerable<PacksHere> OwnOf(Bucket bucket, PlannedRuns planned, PriceBook prices, DateOnly today) =>
        Alike(planned.Into(bucket.Name)).Select(alike => Own(bucket, alike, prices, today));

    private static PacksHere Own(Bucket bucket, IReadOnlyList<Branch> branches, PriceBook prices, DateOnly today)
    {
        var branch = branches[0];
        var (paths, times) = (PathsIn(bucket, branch, prices, today), branch.Times);
        // What nothing thins tells its few stays by itself.
        var settled = branch.Deduplicates ? new SettledPacks(times, today) : null;
        var landing = prices.Coldness(bucket.Tier);
        Keeping[] keptBy = [paths.Lifecycle.Keeping];
        var lives = new PackLife[times.Count];
        for (var i = 0; i < lives.Length; i++)
        {
            var created = times.Day(i).DayNumber - today.DayNumber;
            lives[i] = new PackLife(i, created, created, landing)
            {
                Paths = paths,
                Needs = times.Needs(i, branch.Deduplicates),
                KeptBy = keptBy,
                Settled = settled,
            };
        }
        return new PacksHere(branches, lives, settled);
    }

    private static IEnumerable<IReadOnlyList<Branch>> Alike(IEnumerable<Branch> branches) =>
        branches.GroupBy(b => (b.Times, b.Target.Id, b.Deduplicates, b.PackKind.Prefix)).Select(g => (IReadOnlyList<Branch>)[.. g]);

    private static PackPaths PathsIn(Bucket bucket, Branch branch, PriceBook prices, DateOnly today) =>
        new(Lifecycle.Of(bucket, branch.PackKind, prices, today).Unbundled());
}
