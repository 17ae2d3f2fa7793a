using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Restores;
using Ripen.Provider;
using Ripen.Server.Objects;

namespace Ripen.Server.Backups;

/// <summary>What is to be restored of a point, where to, and what becomes of what is there already.</summary>
/// <param name="Point">Its id.</param>
/// <param name="Under">A path of it; empty for everything.</param>
/// <param name="Folder">Of this machine; null for objects.</param>
/// <param name="Existing">What is there already.</param>
/// <param name="Bucket">Into whose objects; null for a folder.</param>
/// <param name="Prefix">With which their keys begin.</param>
/// <param name="Recall">How what rests where reading takes a wait is recalled first; null: then it is refused.</param>
public sealed record RestoreOrder(
    [property: JsonRequired] string Point,
    [property: JsonRequired] string Under,
    string? Folder = null,
    Existing Existing = Existing.Refused,
    string? Bucket = null,
    string? Prefix = null,
    RecallChoice? Recall = null
);

/// <summary>How something is recalled.</summary>
/// <param name="Speed">The id of a recall speed; null for the ordinary one.</param>
/// <param name="Days">How many days the copies stay readable from the day on which they are ready: 1 to 3,650.</param>
public sealed record RecallChoice(string? Speed = null, int Days = 1);

/// <summary>The point whose restore is rehearsed.</summary>
/// <param name="Point">Its id.</param>
/// <param name="Recall">As for a restore.</param>
public sealed record RehearsalOrder([property: JsonRequired] string Point, RecallChoice? Recall = null);

/// <summary>What one wants to know of a restore before it is begun.</summary>
/// <param name="Point">Its id.</param>
/// <param name="Under">A path of it; empty for everything.</param>
/// <param name="Days">How many days what is recalled stays readable: 1 to 3,650.</param>
public sealed record RestoreQuestionOrder([property: JsonRequired] string Point, [property: JsonRequired] string Under, int Days = 1);

/// <summary>What a restore reads, and what has to be recalled before.</summary>
/// <param name="Files">That come back.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="ReadBytes">Of what is stored of them.</param>
/// <param name="Packs">Objects in which that lies.</param>
/// <param name="Recalls">At each speed; empty where all of it can be read at once.</param>
public sealed record RestoreReading(long Files, long Bytes, long ReadBytes, int Packs, IReadOnlyList<RecallAtSpeed> Recalls);

/// <summary>A restore or rehearsal that waits until what it reads can be read.</summary>
/// <param name="Id">To give it up by.</param>
/// <param name="Point">Its id.</param>
/// <param name="Under">A path of it; empty for everything.</param>
/// <param name="Into">Where to; null for a rehearsal.</param>
/// <param name="ReadyFrom">The provider's instant from which it is done.</param>
/// <param name="By">Who asked for it.</param>
public sealed record WaitingRestore(long Id, string Point, string Under, string? Into, DateTimeOffset ReadyFrom, string By);

internal static class RestoreEndpoints
{
    public static void MapRestores(this RouteGroupBuilder target)
    {
        target
            .MapPost("/restores", StartRestore)
            .WithName("startRestore")
            .WithSummary(
                "Restores into a folder of this machine or into objects of a bucket, in the background; every file is read back and compared. "
                    + "What has to be recalled is recalled first, if the order says how, and the restore waits for it."
            );
        target
            .MapPost("/restores/draft", Foresee)
            .WithName("readRestore")
            .WithSummary("What a restore reads, and what has to be recalled for it, with money and wait at each speed. Nothing is done.");
        target.MapGet("/restores", ReadWaiting).WithName("readWaitingRestores").WithSummary("Restores and rehearsals that wait.");
        target
            .MapDelete("/restores/{restore:long}", GiveUp)
            .WithName("giveUpRestore")
            .WithSummary("Gives a restore up that waits; what was recalled for it stays readable until its day.");
        target
            .MapPost("/rehearsals", StartRehearsal)
            .WithName("startRehearsal")
            .WithSummary("Reads all of a point into nowhere and compares every byte, in the background; a record says how it went.");
    }

    private static async Task<Accepted<BackupJob>> StartRestore(
        string id,
        RestoreOrder order,
        CurrentEstate current,
        Pools pools,
        WaitingRestores restores,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var pool = await pools.Open(target, cancel);
        var point = await Find(pool, order.Point, cancel);
        var job = await restores.Begin(target, pool, point, order, order.Recall, view.Estate, cancel);
        return TypedResults.Accepted($"/api/targets/{id}", job);
    }

    private static async Task<Accepted<BackupJob>> StartRehearsal(
        string id,
        RehearsalOrder order,
        CurrentEstate current,
        Pools pools,
        WaitingRestores restores,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var pool = await pools.Open(target, cancel);
        var point = await Find(pool, order.Point, cancel);
        var job = await restores.Begin(target, pool, point, null, order.Recall, view.Estate, cancel);
        return TypedResults.Accepted($"/api/targets/{id}", job);
    }

    private static async Task<Ok<RestoreReading>> Foresee(
        string id,
        RestoreQuestionOrder question,
        CurrentEstate current,
        Pools pools,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var point = await pool.FindPoint(question.Point, cancel);
        var (weight, recall) = await WaitingRestores.Weigh(target, pool, point, question.Under, question.Days, cancel);
        var speeds = recall is null ? [] : RecallEndpoints.AtSpeeds(provider, recall);
        var isAtHand = speeds.All(s => s.Recall.Objects == 0 && s.Recall.ReadyFrom <= provider.Clock.Now);
        return TypedResults.Ok(
            new RestoreReading(weight.Files, weight.Bytes, weight.ReadBytes, weight.Packs.Count, isAtHand ? [] : speeds)
        );
    }

    private static async Task<Ok<IReadOnlyList<WaitingRestore>>> ReadWaiting(
        string id,
        CurrentEstate current,
        WaitingRestores restores,
        CancellationToken cancel
    )
    {
        await TargetEndpoints.Find(current, id, cancel);
        return TypedResults.Ok(await restores.Of(id, cancel));
    }

    private static async Task<NoContent> GiveUp(
        string id,
        long restore,
        CurrentEstate current,
        WaitingRestores restores,
        CancellationToken cancel
    )
    {
        await TargetEndpoints.Find(current, id, cancel);
        await restores.GiveUp(id, restore, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Ripen.Backup.Points.Point> Find(Ripen.Backup.Pools.Pool pool, string point, CancellationToken cancel)
    {
        try
        {
            return await pool.FindPoint(point, cancel);
        }
        catch
        {
            pool.Dispose();
            throw;
        }
    }
}
