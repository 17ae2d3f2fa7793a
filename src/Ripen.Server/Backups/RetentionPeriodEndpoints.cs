using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>How long the organisation has to keep what.</summary>
public sealed record RetentionPeriodsReading(IReadOnlyList<RetentionPeriod> RetentionPeriods);

internal static class RetentionPeriodEndpoints
{
    public static void MapRetentionPeriods(this RouteGroupBuilder api)
    {
        var periods = api.MapGroup("/retention-periods").WithTags("Backups");
        periods
            .MapGet("", Read)
            .WithName("readRetentionPeriods")
            .WithSummary("The organisation's own list of retention periods. The ETag is the estate's.");
        periods
            .MapPut("", Put)
            .WithName("putRetentionPeriods")
            .WithSummary("Puts a list in the place of the one there is; plans that took a period over stay as they are.")
            .Accepts<RetentionPeriodsReading>("application/json");
    }

    private static async Task<Results<Ok<RetentionPeriodsReading>, ProblemHttpResult>> Read(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(new RetentionPeriodsReading(view.Estate.RetentionPeriods));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Put(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        return await Replication.Plans.Change(
            current,
            request,
            async view =>
            {
                var read = EstateDocument.ReadPeriods(json);
                if (!read.Ok)
                    return Problems.Invalid(read.Problems);
                var after = view.Estate with { RetentionPeriods = read.Value };
                await current.Apply(
                    new PlannedChange(after),
                    () => store.ChangePeriods(view.Estate.RetentionPeriods, read.Value, view.Version, cancel)
                );
                return null;
            },
            cancel
        );
    }
}
