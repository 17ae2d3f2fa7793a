using System.Collections.Concurrent;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider;
using Ripen.Provider.Access;
using Ripen.Server.HeldCredentials;

namespace Ripen.Server.Backups;

/// <summary>Where the objects of targets lie: in a bucket of the provider's, or in a directory that the settings allow.</summary>
internal sealed class TargetPlaces(SimulatedProvider provider, CredentialBook credentials, BackupRoots roots)
{
    // One for each, because it counts what it holds.
    private readonly ConcurrentDictionary<(string Folder, long? Capacity), DirectoryObjects> directories = [];

    /// <summary>As the target's access allows: what it does not is refused here, whoever asks.</summary>
    /// <exception cref="RefusalException">It is a directory that the settings do not allow.</exception>
    public IPoolObjects ObjectsOf(BackupTarget target)
    {
        IPoolObjects place =
            target.Bucket is { } bucket ? new BucketObjects(provider.Objects, bucket, target.Prefix)
            : DirectoriesOf(target) is [{ Part: null } one] ? one
            : new SpreadObjects(DirectoriesOf(target));
        if (target.Credential is { } credential)
            place = new CredentialedObjects(place, credentials, credential, target.Bucket!, target.Prefix);
        return target.Access == TargetAccess.ReadWrite ? place : new GuardedObjects(place, target);
    }

    /// <summary>Whether the target's credential may do all that it has to.</summary>
    /// <exception cref="RefusalException">It may not, or there is none of its id; path <c>$.credential</c>.</exception>
    public void DemandCredential(BackupTarget target)
    {
        if (target.Credential is not { } credential)
            return;
        Right[] needed =
            target.Access == TargetAccess.ReadWrite
                ? [Right.List, Right.Read, Right.Write, Right.DeleteVersions]
                : [Right.List, Right.Read];
        foreach (var right in needed)
            credentials.Demand(credential, target.Bucket!, target.Prefix, right);
    }

    /// <summary>What lies there, and what makes its money in a month of 30 days by the tiers where it rests, each in its first band; null for
    /// a directory.</summary>
    /// <exception cref="RefusalException">It is a directory that the settings do not allow.</exception>
    public (long Bytes, long Objects, IReadOnlyList<PricedTerm>? Month) Contents(BackupTarget target, Estate estate)
    {
        if (target.Bucket is not { } name)
        {
            var directories = DirectoriesOf(target);
            return (directories.Sum(d => d.StoredBytes), directories.Sum(d => d.ObjectCount), null);
        }
        var bucket = estate.Find(name)!;
        var contents = provider.ContentsUnder(name, target.Prefix);
        return (
            contents.Sum(c => c.Bytes),
            contents.Sum(c => c.Objects),
            [
                .. contents.Select(c =>
                {
                    var tier = estate.PriceBook.Tiers[c.Tier];
                    var unitMonths = c.Objects * tier.BilledBytes(c.Bytes / c.Objects) / estate.PriceBook.Unit.Bytes();
                    return PricedTerm.OfResting(estate.PriceBook, bucket, tier.Id, unitMonths, "stored");
                }),
            ]
        );
    }

    /// <summary>A number that one object of a bucket bears for life, without reading it; null where there is none, or it is no
    /// bucket.</summary>
    public long? VersionOf(BackupTarget target, string key) =>
        target.Bucket is { } bucket ? provider.Objects.Find(bucket, target.Prefix + key, null)?.Version : null;

    /// <summary>Directories that a target no longer names are no parts of its pool any more; those that are new become it with the first object
    /// that is written.</summary>
    /// <param name="target">As it is to be.</param>
    /// <param name="before">As it was; null for a new one.</param>
    /// <exception cref="RefusalException">The settings do not allow one, or one that is to be left holds something of the pool.</exception>
    public void Leave(BackupTarget target, BackupTarget? before)
    {
        if (target.Kind != TargetKind.Directory)
            return;
        var now = DirectoriesOf(target);
        if (before is not { Kind: TargetKind.Directory, MoreFolders.Count: > 0 })
            return;
        var then = DirectoriesOf(before);
        var left = then.Where(d => now.All(n => n.Folder != d.Folder)).ToList();
        // Who names none of them any more means another pool.
        if (left.Count > 0 && left.Count < then.Count)
            new SpreadObjects(then).Leave(left);
    }

