using Ripen.Backup.Pools;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A place into which nothing is written and from which nothing is removed; of a locked target nothing is read, either.</summary>
internal sealed class GuardedObjects(IPoolObjects place, BackupTarget target) : IPoolObjects
{
    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) => throw Refused();

    public Task Put(string key, Stream content, int most, CancellationToken cancel) => throw Refused();

    public Task Delete(string key, CancellationToken cancel) => throw Refused();

    public Task Seal(IReadOnlyCollection<string> keys, DateOnly until, CancellationToken cancel) => throw Refused();

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        DemandReading(target);
        return place.Read(key, from, length, cancel);
    }

    public Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel)
    {
        DemandReading(target);
        return place.Read(key, from, into, cancel);
    }

    public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel)
    {
        DemandReading(target);
        return place.List(prefix, cancel);
    }

    /// <exception cref="RefusalException">The target is locked.</exception>
    public static void DemandReading(BackupTarget target)
    {
        if (target.Access == TargetAccess.Locked)
            throw Locked(target);
    }

    private RefusalException Refused() =>
        target.Access == TargetAccess.Locked
            ? Locked(target)
            : new(
                RefusalKind.Forbidden,
                "target-read-only",
                $"'{target.Name}' is read-only: nothing is written there and nothing removed."
            );

    private static RefusalException Locked(BackupTarget target) =>
        new(RefusalKind.Forbidden, "target-locked", $"'{target.Name}' is locked: nothing is read there and nothing written.");
}
