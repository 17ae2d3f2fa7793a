using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>How long the organisation has to keep what.</summary>
public sealed record RetentionPeriodsReading(IReadOnlyList<RetentionPeriod> RetentionPeriods);

/// <summary>The machines that carry what plans store.</summary>
public sealed record CarriersReading(IReadOnlyList<CarrierMachine> Carriers);

/// <summary>Lists that plans take something from; each is read and written whole.</summary>
internal static class PlanListEndpoints
{
    public static void MapPlanLists(this RouteGroupBuilder api)
    {
        var periods = api.MapGroup("/retention-periods").WithTags("Backups");
        periods
            .MapGet(
                "",
                (CurrentEstate current, HttpResponse response, CancellationToken cancel) =>
                    WholeList.Read(current, response, e => new RetentionPeriodsReading(e.RetentionPeriods), cancel)
            )
            .WithName("readRetentionPeriods")
            .WithSummary("The organisation's own list of retention periods. The ETag is the estate's.");
        periods
            .MapPut("", PutPeriods)
            .WithName("putRetentionPeriods")
            .WithSummary("Puts a list in the place of the one there is; plans that took a period over stay as they are.")
            .Accepts<RetentionPeriodsReading>("application/json");
        var carriers = api.MapGroup("/carriers").WithTags("Backups");
        carriers
            .MapGet(
                "",
                (CurrentEstate current, HttpResponse response, CancellationToken cancel) =>
                    WholeList.Read(current, response, e => new CarriersReading(e.Carriers), cancel)
            )
            .WithName("readCarriers")
            .WithSummary("The machines that carry what plans store. The ETag is the estate's.");
        carriers
            .MapPut("", PutCarriers)
            .WithName("putCarriers")
            .WithSummary("Puts a list of machines in the place of the one there is; one that a plan names has to stay.")
            .Accepts<CarriersReading>("application/json");
    }

    private static Task<Results<NoContent, ProblemHttpResult>> PutPeriods(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) =>
        WholeList.Put(
            request,
            current,
            (json, _) => EstateDocument.ReadPeriods(json),
            (estate, periods) => estate with { RetentionPeriods = periods },
            (view, periods) => store.ChangePeriods(view.Estate.RetentionPeriods, periods, view.Version, cancel),
            cancel
        );

    private static Task<Results<NoContent, ProblemHttpResult>> PutCarriers(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) =>
        WholeList.Put(
            request,
            current,
            EstateDocument.ReadCarriers,
            (estate, carriers) => estate with { Carriers = carriers },
            (view, carriers) => store.ChangeCarriers(view.Estate.Carriers, carriers, view.Version, cancel),
            cancel
        );
}
