using System.Collections.Concurrent;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>Copies whole pools to other targets, by hand and on their schedules. Schedules begin anew with the server: what is there already is
/// not brought again.</summary>
internal sealed class PoolCopies(
    CurrentEstate current,
    TargetPlaces places,
    Pools pools,
    BackupJobs jobs,
    TimeProvider time,
    ILogger<PoolCopies> log
) : BackgroundService
{
    private static readonly TimeSpan Look = TimeSpan.FromMinutes(1);

    private readonly ConcurrentDictionary<string, DateTimeOffset> begun = [];

    /// <exception cref="RefusalException">One of the two holds no pools, the pool is in clear and the other place is not our own, or something is
    /// under way.</exception>
    public async Task<BackupJob> Start(BackupTarget from, BackupTarget to, CancellationToken cancel)
    {
        if (!from.HoldsPool || !to.HoldsPool || from.Id == to.Id)
            throw new RefusalException(
                RefusalKind.Conflict,
                "no-pool-here",
                "A whole pool is copied from one target that holds pools to another one.",
                "$.target"
            );
        begun[from.Id] = time.GetUtcNow();
        if (await pools.Look(from, cancel) is { Description.Encrypts: false })
            Pools.DemandOwn(to, "$.target");
        return jobs.Start(
            from.Id,
            JobKind.PoolCopy,
            to.Name,
            async (tell, stop) =>
            {
                var copied = await PoolCopy.Of(places.ObjectsOf(from), places.ObjectsOf(to), tell, stop);
                return job => job with { Files = copied.Objects, Bytes = copied.Bytes };
            }
        );
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Look, time);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await StartDue(stoppingToken);
            }
            catch (Exception error) when (error is not OperationCanceledException)
            {
                log.LogError(error, "The scheduled copies of pools ended early.");
            }
        }
    }

    private async Task StartDue(CancellationToken cancel)
    {
        var targets = (await current.Get(cancel))?.Estate.Targets ?? [];
        foreach (var from in targets.Where(t => t.CopyTo is not null && jobs.Of(t.Id) is not { Running: true }))
        {
            var due = begun.TryGetValue(from.Id, out var last) ? last.AddHours(from.CopyTo!.EveryHours) : DateTimeOffset.MinValue;
            if (due <= time.GetUtcNow())
                await Start(from, targets.First(t => t.Id == from.CopyTo!.Target), cancel);
        }
    }
}
