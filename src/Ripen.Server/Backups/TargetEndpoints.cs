using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.HeldCredentials;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Backups;

/// <summary>A pool as it can be known without opening it.</summary>
/// <param name="Id">Its own, for life.</param>
/// <param name="Made">When.</param>
/// <param name="Encrypts">Whether a passphrase is needed.</param>
/// <param name="Compresses">Whether its chunks are compressed.</param>
/// <param name="Deduplicates">Whether equal content is stored once.</param>
/// <param name="CanOpen">Whether this server knows the passphrase.</param>
public sealed record PoolReading(string Id, DateTimeOffset Made, bool Encrypts, bool Compresses, bool Deduplicates, bool CanOpen);

/// <summary>A target as it stands.</summary>
/// <param name="Target">As it was made.</param>
/// <param name="Region">Where its bucket is; null for a directory of this machine.</param>
/// <param name="Pool">Null while none was made.</param>
/// <param name="StoredBytes">Of all objects of the pool.</param>
/// <param name="StoredObjects">How many they are.</param>
/// <param name="Job">Under way, or the last; null for none since the start.</param>
/// <param name="Wrong">Why the place or its pool cannot be looked at.</param>
/// <param name="Test">The last self-test; null for none.</param>
/// <param name="Doubts">What one should know of it.</param>
/// <param name="MonthMoney">For what lies there in a month of 30 days, by the tiers where it rests, each in its first band; null for a
/// directory.</param>
/// <param name="MonthTerms">What makes that; empty for a directory.</param>
/// <param name="CapacityBytes">Of all its directories together; null where one has no limit but its disk's, and for other kinds.</param>
/// <param name="Disks">On which its directories lie, each once; empty for a bucket.</param>
public sealed record TargetReading(
    BackupTarget Target,
    string? Region,
    PoolReading? Pool,
    long StoredBytes,
    long StoredObjects,
    BackupJob? Job,
    string? Wrong,
    TestReading? Test,
    IReadOnlyList<BackupDoubt> Doubts,
    double? MonthMoney,
    IReadOnlyList<PricedTerm> MonthTerms,
    long? CapacityBytes,
    IReadOnlyList<DiskReading> Disks
);

