using System.Globalization;
using System.Text.Json;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Provider.Objects;

namespace Ripen.Server.Backups;

/// <summary>
/// Restores and rehearsals, at once where all that they read can be read; otherwise what rests where reading takes a wait is recalled first,
/// and they are done by themselves when the provider's clock has come so far. Those that wait outlive the server.
/// </summary>
internal sealed class WaitingRestores(
    CurrentEstate current,
    SimulatedProvider provider,
    Pools pools,
    RestorePlaces places,
    Recorded recorded,
    RestoresToCome waiting,
    LocalActors actors,
    ILogger<WaitingRestores> log
)
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    /// <summary>For whoever lets time pass.</summary>
    public ClockStops Stops => new(Next, (_, cancel) => Run(cancel).GetAwaiter().GetResult());

    /// <summary>What has to be read, and recalled before.</summary>
    /// <param name="target">Where from.</param>
    /// <param name="pool">Of the target.</param>
    /// <param name="point">Which.</param>
    /// <param name="under">A path of it.</param>
    /// <param name="days">How long copies that are recalled stay.</param>
    /// <param name="cancel">Stops looking.</param>
    /// <returns>The recall is null where a target is no bucket.</returns>
    public static async Task<(RestoreWeight Weight, RecallOrder? Recall)> Weigh(
        BackupTarget target,
        Pool pool,
        Point point,
        string under,
        int days,
        CancellationToken cancel
    )
    {
        var weight = await RestoreWeight.Of(pool, point, under, cancel);
        return (
            weight,
            target.Bucket is { } bucket
                ? new RecallOrder(bucket, null, [.. weight.Packs.Select(p => target.Prefix + p)], null, days, MissingIsFine: true)
                : null
        );
    }

    /// <summary>Begins a restore, or a rehearsal where there is no order, now or when it can be done. The pool is taken over.</summary>
    /// <exception cref="RefusalException">The place is refused; or something has to be recalled and nothing was said of it
    /// (<c>needs-recall</c>).</exception>
    public async Task<BackupJob> Begin(
        BackupTarget target,
        Pool pool,
        Point point,
        RestoreOrder? order,
        RecallChoice? choice,
        Estate estate,
        CancellationToken cancel
    )
    {
        try
        {
            var (aim, work) = Work(target.Id, order, estate);
            var (_, wanted) = await Weigh(target, pool, point, order?.Under ?? "", choice?.Days ?? 1, cancel);
            if (wanted is null || IsAtHand(provider.Recalls.Foresee(wanted)))
                return recorded.Start(pool, point, aim, (progress, stop) => work(pool, point, progress, stop));
            var ready = Recall(wanted, choice);
            await waiting.Add(ToCome(target.Id, point.Id, order, ready), cancel);
            pool.Dispose();
            return Waits(point, aim, ready);
        }
        catch
        {
            pool.Dispose();
            throw;
        }
    }

    /// <summary>Rehearses a point to its end where it can be read; otherwise recalls what it reads, and lets it wait.</summary>
    public async Task RehearseOrWait(BackupTarget target, Pool pool, Point point, Estate estate, CancellationToken cancel)
    {
        if ((await waiting.All(cancel)).Any(w => w.Target == target.Id && w.Point == point.Id && w.Order is null))
            return;
        var (aim, work) = Work(target.Id, null, estate);
        var (_, wanted) = await Weigh(target, pool, point, "", 1, cancel);
        if (wanted is null || IsAtHand(provider.Recalls.Foresee(wanted)))
            await recorded.ToEnd(point, aim, (progress, stop) => work(pool, point, progress, stop), cancel);
        else
            await waiting.Add(ToCome(target.Id, point.Id, null, Recall(wanted, new RecallChoice())), cancel);
    }

    private DateTimeOffset Recall(RecallOrder wanted, RecallChoice? choice)
    {
        if (choice is null)
        {
            var needs = provider.Recalls.Foresee(wanted);
            throw new RefusalException(
                RefusalKind.Conflict,
                "needs-recall",
                needs.Objects > 0
                    ? $"{Wording.Objects(needs.Objects)} of what it reads rest where reading takes a wait: say that they are recalled first, and the "
                        + "restore goes on by itself when they are ready."
                    : $"What it reads was recalled, and is ready from {needs.ReadyFrom:yyyy-MM-dd'T'HH:mm:ss'Z'} of the provider's clock on: say "
                        + "that it waits.",
                "$.recall"
            );
        }
        return provider.Recalls.Order(wanted with { Speed = choice.Speed, Days = choice.Days }).ReadyFrom;
    }

    private bool IsAtHand(Recall recall) => recall.Objects == 0 && recall.ReadyFrom <= provider.Clock.Now;

    private RestoreToCome ToCome(string target, string point, RestoreOrder? order, DateTimeOffset ready) =>
        new()
        {
            Target = target,
            Point = point,
            Order = order is null ? null : JsonSerializer.Serialize(order, Json),
            By = actors.Current.Name,
            ReadyFrom = ready,
        };

    private (RestoreAim Aim, RestoreWork Work) Work(string target, RestoreOrder? order, Estate estate)
    {
        if (order is null)
            return (
                new RestoreAim(target, RestoreKind.Rehearsal, "", null),
                (pool, point, progress, stop) => Restore.IntoNowhere(pool, point, progress, stop)
            );
        var (into, work) = places.Of(order, estate);
        return (new RestoreAim(target, RestoreKind.Restore, order.Under, into), work);
    }

    private BackupJob Waits(Point point, RestoreAim aim, DateTimeOffset ready) =>
        new(Recorded.KindOf(aim), Recorded.Words(point, aim), provider.Clock.Now, false, 0, 0, null, [], null, WaitsUntil: ready);

    /// <summary>Those of a target that wait, the next first.</summary>
    public async Task<IReadOnlyList<WaitingRestore>> Of(string target, CancellationToken cancel) =>
        [
            .. (await waiting.All(cancel))
                .Where(w => w.Target == target)
                .Select(w =>
                {
                    var order = OrderOf(w);
                    return new WaitingRestore(
                        w.Id,
                        w.Point,
                        order?.Under ?? "",
                        order is null ? null : order.Folder ?? $"{order.Bucket}/{order.Prefix}",
                        w.ReadyFrom,
                        w.By
                    );
                }),
        ];

    /// <summary>What was recalled stays readable until its day.</summary>
    /// <exception cref="RefusalException">There is none.</exception>
    public async Task GiveUp(string target, long id, CancellationToken cancel)
    {
        if (!await waiting.Remove(target, id, cancel))
            throw new RefusalException(RefusalKind.NotFound, "no-restore", "No such restore waits.");
    }

    private static RestoreOrder? OrderOf(RestoreToCome restore) =>
        restore.Order is { } json ? JsonSerializer.Deserialize<RestoreOrder>(json, Json) : null;

    private DateTimeOffset? Next(DateTimeOffset now, DateTimeOffset until) =>
        waiting
            .All(CancellationToken.None)
            .GetAwaiter()
            .GetResult()
            .Select(w => (DateTimeOffset?)w.ReadyFrom)
            .FirstOrDefault(ready => ready > now && ready <= until);

    private async Task Run(CancellationToken cancel)
    {
        foreach (var restore in (await waiting.All(cancel)).Where(w => w.ReadyFrom <= provider.Clock.Now))
        {
            try
            {
                await actors.As(new Actor(restore.By), () => Do(restore, cancel));
            }
            catch (Exception failed) when (failed is RefusalException or IOException)
            {
                log.LogError("{Target}: the restore of {Point} that waited failed. {Why}", restore.Target, restore.Point, failed.Message);
            }
            await waiting.Remove(restore.Target, restore.Id, CancellationToken.None);
        }
    }

    private async Task Do(RestoreToCome restore, CancellationToken cancel)
    {
        var estate = (await current.Get(cancel))!.Estate;
        var target =
            estate.Targets.FirstOrDefault(t => t.Id == restore.Target)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-target", $"There is no target '{restore.Target}' any more.");
        using var pool = await pools.Open(target, cancel);
        var point = await pool.FindPoint(restore.Point, cancel);
        var order = OrderOf(restore);
        // What lies there of a restore that was cut short is whole: it goes on.
        if (restore.IsBegun && order is { Existing: Existing.Refused })
            order = order with { Existing = Existing.Kept };
        var (aim, work) = Work(target.Id, order, estate);
        await waiting.Begin(restore.Id, cancel);
        await recorded.ToEnd(point, aim, (progress, stop) => work(pool, point, progress, stop), cancel);
    }
}