    /// <summary>The disks on which directories of targets lie, and how each is shared out.</summary>
    public IReadOnlyList<DiskReading> Disks(IEnumerable<BackupTarget> targets) =>
        [
            .. targets
                .Where(t => t.Kind == TargetKind.Directory)
                .SelectMany(t => Shares(t).Select(s => (Disk: Disk.Under(s.Folder), Target: t, s.CapacityBytes)))
                .GroupBy(s => s.Disk.Device)
                .Select(d => new DiskReading(
                    d.First().Disk.TotalBytes,
                    d.First().Disk.FreeBytes,
                    [.. d.Select(s => new DiskShare(s.Target.Id, s.Target.Name, s.Target.Deduplicates, s.CapacityBytes))]
                )),
        ];

    /// <summary>A file of one's own is not written among a pool's.</summary>
    /// <param name="file">That is written.</param>
    /// <param name="targets">Of the estate.</param>
    /// <param name="path">Of the file in the order.</param>
    /// <exception cref="RefusalException">It lies in a directory of a target.</exception>
    public void DemandNotIn(string file, IEnumerable<BackupTarget> targets, string path)
    {
        if (targets.FirstOrDefault(t => t.Kind == TargetKind.Directory && Shares(t).Any(s => Holds(s.Folder, file))) is { } target)
            throw new RefusalException(
                RefusalKind.Conflict,
                "meets-a-pool",
                $"'{file}' lies in a directory of the backup target '{target.Name}'. Choose a place beside it.",
                path
            );
    }

    /// <summary>Nothing is restored over a pool.</summary>
    /// <param name="folder">That is restored into.</param>
    /// <param name="targets">Of the estate.</param>
    /// <param name="path">Of the folder in the order.</param>
    /// <exception cref="RefusalException">The folder is a directory of a target, holds one, or lies in one.</exception>
    public void DemandBeside(string folder, IEnumerable<BackupTarget> targets, string path)
    {
        foreach (var target in targets.Where(t => t.Kind == TargetKind.Directory))
        {
            if (Shares(target).Any(s => Holds(s.Folder, folder) || Holds(folder, s.Folder)))
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "meets-a-pool",
                    $"'{folder}' meets a directory of the backup target '{target.Name}': what is restored could take the place of what lies there. "
                        + "Choose a folder beside it.",
                    path
                );
        }
    }

    private static bool Holds(string outer, string inner) => $"{inner}/".StartsWith($"{outer}/", StringComparison.Ordinal);

    private IEnumerable<(string Folder, long? CapacityBytes)> Shares(BackupTarget target)
    {
        IEnumerable<(string Folder, long? CapacityBytes)> own =
        [
            (target.Folder!, target.CapacityBytes),
            .. target.MoreFolders.Select(f => (f.Folder, f.CapacityBytes)),
        ];
        foreach (var (folder, capacity) in own)
        {
            string place;
            try
            {
                place = roots.Place(folder, "$.folder");
            }
            catch (RefusalException)
            {
                // A document from another machine: nothing of it lies here.
                continue;
            }
            yield return (place, capacity);
        }
    }

    /// <summary>The directories of a target, in its order, each by its whole path.</summary>
    /// <exception cref="RefusalException">The settings do not allow one of them, or two are the same under two names.</exception>
    public IReadOnlyList<DirectoryObjects> DirectoriesOf(BackupTarget target)
    {
        var all = new List<DirectoryObjects> { DirectoryOf(target.Folder!, target.CapacityBytes, "$.folder") };
        foreach (var (more, i) in target.MoreFolders.Select((f, i) => (f, i)))
        {
            var path = $"$.moreFolders[{i}].folder";
            var directory = DirectoryOf(more.Folder, more.CapacityBytes, path);
            if (all.Any(d => d.Folder == directory.Folder))
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "overlapping-targets",
                    $"'{more.Folder}' is '{directory.Folder}', which the target names already.",
                    path
                );
            all.Add(directory);
        }
        return all;
    }

    private DirectoryObjects DirectoryOf(string folder, long? capacity, string path) =>
        directories.GetOrAdd((roots.Place(folder, path), capacity), d => new DirectoryObjects(d.Folder, d.Capacity));
}
