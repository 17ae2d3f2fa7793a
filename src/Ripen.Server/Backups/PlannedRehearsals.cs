using Ripen.Core.Backups;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Clock;

namespace Ripen.Server.Backups;

/// <summary>
/// Rehearsals that plans ask for: when a workload's last one is so many days ago, the restore of its newest point is rehearsed as a day
/// begins. One that fails is on record, and is tried again the next day.
/// </summary>
internal sealed class PlannedRehearsals(
    CurrentEstate current,
    SimulatedProvider provider,
    Pools pools,
    WaitingRestores restores,
    Rehearsals rehearsals,
    RestoreRecords records,
    LocalActors actors,
    ILogger<PlannedRehearsals> log
)
{
    /// <summary>For whoever lets time pass.</summary>
    public ClockStops Stops => new(Next, (_, cancel) => Run(cancel).GetAwaiter().GetResult());

    private DateTimeOffset? Next(DateTimeOffset now, DateTimeOffset until)
    {
        var asked = Asked();
        if (asked.Count == 0)
            return null;
        var (tomorrow, proved) = (DateOnly.FromDateTime(now.UtcDateTime).AddDays(1), Proved());
        var first = asked.Min(a => Due(a, proved) is { } due && due > tomorrow ? due : tomorrow);
        var at = new DateTimeOffset(first.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero);
        return at <= until ? at : null;
    }

    private async Task Run(CancellationToken cancel)
    {
        var (today, proved) = (provider.Clock.Today, Proved());
        foreach (var asked in Asked().Where(a => !(Due(a, proved) > today)))
        {
            try
            {
                await actors.As(new Actor($"the plan '{asked.Plan.Id}'"), () => Rehearse(asked.Plan, asked.Workload, cancel));
            }
            catch (Exception failed) when (failed is RefusalException or IOException)
            {
                log.LogError("{Plan}: the rehearsal of {Workload} failed. {Why}", asked.Plan.Id, asked.Workload, failed.Message);
            }
        }
    }

    private async Task Rehearse(BackupPlan plan, string workload, CancellationToken cancel)
    {
        if (provider.RunBefore(plan.Id, plan.Target, workload) is not { } newest)
            return;
        var estate = (await current.Get(cancel))!.Estate;
        if (newest.Point is not { } id)
        {
            await rehearsals.Of(estate, new PlannedRehearsal(plan.Id, workload, plan.Target, newest.Day), cancel);
            return;
        }
        var target = estate.Targets.First(t => t.Id == plan.Target);
        using var pool = await pools.Open(target, cancel);
        var point = await pool.FindPoint(id, cancel);
        await restores.RehearseOrWait(target, pool, point, estate, cancel);
    }

    /// <summary>The day from which it is due; null for one that was never rehearsed.</summary>
    private static DateOnly? Due((BackupPlan Plan, string Workload) asked, IReadOnlyDictionary<string, DateOnly> proved) =>
        proved.TryGetValue(asked.Workload, out var day) ? day.AddDays(asked.Plan.RehearseEveryDays!.Value) : null;

    private IReadOnlyDictionary<string, DateOnly> Proved() => records.Proved(CancellationToken.None).GetAwaiter().GetResult();

    private List<(BackupPlan Plan, string Workload)> Asked() =>
        [.. (provider.InForce?.Plans ?? []).Where(p => p.RehearseEveryDays is not null).SelectMany(p => p.Workloads.Select(w => (p, w)))];
}
