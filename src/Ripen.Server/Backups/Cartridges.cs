using System.Collections.Concurrent;
using System.Globalization;
using Ripen.Backup.Cartridges;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;
using Ripen.Provider;
using Ripen.Provider.Objects;

namespace Ripen.Server.Backups;

/// <summary>
/// The cartridges of the estate's targets and the drives that they go into. Which cartridge is in which drive is not kept: after a restart
/// all of them are back in their slots, as whole as they were.
/// </summary>
internal sealed class Cartridges(TargetPlaces places, Keyring keyring, SimulatedProvider provider, DriveFolder folder, TimeProvider time)
    : IHostedService,
        IDisposable
{
    private readonly ConcurrentDictionary<string, CartridgeShelf> shelves = [];
    private readonly ConcurrentDictionary<long, CartridgeShelfDescription> descriptions = [];
    private readonly ConcurrentDictionary<(string Target, int Drive), CartridgeDrive> drives = [];
    private readonly SemaphoreSlim handling = new(1);

    /// <exception cref="RefusalException">It is no place for cartridges, there are some already, or the passphrase is too short.</exception>
    public async Task Make(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        Demand(target);
        var objects = places.ObjectsOf(target);
        var secret = await CartridgeShelf.Create(
            objects,
            target.Library!.CartridgeBytes,
            target.Compresses,
            target.Encrypts ? Keyring.Demand(passphrase) : null,
            time.GetUtcNow(),
            cancel
        );
        await keyring.Keep((await CartridgeShelf.Describe(objects, cancel)).Id, secret, cancel);
    }

    /// <summary>Takes the passphrase of cartridges that were made elsewhere, or whose secret was lost here.</summary>
    /// <exception cref="RefusalException">It is not theirs.</exception>
    public async Task Unlock(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        var description = await CartridgeShelf.Describe(places.ObjectsOf(target), cancel);
        await keyring.Keep(description.Id, Keyring.Try(passphrase, p => description.Wrapped.Unwrap(p, description.Id)), cancel);
    }

    /// <summary>Whether they can be opened here, and what is known of them without.</summary>
    public async Task<(CartridgeShelfDescription Description, bool CanOpen)> Look(BackupTarget target, CancellationToken cancel)
    {
        Demand(target);
        var description = await Describe(target, cancel);
        return (description, await keyring.Find(description.Id, description.Wrapped, cancel) is not null);
    }

    /// <exception cref="RefusalException">There are none, or their passphrase was not given.</exception>
    public async Task<CartridgeShelf> Open(BackupTarget target, CancellationToken cancel)
    {
        Demand(target);
        var description = await Describe(target, cancel);
        if (shelves.TryGetValue(target.Id, out var known) && known.Description.Id == description.Id)
            return known;
        var secret = await keyring.Need(description.Id, description.Wrapped, $"'{target.Name}'", cancel);
        return shelves[target.Id] = CartridgeShelf.Open(places.ObjectsOf(target), description, secret);
    }

    /// <summary>A drive by its number, from 1 on.</summary>
    /// <exception cref="RefusalException">The library has none of this number.</exception>
    public async Task<CartridgeDrive> DriveOf(BackupTarget target, int drive, CancellationToken cancel)
    {
        var shelf = await Open(target, cancel);
        var library = target.Library!;
        if (drive < 1 || drive > library.Drives)
            throw new RefusalException(
                RefusalKind.NotFound,
                "no-drive",
                $"'{target.Name}' has {library.Drives} drives, and none of number {drive}."
            );
        var path = Path.Combine(folder.Path, target.Id, $"drive-{drive.ToString(CultureInfo.InvariantCulture)}");
        return drives.GetOrAdd((target.Id, drive), _ => new CartridgeDrive(shelf, path));
    }

    /// <summary>Does something with a cartridge that is in no drive, and lets nobody put it into one meanwhile.</summary>
    /// <exception cref="RefusalException">It is in a drive (code <c>in-drive</c>).</exception>
    public async Task<T> OutOfDrives<T>(string target, int cartridge, Func<Task<T>> act, CancellationToken cancel)
    {
        await handling.WaitAsync(cancel);
        try
        {
            if (DriveWith(target, cartridge) is { } drive)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "in-drive",
                    $"Cartridge {cartridge} is in drive {drive}: take it out first."
                );
            return await act();
        }
        finally
        {
            handling.Release();
        }
    }

    public void Dispose() => handling.Dispose();

    /// <summary>In which drive a cartridge is; null for none.</summary>
    public int? DriveWith(string target, int cartridge) =>
        drives.Where(d => d.Key.Target == target && d.Value.Status.Cartridge == cartridge).Select(d => (int?)d.Key.Drive).FirstOrDefault();

    /// <summary>Where what is on a cartridge rests: the coldest tier, and the provider's instant from which it can be read.</summary>
    public (Tier? Tier, DateTimeOffset? ReadyFrom) Rest(BackupTarget target, int cartridge, PriceBook prices)
    {
        var (coldest, ready) = (-1, (DateTimeOffset?)null);
        string? after = null;
        do
        {
            var page = provider.Objects.List(
                target.Bucket!,
                target.Prefix + CartridgeShelf.DataOf(cartridge),
                null,
                after,
                ListingPage.Most
            );
            foreach (var piece in page.Objects)
            {
                coldest = Math.Max(coldest, prices.Coldness(piece.Tier));
                if (piece.ReadyFrom is { } from && (ready is null || from > ready))
                    ready = from;
            }
            after = page.Next;
        } while (after is not null);
        return (coldest < 0 ? null : prices.Tiers[coldest], ready > provider.Clock.Now ? ready : null);
    }

    /// <summary>Whether a program has a drive of a target open.</summary>
    public bool IsBusy(string target) => drives.Any(d => d.Key.Target == target && d.Value.Status.Busy);

    /// <summary>Takes every cartridge of a target out of its drives, and forgets the target.</summary>
    public async Task Forget(string target)
    {
        foreach (var key in drives.Keys.Where(d => d.Target == target).ToList())
        {
            if (drives.TryRemove(key, out var drive))
                await drive.DisposeAsync();
        }
        shelves.TryRemove(target, out _);
    }

    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        foreach (var target in drives.Keys.Select(d => d.Target).Distinct().ToList())
            await Forget(target);
    }

    /// <summary>Looking at a page is no read that somebody pays for.</summary>
    private async Task<CartridgeShelfDescription> Describe(BackupTarget target, CancellationToken cancel)
    {
        if (places.VersionOf(target, CartridgeShelfDescription.Key) is not { } stored)
            return await CartridgeShelf.Describe(places.ObjectsOf(target), cancel);
        if (!descriptions.TryGetValue(stored, out var description))
            descriptions[stored] = description = await CartridgeShelf.Describe(places.ObjectsOf(target), cancel);
        return description;
    }

    private static void Demand(BackupTarget target)
    {
        if (target.Kind != TargetKind.Cartridges)
            throw new RefusalException(RefusalKind.Conflict, "no-library-here", $"'{target.Name}' holds no cartridges.");
    }
}

/// <summary>Where the pipes of drives lie on this machine.</summary>
internal sealed record DriveFolder(string Path);
