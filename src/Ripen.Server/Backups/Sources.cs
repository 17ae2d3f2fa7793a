using Ripen.Backup.Sources;
using Ripen.Core.Backups;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>What runs read: folders of this machine, below those that are allowed, and objects of the provider's buckets.</summary>
internal sealed class Sources(TargetPlaces places, BackupRoots roots, SimulatedProvider provider)
{
    /// <param name="from">A folder or a bucket.</param>
    /// <param name="target">Into which it is stored.</param>
    /// <param name="path">Of the source in what was sent.</param>
    /// <returns>The source, which is there, and what people call it.</returns>
    /// <exception cref="RefusalException">It is not there, not allowed, not said, or holds the target's pool.</exception>
    public (ISource Source, string About) Of(WorkloadSource from, BackupTarget target, string path)
    {
        var (source, about) = Find(from, target, path);
        source.Demand();
        return (source, about);
    }

    private (ISource Source, string About) Find(WorkloadSource from, BackupTarget target, string path)
    {
        if (from.Folder is null == from.Bucket is null)
            throw new RefusalException(RefusalKind.Invalid, "no-source", "Say either a folder or a bucket to back up.", $"{path}.folder");
        if (from.Bucket is { } bucket)
        {
            var prefix = from.Prefix ?? "";
            return from.Overlaps(target.Bucket, target.Prefix)
                ? throw HoldsPool($"{bucket}/{prefix}", $"{path}.prefix")
                : (new BucketSource(provider, bucket, prefix), $"{bucket}/{prefix}");
        }
        var folder = roots.Place(from.Folder!, $"{path}.folder");
        if (
            target.Kind == TargetKind.Directory
            && places.DirectoriesOf(target).Any(d => $"{d.Folder}/".StartsWith($"{folder}/", StringComparison.Ordinal))
        )
            throw HoldsPool(folder, $"{path}.folder");
        return (new FolderSource(folder), folder);
    }

    private static RefusalException HoldsPool(string source, string path) =>
        new(
            RefusalKind.Conflict,
            "holds-the-pool",
            $"'{source}' holds the pool itself: every run would back up what the last one wrote. Choose something beside it.",
            path
        );
}
