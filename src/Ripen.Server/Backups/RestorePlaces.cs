using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>Does a restore.</summary>
internal delegate Task<RestoreResult> RestoreWork(Pool pool, Point point, IProgress<string> progress, CancellationToken stop);

/// <summary>Where restores may be written to: folders that are allowed, and objects beside what targets store.</summary>
internal sealed class RestorePlaces(BackupRoots roots, TargetPlaces places, SimulatedProvider provider)
{
    /// <param name="order">What is to be restored, and where to.</param>
    /// <param name="estate">In force.</param>
    /// <exception cref="RefusalException">The place is none, not allowed, or holds something of which nothing was said.</exception>
    public (string Into, RestoreWork Work) Of(RestoreOrder order, Estate estate)
    {
        if (order.Folder is null == order.Bucket is null)
            throw new RefusalException(RefusalKind.Invalid, "one-of", "Say either a folder or a bucket to restore into.", "$.folder");
        return order.Bucket is { } bucket ? IntoBucket(order, bucket, order.Prefix ?? "", estate) : IntoFolder(order, estate);
    }

    private (string Into, RestoreWork Work) IntoFolder(RestoreOrder order, Estate estate)
    {
        var folder = roots.Demand(order.Folder!, "$.folder");
        places.DemandBeside(folder, estate.Targets, "$.folder");
        DemandEmpty(() => Restore.DemandEmpty(folder, order.Existing), "$.folder");
        return (folder, (pool, point, tell, stop) => Restore.Into(pool, point, order.Under, folder, order.Existing, tell, stop));
    }

    private (string Into, RestoreWork Work) IntoBucket(RestoreOrder order, string bucket, string prefix, Estate estate)
    {
        if (estate.Find(bucket) is null)
            throw new RefusalException(RefusalKind.NotFound, "no-bucket", $"There is no bucket '{bucket}'.", "$.bucket");
        var place = new WorkloadSource { Bucket = bucket, Prefix = prefix };
        if (estate.Targets.FirstOrDefault(t => place.Overlaps(t.Bucket, t.Prefix)) is { } meets)
            throw new RefusalException(
                RefusalKind.Conflict,
                "meets-a-pool",
                $"'{bucket}/{prefix}' meets what the backup target '{meets.Name}' stores: choose a prefix beside it.",
                "$.prefix"
            );
        var objects = new BucketRestore(provider.Objects, bucket, prefix);
        DemandEmpty(() => ObjectRestore.DemandEmpty(objects, order.Existing), "$.prefix");
        return (
            $"{bucket}/{prefix}",
            (pool, point, tell, stop) => ObjectRestore.Into(pool, point, order.Under, objects, order.Existing, tell, stop)
        );
    }

    private static void DemandEmpty(Action demand, string path)
    {
        try
        {
            demand();
        }
        catch (RefusalException full)
        {
            throw new RefusalException(full.Kind, full.Code, full.Message, path);
        }
    }
}
