using System.Collections.Concurrent;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
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
        IPoolObjects place = target.Bucket is { } bucket ? new BucketObjects(provider.Objects, bucket, target.Prefix) : DirectoryOf(target);
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

    /// <summary>What lies there, and money for it in a month of 30 days by the tiers where it rests, each in its first band; null for a
    /// directory.</summary>
    /// <exception cref="RefusalException">It is a directory that the settings do not allow.</exception>
    public (long Bytes, long Objects, double? MonthMoney) Contents(BackupTarget target, Estate estate)
    {
        if (target.Bucket is not { } name)
        {
            var directory = DirectoryOf(target);
            return (directory.StoredBytes, directory.ObjectCount, null);
        }
        var bucket = estate.Find(name)!;
        var contents = provider.ContentsUnder(name, target.Prefix);
        return (
            contents.Sum(c => c.Bytes),
            contents.Sum(c => c.Objects),
            contents.Sum(c =>
            {
                var tier = estate.PriceBook.Tiers[c.Tier];
                var billed = c.Objects * tier.BilledBytes(c.Bytes / c.Objects);
                return billed / 1e12 * TargetCosts.TerabyteMonth(bucket, tier.Id, estate.PriceBook);
            })
        );
    }

    /// <summary>A number that one object of a bucket bears for life, without reading it; null where there is none, or it is no
    /// bucket.</summary>
    public long? VersionOf(BackupTarget target, string key) =>
        target.Bucket is { } bucket ? provider.Objects.Find(bucket, target.Prefix + key, null)?.Version : null;

    private DirectoryObjects DirectoryOf(BackupTarget target) =>
        directories.GetOrAdd((roots.Place(target.Folder!), target.CapacityBytes), d => new DirectoryObjects(d.Folder, d.Capacity));
}
