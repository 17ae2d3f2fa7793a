using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Backups;

/// <summary>What is to be protected, and whether it is.</summary>
/// <param name="Today">The provider's day: bytes are those of it.</param>
/// <param name="On">The day on which workloads are judged.</param>
/// <param name="Workloads">In the estate's order.</param>
/// <param name="Judgements">One for each.</param>
/// <param name="Proofs">One for each: whether its restore was rehearsed lately.</param>
public sealed record WorkloadsReading(
    DateOnly Today,
    DateOnly On,
    IReadOnlyList<Workload> Workloads,
    IReadOnlyList<WorkloadJudgement> Judgements,
    IReadOnlyList<WorkloadProof> Proofs
);

internal static class WorkloadEndpoints
{
    public static void MapWorkloads(this RouteGroupBuilder api)
    {
        var workloads = api.MapGroup("/workloads").WithTags("Backups");
        workloads
            .MapGet("", Read)
            .WithName("readWorkloads")
            .WithSummary("What backup plans protect, and how that stands: now, or after a day's runs. The ETag is the estate's.");
        workloads
            .MapPut("/{id}", Put)
            .WithName("putWorkload")
            .WithSummary("Adds a workload, or puts it in the place of the one of this id. If-Match: the estate's ETag.")
            .Accepts<Workload>("application/json");
        workloads
            .MapDelete("/{id}", Remove)
            .WithName("removeWorkload")
            .WithSummary("Removes a workload that no plan protects. If-Match: the estate's ETag.");
    }

    private static async Task<Results<Ok<WorkloadsReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        RestoreRecords rehearsed,
        HttpResponse response,
        CancellationToken cancel,
        DateOnly? on = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        var estate = view.Estate;
        var judged = on is null ? WorkloadJudgement.Now(estate) : WorkloadJudgement.On(estate, PlanEndpoints.LastDay(estate, on));
        var (day, records) = (on ?? estate.Today, await rehearsed.Read(null, null, cancel));
        return TypedResults.Ok(
            new WorkloadsReading(estate.Today, day, estate.Workloads, judged, WorkloadProof.On(estate.Workloads, records, day))
        );
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        return await Plans.Change(
            current,
            request,
            async view =>
            {
                var estate = view.Estate;
                var workload = EstateDocument.ReadWorkload(json, estate);
                if (!workload.Ok)
                    return Problems.Invalid(workload.Problems);
                if (workload.Value.Id != id)
                    return Problems.Invalid("renamed", "$.id", $"A workload keeps its id; write '{id}'.");
                var before = estate.Workloads.FirstOrDefault(w => w.Id == id);
                var others = estate.Workloads.Where(w => w.Id != id).Append(workload.Value);
                await current.Apply(
                    new PlannedChange(estate with { Workloads = [.. others] }),
                    () => store.ChangeWorkload(before, workload.Value, estate.Today, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
    }

    private static Task<Results<NoContent, ProblemHttpResult>> Remove(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) =>
        Plans.Change(
            current,
            request,
            async view =>
            {
                var estate = view.Estate;
                if (estate.Workloads.FirstOrDefault(w => w.Id == id) is not { } workload)
                    return Problems.NotFound("no-workload", $"There is no workload '{id}'.");
                if (estate.Plans.FirstOrDefault(p => p.Workloads.Contains(id)) is { } plan)
                    return Problems.Conflict("planned", $"The plan '{plan.Id}' protects it; take it out there first.");
                await current.Apply(
                    new PlannedChange(estate with { Workloads = [.. estate.Workloads.Where(w => w.Id != id)] }),
                    () => store.ChangeWorkload(workload, null, estate.Today, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
}
