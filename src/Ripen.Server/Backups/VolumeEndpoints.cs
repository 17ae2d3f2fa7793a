using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Volumes;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A volume as it stands.</summary>
/// <param name="Made">When.</param>
/// <param name="SizeBytes">That it presents.</param>
/// <param name="BlockBytes">Of an object in the bucket, before it is compressed.</param>
/// <param name="Encrypts">Whether a passphrase is needed.</param>
/// <param name="CanOpen">Whether this server knows it.</param>
/// <param name="Address">Where it is served; null while it is not open.</param>
/// <param name="Clients">Connected to it.</param>
/// <param name="Status">Of the journal and the read share; null while it is not open.</param>
/// <param name="Snapshots">Oldest first.</param>
/// <param name="Samples">Of the last hour, oldest first.</param>
/// <param name="Wrong">Why it is not open.</param>
public sealed record VolumeReading(
    DateTimeOffset Made,
    long SizeBytes,
    int BlockBytes,
    bool Encrypts,
    bool CanOpen,
    string? Address,
    int Clients,
    VolumeStatus? Status,
    IReadOnlyList<SnapshotReading> Snapshots,
    IReadOnlyList<VolumeSample> Samples,
    string? Wrong
);

/// <summary>A snapshot, and where it is offered for reading; null while it is not.</summary>
public sealed record SnapshotReading(VolumeSnapshot Snapshot, string? Address);

/// <summary>What a snapshot is called.</summary>
public sealed record SnapshotOrder([property: JsonRequired] string Name);

/// <summary>Another target's snapshot, that an empty volume is to begin with.</summary>
public sealed record VolumeCopyOrder([property: JsonRequired] string Target, [property: JsonRequired] string Snapshot);

/// <summary>Where an export is served.</summary>
public sealed record ExportReading(string Address);

internal static class VolumeEndpoints
{
    private const int MostNameLength = 100;

    public static void MapVolumes(this RouteGroupBuilder targets)
    {
        var target = targets.MapGroup("/{id}");
        target.MapPost("/volume", Make).WithName("makeVolume").WithSummary("Makes the target's volume, and serves it over NBD.");
        target.MapGet("/volume", Read).WithName("readVolume").WithSummary("The target's volume as it stands.");
        target
            .MapPost("/volume/drain", Drain)
            .WithName("drainVolume")
            .WithSummary("Brings everything that was acknowledged into the bucket, and answers when it is there.");
        target
            .MapPost("/volume/copy", Copy)
            .WithName("fillVolume")
            .WithSummary("Fills an empty volume with what a snapshot of another one holds, in the background.");
        target.MapPost("/snapshots", Take).WithName("takeSnapshot").WithSummary("Keeps the volume as it is now.");
        target
            .MapDelete("/snapshots/{snapshot}", Remove)
            .WithName("removeSnapshot")
            .WithSummary("Removes a snapshot, and what only it needed.");
        target
            .MapPost("/snapshots/{snapshot}/export", Offer)
            .WithName("offerSnapshot")
            .WithSummary("Serves a snapshot over NBD, for reading only, under an export of its own.");
    }

    private static async Task<NoContent> Make(
        string id,
        PassphraseOrder order,
        CurrentEstate current,
        Volumes volumes,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        await volumes.Make(target, order.Passphrase, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Ok<VolumeReading>> Read(
        string id,
        CurrentEstate current,
        TargetPlaces places,
        Keyring keyring,
        Volumes volumes,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        if (target.Kind != TargetKind.Volume)
            throw new RefusalException(RefusalKind.NotFound, "no-volume-here", $"'{target.Name}' is no volume.");
        var open = volumes.Of(id);
        var description = open?.Volume.Description ?? await VolumeDescription.Read(places.ObjectsOf(target), cancel);
        return TypedResults.Ok(
            new VolumeReading(
                description.Made,
                description.SizeBytes,
                description.BlockBytes,
                description.Encrypts,
                open is not null || await keyring.Find(description.Id, description.Wrapped, cancel) is not null,
                open is null ? null : volumes.AddressOf(id),
                volumes.ClientsOf(id),
                open?.Volume.Status,
                [
                    .. (open?.Volume.Snapshots ?? []).Select(s => new SnapshotReading(
                        s,
                        open!.Offered.TryGetValue(s.Id, out var export) ? volumes.AddressOf(export) : null
                    )),
                ],
                [.. open?.Samples ?? []],
                volumes.FailureOf(id)
            )
        );
    }

    private static async Task<NoContent> Drain(string id, CurrentEstate current, Volumes volumes, CancellationToken cancel)
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var volume = volumes.Need(target).Volume;
        await volume.Drain(cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Ok<VolumeSnapshot>> Take(
        string id,
        SnapshotOrder order,
        CurrentEstate current,
        Volumes volumes,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        if (order.Name.Trim().Length is 0 or > MostNameLength)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "A snapshot's name has 1 to 100 characters.", "$.name");
        var volume = volumes.Need(target).Volume;
        return TypedResults.Ok(await volume.TakeSnapshot(order.Name.Trim(), scheduled: false, time.GetUtcNow(), cancel));
    }

    private static async Task<NoContent> Remove(
        string id,
        string snapshot,
        CurrentEstate current,
        Volumes volumes,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        await volumes.RemoveSnapshot(volumes.Need(target), snapshot, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Ok<ExportReading>> Offer(
        string id,
        string snapshot,
        CurrentEstate current,
        Volumes volumes,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var export = await volumes.Offer(volumes.Need(target), snapshot, cancel);
        return TypedResults.Ok(new ExportReading(volumes.AddressOf(export)!));
    }

    private static async Task<Accepted<BackupJob>> Copy(
        string id,
        VolumeCopyOrder order,
        CurrentEstate current,
        Volumes volumes,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var (_, from) = await TargetEndpoints.Find(current, order.Target, cancel);
        var into = volumes.Need(target).Volume;
        var source = await volumes.Need(from).Volume.OpenSnapshot(order.Snapshot, cancel);
        if (source.SizeBytes > into.SizeBytes)
            throw new RefusalException(
                RefusalKind.Conflict,
                "too-small",
                $"The snapshot is of {Wording.Bytes(source.SizeBytes)}, and this volume has {Wording.Bytes(into.SizeBytes)}: make it at least as large."
            );
        if (into.Extents(0, into.SizeBytes).Any(e => !e.IsHole))
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-empty",
                "This volume holds something already: a snapshot fills an empty one only."
            );
        return TypedResults.Accepted(
            $"/api/targets/{id}",
            jobs.Start(
                id,
                JobKind.Copy,
                $"{order.Snapshot} of {from.Name}",
                async (tell, stop) =>
                {
                    var bytes = await VolumeCopy.Of(source, into, done => tell(0, done), stop);
                    await into.Drain(stop);
                    return job => job with { Bytes = bytes };
                }
            )
        );
    }
}
