using System.Collections.Concurrent;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;

namespace Ripen.Server.Backups;

/// <summary>Makes and opens the pools of targets.</summary>
internal sealed class Pools(TargetPlaces places, Keyring keyring, TimeProvider time)
{
    private readonly ConcurrentDictionary<long, PoolDescription> descriptions = [];

    public async Task Make(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        Demand(target);
        var options = new PoolOptions
        {
            Passphrase = target.Encrypts ? Keyring.Demand(passphrase) : null,
            Compresses = target.Compresses,
            Deduplicates = target.Deduplicates,
            PackBytes = (int)Math.Clamp(target.PackBytes, 8_000_000, 64_000_000),
        };
        using var pool = await Pool.Create(places.ObjectsOf(target), options, time.GetUtcNow(), cancel);
        await keyring.Keep(pool.Description.Id, pool.Secret, cancel);
    }

    /// <summary>Takes the passphrase of a pool that was made elsewhere, or whose secret was lost here.</summary>
    public async Task Unlock(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        var description = await Pool.Describe(places.ObjectsOf(target), cancel);
        var secret = Keyring.Try(passphrase, p => description.Wrapped.Unwrap(p, description.Id));
        await keyring.Keep(description.Id, secret, cancel);
    }

    /// <exception cref="RefusalException">There is none, or its passphrase was not given.</exception>
    public async Task<Pool> Open(BackupTarget target, CancellationToken cancel)
    {
        Demand(target);
        var objects = places.ObjectsOf(target);
        var description = await Pool.Describe(objects, cancel);
        return await Pool.OpenBySecret(
            objects,
            await keyring.Need(description.Id, description.Wrapped, $"The pool of '{target.Name}'", cancel),
            cancel
        );
    }

    /// <summary>The pool as it can be known without opening it, and whether it can be opened here; null where none is.</summary>
    public async Task<(PoolDescription Description, bool CanOpen)?> Look(BackupTarget target, CancellationToken cancel)
    {
        try
        {
            var description = await Description(target, cancel);
            return description is null ? null : (description, await keyring.Find(description.Id, description.Wrapped, cancel) is not null);
        }
        catch (RefusalException none) when (none.Code == "no-pool")
        {
            return null;
        }
    }

    /// <summary>What is in clear lies only where the organisation runs the place itself.</summary>
    /// <exception cref="RefusalException">Somebody else runs it.</exception>
    public static void DemandOwn(BackupTarget target, string path)
    {
        if (target.OperatedBy != Operator.Own)
            throw new RefusalException(
                RefusalKind.Invalid,
                "needs-encryption",
                $"The pool is not encrypted, and '{target.Name}' is not said to be a place of our own (\"operatedBy\": \"own\"): whoever runs it "
                    + "could read the pool.",
                path
            );
    }

    private async Task<PoolDescription?> Description(BackupTarget target, CancellationToken cancel)
    {
        if (target.Bucket is null)
            return await Pool.Describe(places.ObjectsOf(target), cancel);
        // A pool's description never changes: to look at a page is no read that somebody pays for.
        if (places.VersionOf(target, PoolDescription.Key) is not { } stored)
            return null;
        if (!descriptions.TryGetValue(stored, out var description))
            descriptions[stored] = description = await Pool.Describe(places.ObjectsOf(target), cancel);
        return description;
    }

    private static void Demand(BackupTarget target)
    {
        if (!target.HoldsPool)
            throw new RefusalException(
                RefusalKind.Conflict,
                "no-pool-here",
                "Other programs write into a volume or onto cartridges: Ripen makes its own pools in buckets and directories."
            );
    }
}
