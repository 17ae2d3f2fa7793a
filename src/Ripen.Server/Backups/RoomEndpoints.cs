using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A point that would go for room.</summary>
/// <param name="Point">Which.</param>
/// <param name="ThenBytes">Of all objects, when it and those before it are gone and the pool is pruned.</param>
public sealed record PointToGoReading(PointReading Point, long ThenBytes);

/// <summary>What making room would do now.</summary>
/// <param name="CapacityBytes">Of all the target's directories.</param>
/// <param name="StoredBytes">Of all objects, now.</param>
/// <param name="GoalBytes">So far room would be made.</param>
/// <param name="PrunedBytes">Of all objects, once what no point needs is gone.</param>
/// <param name="LeastBytes">Of all objects, were as many points gone as it takes, or all that may go: above the goal nothing goes.</param>
/// <param name="ThenBytes">Of all objects in the end.</param>
/// <param name="Points">That would go, oldest first.</param>
/// <param name="StayingPoints">How many stay.</param>
public sealed record RoomDraft(
    long CapacityBytes,
    long StoredBytes,
    long GoalBytes,
    long PrunedBytes,
    long LeastBytes,
    long ThenBytes,
    IReadOnlyList<PointToGoReading> Points,
    int StayingPoints
);

internal static class RoomEndpoints
{
    public static void MapRoom(this RouteGroupBuilder targets)
    {
        targets
            .MapGet("/{id}/room", Draft)
            .WithName("readRoom")
            .WithSummary("Which points would go now so that the target holds no more than a share of its capacity. Nothing is done.");
        targets
            .MapPost("/{id}/room", Start)
            .WithName("makeRoom")
            .WithSummary("Makes room as the target's rule says, in the background, whether it is above its mark or not.");
    }

    private static async Task<Ok<RoomDraft>> Draft(
        string id,
        [Description("A share of the capacity, from 0 to 1.")] double downTo,
        [Description("How many of a workload's newest points stay; at least 1.")] int leave,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        if (target.AllCapacityBytes is not { } capacity)
            throw new RefusalException(
                RefusalKind.Conflict,
                "no-capacity",
                "Room is made at a share of the capacity: say at how many bytes each directory is full.",
                "$.capacityBytes"
            );
        if (downTo is not (>= 0 and <= 1))
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "A share lies between 0 and 1.", "$.downTo");
        if (leave is < 1 or > 10_000)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "Between 1 and 10,000 points can be left.", "$.leave");
        using var pool = await pools.Open(target, cancel);
        var goal = RoomMaking.GoalOf(target, downTo);
        var plan = await PoolRoom.Plan(pool, goal, leave, cancel);
        var all = (await pool.Points(cancel)).Points.Count;
        return TypedResults.Ok(
            new RoomDraft(
                capacity,
                plan.StoredBytes,
                goal,
                plan.PrunedBytes,
                plan.LeastBytes,
                plan.ThenBytes,
                [.. plan.Points.Select(p => new PointToGoReading(PointReading.Of(p.Point), p.ThenBytes))],
                all - plan.Points.Count
            )
        );
    }

    private static async Task<Accepted<BackupJob>> Start(
        string id,
        CurrentEstate current,
        Pools pools,
        RoomMaking room,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        if (target.MakeRoom is null)
            throw new RefusalException(
                RefusalKind.Conflict,
                "no-room-rule",
                "The target does not say how room is made: what goes, from which mark down to which."
            );
        var pool = await pools.Open(target, cancel);
        return TypedResults.Accepted(
            $"/api/targets/{id}",
            PointEndpoints.Begin(
                jobs,
                pool,
                id,
                JobKind.Room,
                target.Name,
                async (_, stop) =>
                {
                    var made = await room.Make(view.Estate, target, pool, stop);
                    return job => job with { Files = made.Points.Count, Bytes = made.RemovedBytes, Room = made };
                }
            )
        );
    }
}
