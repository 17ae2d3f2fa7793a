using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Backups;

/// <summary>A pool as it can be known without opening it.</summary>
/// <param name="Id">Its own, for life.</param>
/// <param name="Made">When.</param>
/// <param name="Encrypts">Whether a passphrase is needed.</param>
/// <param name="Compresses">Whether its chunks are compressed.</param>
/// <param name="CanOpen">Whether this server knows the passphrase.</param>
public sealed record PoolReading(string Id, DateTimeOffset Made, bool Encrypts, bool Compresses, bool CanOpen);

/// <summary>A target as it stands.</summary>
/// <param name="Target">As it was made.</param>
/// <param name="Region">Where its bucket is.</param>
/// <param name="Pool">Null while none was made.</param>
/// <param name="StoredBytes">Of all objects of the pool.</param>
/// <param name="StoredObjects">How many they are.</param>
/// <param name="Job">Under way, or the last; null for none since the start.</param>
/// <param name="Wrong">Why the pool cannot be looked at.</param>
public sealed record TargetReading(
    BackupTarget Target,
    string Region,
    PoolReading? Pool,
    long StoredBytes,
    long StoredObjects,
    BackupJob? Job,
    string? Wrong
);

/// <summary>Targets, and where folders may lie that are backed up or restored into.</summary>
public sealed record BackupsReading(IReadOnlyList<TargetReading> Targets, IReadOnlyList<string> Roots);

/// <summary>The passphrase of a pool.</summary>
public sealed record PassphraseOrder(string? Passphrase);

internal static class TargetEndpoints
{
    public static void MapTargets(this RouteGroupBuilder api)
    {
        var targets = api.MapGroup("/targets").WithTags("Backups");
        targets.MapGet("", ReadAll).WithName("readTargets").WithSummary("All backup targets as they stand. The ETag is the estate's.");
        targets.MapGet("/{id}", Read).WithName("readTarget").WithSummary("One backup target as it stands.");
        targets
            .MapPut("/{id}", Put)
            .WithName("putTarget")
            .WithSummary("Makes a backup target, or puts it in the place of the one of this id. If-Match: the estate's ETag.")
            .Accepts<BackupTarget>("application/json");
        targets
            .MapDelete("/{id}", Remove)
            .WithName("removeTarget")
            .WithSummary("Removes a backup target; its pool stays where it lies. If-Match: the estate's ETag.");
        targets
            .MapPost("/{id}/tests", Test)
            .WithName("testTarget")
            .WithSummary("Proves the target: write, read back, compare, list, delete, each with its time and, where it fails, why.");
        targets.MapPost("/{id}/pool", MakePool).WithName("makePool").WithSummary("Makes the target's pool.");
        targets
            .MapPost("/{id}/passphrase", Unlock)
            .WithName("unlockPool")
            .WithSummary("Takes the passphrase of a pool that this server cannot open.");
        targets.MapPoints();
    }

    /// <exception cref="RefusalException">There is no estate, or no such target.</exception>
    internal static async Task<(EstateView View, BackupTarget Target)> Find(CurrentEstate current, string id, CancellationToken cancel)
    {
        var view = await current.Get(cancel);
        var target = view?.Estate.Targets.FirstOrDefault(t => t.Id == id);
        return target is null
            ? throw new RefusalException(RefusalKind.NotFound, "no-target", $"There is no backup target '{id}'.")
            : (view!, target);
    }

    private static async Task<Results<Ok<BackupsReading>, ProblemHttpResult>> ReadAll(
        CurrentEstate current,
        SimulatedProvider provider,
        Pools pools,
        BackupJobs jobs,
        BackupRoots roots,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var read = new List<TargetReading>();
        foreach (var target in view.Estate.Targets)
            read.Add(await Reading(view.Estate, target, provider, pools, jobs, cancel));
        return TypedResults.Ok(new BackupsReading(read, roots.All));
    }

    private static async Task<Ok<TargetReading>> Read(
        string id,
        CurrentEstate current,
        SimulatedProvider provider,
        Pools pools,
        BackupJobs jobs,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        var (view, target) = await Find(current, id, cancel);
        response.SetVersion(view.Version);
        return TypedResults.Ok(await Reading(view.Estate, target, provider, pools, jobs, cancel));
    }

    private static async Task<TargetReading> Reading(
        Estate estate,
        BackupTarget target,
        SimulatedProvider provider,
        Pools pools,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var region = estate.Find(target.Bucket)!.Region;
        try
        {
            var pool = await pools.Look(target, cancel);
            var contents = provider.ContentsUnder(target.Bucket, target.Prefix);
            return new TargetReading(
                target,
                region,
                pool is { } p
                    ? new PoolReading(p.Description.Id, p.Description.Made, p.Description.Encrypts, p.Description.Compresses, p.CanOpen)
                    : null,
                contents.Bytes,
                contents.Objects,
                jobs.Of(target.Id),
                null
            );
        }
        catch (RefusalException refusal)
        {
            return new TargetReading(target, region, null, 0, 0, jobs.Of(target.Id), refusal.Message);
        }
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        string id,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var target = EstateDocument.ReadTarget(json, view!.Estate);
                if (!target.Ok)
                    return Problems.Invalid(target.Problems);
                if (target.Value.Id != id)
                    return Problems.Invalid("renamed", "$.id", $"A target keeps its id; write '{id}'.");
                var before = view.Estate.Targets.FirstOrDefault(t => t.Id == id);
                if (before is not null && jobs.Of(id) is { Running: true })
                    return Problems.Conflict("under-way", "Something is under way with this target; wait, or stop it.");
                var others = view.Estate.Targets.Where(t => t.Id != id).Append(target.Value);
                await current.Apply(
                    new PlannedChange(view.Estate with { Targets = [.. others] }),
                    () => store.ChangeTarget(before, target.Value, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
        return refused is not null ? refused : TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Remove(
        string id,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                if (view!.Estate.Targets.FirstOrDefault(t => t.Id == id) is not { } target)
                    return Problems.NotFound("no-target", $"There is no backup target '{id}'.");
                if (jobs.Of(id) is { Running: true })
                    return Problems.Conflict("under-way", "Something is under way with this target; wait, or stop it.");
                await current.Apply(
                    new PlannedChange(view.Estate with { Targets = [.. view.Estate.Targets.Where(t => t.Id != id)] }),
                    () => store.ChangeTarget(target, null, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
        return refused is not null ? refused : TypedResults.NoContent();
    }

    private static async Task<Ok<IReadOnlyList<ProbeStep>>> Test(string id, CurrentEstate current, Pools pools, CancellationToken cancel)
    {
        var (_, target) = await Find(current, id, cancel);
        return TypedResults.Ok(await PlaceProbe.Of(pools.ObjectsOf(target), cancel));
    }

    private static async Task<NoContent> MakePool(
        string id,
        PassphraseOrder order,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel
    )
    {
        var (_, target) = await Find(current, id, cancel);
        await pools.Make(target, order.Passphrase, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<NoContent> Unlock(
        string id,
        PassphraseOrder order,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel
    )
    {
        var (_, target) = await Find(current, id, cancel);
        await pools.Unlock(target, order.Passphrase, cancel);
        return TypedResults.NoContent();
    }
}
