using System.Collections.Concurrent;
using System.Net.Sockets;
using Ripen.Backup.Nbd;
using Ripen.Backup.Volumes;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A volume's local disk for ten seconds.</summary>
/// <param name="At">When it began.</param>
/// <param name="JournalBytes">At most: acknowledged, and not yet in the bucket.</param>
/// <param name="CachedBytes">Blocks that lie near.</param>
/// <param name="LocalReads">Since it was opened: reads answered without the bucket.</param>
/// <param name="FarReads">Since it was opened: reads that asked it.</param>
public sealed record VolumeSample(DateTimeOffset At, long JournalBytes, long CachedBytes, long LocalReads, long FarReads);

/// <summary>A volume that is open, and how it has been.</summary>
internal sealed record OpenVolume(BackupTarget Target, Volume Volume)
{
    public ConcurrentQueue<VolumeSample> Samples { get; } = [];

    /// <summary>The stretch under way.</summary>
    public VolumeSample? Young { get; set; }

    /// <summary>Snapshots that are offered for reading, by their ids.</summary>
    public ConcurrentDictionary<string, string> Offered { get; } = [];
}

/// <summary>
/// Opens the volumes of the estate's targets and serves them over NBD. What is open follows the estate: a target that goes, or lies
/// elsewhere, is closed; its journal stays on the local disk.
/// </summary>
internal sealed class Volumes(
    CurrentEstate current,
    TargetPlaces places,
    Keyring keyring,
    RipenSettings settings,
    VolumeFolder folder,
    TimeProvider time,
    ILogger<Volumes> log
) : BackgroundService
{
    /// <summary>Registered with IANA for NBD.</summary>
    private const int UsualPort = 10809;
    private const int KeptSamples = 360;

    private static readonly TimeSpan Look = TimeSpan.FromSeconds(2);
    private static readonly TimeSpan SampleLength = TimeSpan.FromSeconds(10);

    private readonly ConcurrentDictionary<string, OpenVolume> open = [];
    private readonly ConcurrentDictionary<string, string> failures = [];
    private readonly SemaphoreSlim following = new(1);
    private NbdServer? server;

    public OpenVolume? Of(string target) => open.GetValueOrDefault(target);

    /// <summary>Why a volume that is there is not open.</summary>
    public string? FailureOf(string target) => failures.GetValueOrDefault(target);

    public int ClientsOf(string export) => server?.ClientsOf(export) ?? 0;

    public string? AddressOf(string export) => server is { } s ? $"nbd://127.0.0.1:{s.Port}/{export}" : null;

    /// <exception cref="RefusalException">It is no volume, there is one already, or the passphrase is too short.</exception>
    public async Task Make(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        Demand(target);
        var objects = places.ObjectsOf(target);
        var secret = await Volume.Create(
            objects,
            target.CapacityBytes!.Value,
            Volume.UsualBlockBytes,
            target.Encrypts ? Keyring.Demand(passphrase) : null,
            time.GetUtcNow(),
            cancel
        );
        await keyring.Keep((await VolumeDescription.Read(objects, cancel)).Id, secret, cancel);
        await Follow(cancel);
    }

    /// <summary>Takes the passphrase of a volume that was made elsewhere, or whose secret was lost here.</summary>
    /// <exception cref="RefusalException">It is not the volume's.</exception>
    public async Task Unlock(BackupTarget target, string? passphrase, CancellationToken cancel)
    {
        var description = await VolumeDescription.Read(places.ObjectsOf(target), cancel);
        await keyring.Keep(description.Id, Keyring.Try(passphrase, p => description.Wrapped.Unwrap(p, description.Id)), cancel);
        await Follow(cancel);
    }

    /// <exception cref="RefusalException">It is not open, with the reason.</exception>
    public OpenVolume Need(BackupTarget target)
    {
        Demand(target);
        return Of(target.Id)
            ?? throw new RefusalException(
                RefusalKind.Conflict,
                "not-open",
                FailureOf(target.Id) ?? $"The volume of '{target.Name}' is not made yet."
            );
    }

    /// <summary>Offers a snapshot for reading, under an export of its own.</summary>
    public async Task<string> Offer(OpenVolume volume, string snapshot, CancellationToken cancel)
    {
        var export = $"{volume.Target.Id}@{snapshot}";
        Server().Offer(export, await volume.Volume.OpenSnapshot(snapshot, cancel));
        volume.Offered[snapshot] = export;
        return export;
    }

    public async Task RemoveSnapshot(OpenVolume volume, string snapshot, CancellationToken cancel)
    {
        if (volume.Offered.TryRemove(snapshot, out var export))
            server?.Withdraw(export);
        await volume.Volume.RemoveSnapshot(snapshot, cancel);
    }

    /// <summary>Closes a volume whose target is to go or to change, once everything is in the bucket.</summary>
    /// <exception cref="RefusalException">The bucket does not take it: nothing was closed.</exception>
    public async Task Empty(string target, CancellationToken cancel)
    {
        if (Of(target) is not { } volume)
            return;
        if (volume.Volume.Status is { JournalBytes: > 0, Failure: { } why })
            throw new RefusalException(
                RefusalKind.Conflict,
                "journal-holds",
                $"The journal holds writes that the bucket does not take at the moment: {why}"
            );
        await volume.Volume.Drain(cancel);
    }

    /// <summary>Opens and closes what the estate says.</summary>
    public async Task Follow(CancellationToken cancel)
    {
        await following.WaitAsync(cancel);
        try
        {
            var targets = (await current.Get(cancel))?.Estate.Targets.Where(t => t.Kind == TargetKind.Volume).ToList() ?? [];
            foreach (var id in open.Where(o => targets.All(t => !SamePlace(t, o.Value.Target))).Select(o => o.Key).ToList())
                await Close(id);
            foreach (var target in targets.Where(t => open.ContainsKey(t.Id)))
                open[target.Id] = open[target.Id] with { Target = target };
            foreach (var target in targets.Where(t => !open.ContainsKey(t.Id)))
                await TryOpen(target, cancel);
        }
        finally
        {
            following.Release();
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Look, time);
        do
        {
            try
            {
                await Follow(stoppingToken);
                foreach (var volume in open.Values)
                {
                    Sample(volume);
                    await Snapshot(volume, stoppingToken);
                }
            }
            catch (Exception error) when (error is not OperationCanceledException)
            {
                log.LogError(error, "Looking after the volumes ended early; it is tried again.");
            }
        } while (await timer.WaitForNextTickAsync(stoppingToken));
    }

    public override async Task StopAsync(CancellationToken cancellationToken)
    {
        await base.StopAsync(cancellationToken);
        // A host may ask twice, and at once.
        foreach (var (id, _) in open.ToArray())
            await Close(id);
        if (Interlocked.Exchange(ref server, null) is { } last)
            await last.DisposeAsync();
    }

    public override void Dispose()
    {
        following.Dispose();
        base.Dispose();
    }

    private static void Demand(BackupTarget target)
    {
        if (target.Kind != TargetKind.Volume)
            throw new RefusalException(RefusalKind.Conflict, "no-volume-here", $"'{target.Name}' is no volume.");
    }

    private static bool SamePlace(BackupTarget a, BackupTarget b) =>
        a.Id == b.Id && a.Bucket == b.Bucket && a.Prefix == b.Prefix && a.Local == b.Local && a.Access == b.Access;

    private async Task TryOpen(BackupTarget target, CancellationToken cancel)
    {
        failures.TryRemove(target.Id, out _);
        if (places.VersionOf(target, VolumeDescription.Key) is null)
            return;
        try
        {
            // A port that is taken is found out before the volume is claimed.
            var nbd = Server();
            var objects = places.ObjectsOf(target);
            var description = await VolumeDescription.Read(objects, cancel);
            var secret = await keyring.Need(description.Id, description.Wrapped, $"The volume of '{target.Name}'", cancel);
            var disk = new VolumeDisk(Path.Combine(folder.Path, description.Id), target.Local!.JournalBytes, target.Local.ReadBytes);
            var volume = new OpenVolume(target, await Volume.Open(objects, secret, disk, cancel));
            open[target.Id] = volume;
            nbd.Offer(target.Id, volume.Volume);
        }
        catch (Exception refused) when (refused is RefusalException or IOException or SocketException)
        {
            failures[target.Id] = refused.Message;
        }
    }

    private NbdServer Server() => server ??= new NbdServer(settings.NbdPort ?? UsualPort);

    private async Task Close(string id)
    {
        if (!open.TryRemove(id, out var volume))
            return;
        foreach (var export in volume.Offered.Values.Append(id))
            server?.Withdraw(export);
        await volume.Volume.DisposeAsync();
    }

    private void Sample(OpenVolume volume)
    {
        var status = volume.Volume.Status;
        var sample = new VolumeSample(time.GetUtcNow(), status.JournalBytes, status.CachedBytes, status.LocalReads, status.FarReads);
        // The journal's largest of each stretch: it often fills and empties within one.
        if (volume.Young is { } young && sample.At - young.At < SampleLength)
        {
            volume.Young = sample with { At = young.At, JournalBytes = Math.Max(young.JournalBytes, sample.JournalBytes) };
            return;
        }
        if (volume.Young is { } done)
            volume.Samples.Enqueue(done);
        volume.Young = sample;
        while (volume.Samples.Count > KeptSamples)
            volume.Samples.TryDequeue(out _);
    }

    private async Task Snapshot(OpenVolume volume, CancellationToken cancel)
    {
        // One that waits for a bucket that takes nothing would be as of then, and not of its hour.
        if (volume.Target.Snapshots is not { } schedule || volume.Volume.Status.Failure is not null)
            return;
        var taken = volume.Volume.Snapshots.Where(s => s.Scheduled).OrderBy(s => s.Taken).ToList();
        var now = time.GetUtcNow();
        if (taken.Count == 0 || taken[^1].Taken.AddHours(schedule.EveryHours) <= now)
            taken.Add(await volume.Volume.TakeSnapshot($"{now:yyyy-MM-dd HH:mm} UTC", scheduled: true, now, cancel));
        foreach (var old in taken.SkipLast(schedule.Keep))
            await RemoveSnapshot(volume, old.Id, cancel);
    }
}

/// <summary>Where the local disks of volumes lie on this machine.</summary>
internal sealed record VolumeFolder(string Path);
