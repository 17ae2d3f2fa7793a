using System.Collections.Concurrent;
using Microsoft.AspNetCore.DataProtection;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>Opens the pools of targets. A pool's secret is kept protected in the database once its passphrase was given; the passphrase
/// itself is not kept.</summary>
internal sealed class Pools(SimulatedProvider provider, PoolSecrets secrets, IDataProtectionProvider protection, TimeProvider time)
{
    private readonly ConcurrentDictionary<long, PoolDescription> descriptions = [];
    private readonly IDataProtector protector = protection.CreateProtector("ripen pool secret 1");

    public IPoolObjects ObjectsOf(BackupTarget target) => new BucketObjects(provider.Objects, target.Bucket, target.Prefix);

    public async Task Make(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        if (target.Encrypts && (passphrase is null || passphrase.Length < 12))
            throw new RefusalException(
                RefusalKind.Invalid,
                "short-passphrase",
                "A passphrase of 12 characters at least is needed: it is the only way into the pool when this machine is gone.",
                "$.passphrase"
            );
        if (!target.Deduplicates)
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-supported",
                "A pool always stores equal content once: this target says that it does not deduplicate, and such pools can be projected only."
            );
        var options = new PoolOptions
        {
            Passphrase = target.Encrypts ? passphrase : null,
            Compresses = target.Compresses,
            PackBytes = (int)Math.Clamp(target.PackBytes, 8_000_000, 64_000_000),
        };
        using var pool = await Pool.Create(ObjectsOf(target), options, time.GetUtcNow(), cancel);
        await Keep(pool, cancel);
    }

    /// <summary>Takes the passphrase of a pool that was made elsewhere, or whose secret was lost here.</summary>
    public async Task Unlock(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        using var pool = await Pool.Open(ObjectsOf(target), passphrase, cancel);
        await Keep(pool, cancel);
    }

    /// <exception cref="RefusalException">There is none, or its passphrase was not given.</exception>
    public async Task<Pool> Open(BackupTarget target, CancellationToken cancel)
    {
        var objects = ObjectsOf(target);
        var description = await Pool.Describe(objects, cancel);
        if (await Secret(description, cancel) is not { } secret)
            throw new RefusalException(
                RefusalKind.Conflict,
                "needs-passphrase",
                $"The pool of '{target.Name}' is encrypted, and this server does not know its passphrase. Give it first."
            );
        return await Pool.OpenBySecret(objects, secret, cancel);
    }

    /// <summary>The pool as it can be known without opening it, and whether it can be opened here; null where none is.</summary>
    public async Task<(PoolDescription Description, bool CanOpen)?> Look(BackupTarget target, CancellationToken cancel)
    {
        // A pool's description never changes: to look at a page is no read that somebody pays for.
        if (provider.Objects.Find(target.Bucket, target.Prefix + PoolDescription.Key, null) is not { } stored)
            return null;
        try
        {
            if (!descriptions.TryGetValue(stored.Version, out var description))
                descriptions[stored.Version] = description = await Pool.Describe(ObjectsOf(target), cancel);
            return (description, await Secret(description, cancel) is not null);
        }
        catch (RefusalException none) when (none.Code == "no-pool")
        {
            return null;
        }
    }

    private Task Keep(Pool pool, CancellationToken cancel) => secrets.Put(pool.Description.Id, protector.Protect(pool.Secret), cancel);

    private async Task<byte[]?> Secret(PoolDescription description, CancellationToken cancel)
    {
        if (!description.Encrypts)
            return description.Wrapped.Unwrap(null, description.Id);
        if (await secrets.Find(description.Id, cancel) is not { } kept)
            return null;
        try
        {
            return protector.Unprotect(kept);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            // The keys that protect it are gone: the passphrase still opens the pool.
            return null;
        }
    }
}