/// <summary>A target before it is made.</summary>
/// <param name="Problems">Why it cannot be made so.</param>
/// <param name="Doubts">What one should know of it.</param>
/// <param name="Region">Where it would be; null for a directory.</param>
/// <param name="TerabyteMonth">Money for a TB there in a month of 30 days, in the first band; null for a directory.</param>
/// <param name="WaitHours">Before the first byte of what arrives.</param>
public sealed record TargetDraft(
    IReadOnlyList<Problem> Problems,
    IReadOnlyList<BackupDoubt> Doubts,
    string? Region,
    double? TerabyteMonth,
    double? WaitHours
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
        targets
            .MapPost("/draft", Draft)
            .WithName("readTargetDraft")
            .WithSummary("What a target would be like: what is wrong with it, what one should know, what it costs. Nothing is done.")
            .Accepts<BackupTarget>("application/json");
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
        targets.MapGet("/{id}/tests", ReadTests).WithName("readTests").WithSummary("The last self-tests, newest first, at most 50.");
        targets.MapPost("/{id}/pool", MakePool).WithName("makePool").WithSummary("Makes the target's pool.");
        targets
            .MapPost("/{id}/passphrase", Unlock)
            .WithName("unlockPool")
            .WithSummary("Takes the passphrase of a pool that this server cannot open.");
        targets.MapPoints();
        targets.MapRoom();
        targets.MapTargetUse();
        targets.MapVolumes();
        targets.MapCartridges();
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
        TargetPlaces places,
        Pools pools,
        Volumes volumes,
        BackupJobs jobs,
        CredentialBook credentials,
        TargetProbes probes,
        BackupRoots roots,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var read = new List<TargetReading>();
        var tests = await probes.Last(cancel);
        var disks = places.Disks(view.Estate.Targets);
        foreach (var target in view.Estate.Targets)
        {
            var test = tests.GetValueOrDefault(target.Id);
            read.Add(await Reading(view.Estate, target, places, pools, volumes, jobs, credentials, test, disks, cancel));
        }
        return TypedResults.Ok(new BackupsReading(read, roots.All));
    }

    private static async Task<Ok<TargetReading>> Read(
        string id,
        CurrentEstate current,
        TargetPlaces places,
        Pools pools,
        Volumes volumes,
        BackupJobs jobs,
        CredentialBook credentials,
        TargetProbes probes,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        var (view, target) = await Find(current, id, cancel);
        response.SetVersion(view.Version);
        var tests = await probes.Of(id, cancel);
        var disks = places.Disks(view.Estate.Targets);
        var test = tests.Count > 0 ? tests[0] : null;
        return TypedResults.Ok(await Reading(view.Estate, target, places, pools, volumes, jobs, credentials, test, disks, cancel));
    }

    private static async Task<TargetReading> Reading(
        Estate estate,
        BackupTarget target,
        TargetPlaces places,
        Pools pools,
        Volumes volumes,
        BackupJobs jobs,
        CredentialBook credentials,
        TargetProbe? test,
        IReadOnlyList<DiskReading> disks,
        CancellationToken cancel
    )
    {
        var known = new TargetReading(
            target,
            target.Bucket is { } bucket ? estate.Find(bucket)!.Region : null,
            null,
            0,
            0,
            jobs.Of(target.Id),
            volumes.FailureOf(target.Id),
            TargetTests.Of(test),
            [.. Ends(target, credentials), .. BackupDoubts.Of(target, estate)],
            null,
            [],
            target.HoldsPool ? target.AllCapacityBytes : null,
            []
        );
        try
        {
            var (bytes, objects, month) = places.Contents(target, estate);
            var own = disks.Where(d => d.IsSharedBy(target.Id)).ToList();
            known = known with
            {
                StoredBytes = bytes,
                StoredObjects = objects,
                MonthMoney = month?.Sum(t => t.Amount),
                MonthTerms = month ?? [],
                Disks = own,
                Doubts = [.. known.Doubts, .. DiskReading.Doubts(disks, target.Id)],
            };
            var pool = await pools.Look(target, cancel);
            return pool is not { } p
                ? known
                : known with
                {
                    Pool = new PoolReading(
                        p.Description.Id,
                        p.Description.Made,
                        p.Description.Encrypts,
                        p.Description.Compresses,
                        p.Description.Deduplicates,
                        p.CanOpen
                    ),
                };
        }
        catch (RefusalException refusal)
        {
            return known with { Wrong = refusal.Message };
        }
    }

    private static IEnumerable<BackupTarget> Others(Estate estate, string id) => estate.Targets.Where(t => t.Id != id);

    /// <summary>That its credential ends, or has ended.</summary>
    private static IEnumerable<BackupDoubt> Ends(BackupTarget target, CredentialBook credentials)
    {
        if (target.Credential is { } credential && credentials.Warning(credential) is { } warning)
            yield return new BackupDoubt("credential-ends", warning);
    }

    private static async Task<Results<Ok<TargetDraft>, ProblemHttpResult>> Draft(
        HttpRequest request,
        CurrentEstate current,
        TargetPlaces places,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var target = EstateDocument.ReadTarget(await request.ReadText(cancel), view.Estate);
        if (!target.Ok)
            return TypedResults.Ok(new TargetDraft(target.Problems, [], null, null, null));
        try
        {
            _ = places.ObjectsOf(target.Value);
            places.DemandCredential(target.Value);
        }
        catch (RefusalException refused)
        {
            return TypedResults.Ok(new TargetDraft([new Problem(refused.Code, refused.Path!, refused.Message)], [], null, null, null));
        }
        var bucket = target.Value.Bucket is { } name ? view.Estate.Find(name) : null;
        var prices = view.Estate.PriceBook;
        return TypedResults.Ok(
            new TargetDraft(
                [],
                [
                    .. BackupDoubts.Of(target.Value, view.Estate),
                    .. DiskReading.Doubts(places.Disks(Others(view.Estate, target.Value.Id).Append(target.Value)), target.Value.Id),
                ],
                bucket?.Region,
                bucket is null ? null : TargetCosts.TerabyteMonth(bucket, bucket.Tier, prices),
                bucket is null ? null : prices.Tiers.First(t => t.Id == bucket.Tier).WaitHours
            )
        );
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        TargetPlaces places,
        Pools pools,
        Volumes volumes,
        Cartridges cartridges,
        BackupJobs jobs,
        CredentialBook credentials,
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
                if (before is not null && (jobs.Of(id) is { Running: true } || cartridges.IsBusy(id)))
                    return Problems.Conflict("under-way", "Something is under way with this target; wait, or stop it.");
                if (volumes.Of(id) is { } volume && target.Value.CapacityBytes != volume.Volume.SizeBytes)
                    return Problems.Invalid(
                        "fixed-size",
                        "$.capacityBytes",
                        $"The volume is made, and has {volume.Volume.SizeBytes} bytes for life. Fill a larger one from a snapshot of it."
                    );
                await volumes.Empty(id, cancel);
                places.Leave(target.Value, before);
                if (target.Value.Credential is { } credential && credential != before?.Credential && !credentials.Has(credential))
                    return Problems.Invalid("no-credential", "$.credential", CredentialBook.Unknown(credential));
                var pool = target.Value.HoldsPool ? await pools.Look(target.Value, cancel) : null;
                if (pool is { Description.Encrypts: false })
                    Pools.DemandOwn(target.Value, "$.operatedBy");
                if (pool is { } made && made.Description.Deduplicates != target.Value.Deduplicates)
                    return Problems.Invalid(
                        "fixed-storing",
                        "$.deduplicates",
                        $"The pool that lies there is {(made.Description.Deduplicates ? "deduplicated" : "plain")} for life; make another one below another prefix."
                    );
                var others = Others(view.Estate, id).Append(target.Value);
                await current.Apply(
                    new PlannedChange(view.Estate with { Targets = [.. others] }),
                    () => store.ChangeTarget(before, target.Value, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
        if (refused is null)
        {
            await volumes.Follow(cancel);
            await cartridges.Forget(id);
        }
        return refused is not null ? refused : TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Remove(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        Volumes volumes,
        Cartridges cartridges,
        BackupJobs jobs,
        TargetProbes probes,
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
                if (view.Estate.Plans.FirstOrDefault(p => p.LeadsTo(id)) is { } plan)
                    return Problems.Conflict("planned", $"The plan '{plan.Id}' has its points here; change or remove it first.");
                if (jobs.Of(id) is { Running: true } || cartridges.IsBusy(id))
                    return Problems.Conflict("under-way", "Something is under way with this target; wait, or stop it.");
                if (view.Estate.Targets.FirstOrDefault(t => t.LeadsTo(id)) is { } leading)
                    return Problems.Conflict(
                        "led-to",
                        $"The pool of '{leading.Name}' is copied here, or goes on here when it is full: end that first."
                    );
                await volumes.Empty(id, cancel);
                await current.Apply(
                    new PlannedChange(view.Estate with { Targets = [.. Others(view.Estate, id)] }),
                    () => store.ChangeTarget(target, null, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
        if (refused is null)
        {
            await volumes.Follow(cancel);
            await cartridges.Forget(id);
            await probes.Forget(id, cancel);
        }
        return refused is not null ? refused : TypedResults.NoContent();
    }

    private static async Task<Ok<TestReading>> Test(string id, CurrentEstate current, TargetTests tests, CancellationToken cancel)
    {
        var (_, target) = await Find(current, id, cancel);
        return TypedResults.Ok(await tests.Test(target, cancel));
    }

    private static async Task<Ok<IReadOnlyList<TestReading>>> ReadTests(
        string id,
        CurrentEstate current,
        TargetProbes probes,
        CancellationToken cancel
    )
    {
        await Find(current, id, cancel);
        return TypedResults.Ok<IReadOnlyList<TestReading>>([.. (await probes.Of(id, cancel)).Select(p => TargetTests.Of(p)!)]);
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
        Volumes volumes,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (_, target) = await Find(current, id, cancel);
        await (
            target.Kind switch
            {
                TargetKind.Volume => volumes.Unlock(target, order.Passphrase, cancel),
                TargetKind.Cartridges => cartridges.Unlock(target, order.Passphrase, cancel),
                _ => pools.Unlock(target, order.Passphrase, cancel),
            }
        );
        return TypedResults.NoContent();
    }
}
