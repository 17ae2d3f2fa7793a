using System.ComponentModel;
using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>What to back up, and the workload whose points it makes.</summary>
/// <param name="Workload">Its name.</param>
/// <param name="Folder">Of this machine; null for objects.</param>
/// <param name="Bucket">Whose objects; null for a folder.</param>
/// <param name="Prefix">Those that begin so, what follows the last '/' of it included in their names.</param>
/// <param name="Full">Reads and, in a plain pool, stores everything; the first run of a workload always does.</param>
/// <param name="EncryptedAtSource">What comes is encrypted: it is kept apart and stored as it is.</param>
public sealed record RunOrder(
    [property: JsonRequired] string Workload,
    string? Folder = null,
    string? Bucket = null,
    string? Prefix = null,
    bool Full = false,
    bool EncryptedAtSource = false
);

/// <summary>The target to which a whole pool is copied.</summary>
public sealed record PoolCopyOrder([property: JsonRequired] string Target);

/// <summary>A restore point as lists show it.</summary>
public sealed record PointReading(
    string Id,
    string Workload,
    DateTimeOffset Taken,
    double Seconds,
    long Files,
    long LogicalBytes,
    long NewBytes,
    long StoredBytes,
    bool? IsFull,
    double? BytesPerSecond,
    long ProblemCount,
    IReadOnlyList<RunProblem> Problems,
    string? Plan,
    DateOnly? KeptUntil
)
{
    internal static PointReading Of(Point p) =>
        new(
            p.Id,
            p.Workload,
            p.Taken,
            p.Seconds,
            p.Files,
            p.LogicalBytes,
            p.NewBytes,
            p.StoredBytes,
            p.IsFull,
            p.Seconds > 0 ? p.LogicalBytes / p.Seconds : null,
            p.ProblemCount,
            p.Problems,
            p.Plan,
            p.KeptUntil
        );
}

/// <summary>The points of a pool, newest first, and those that cannot be read.</summary>
public sealed record PointsReading(IReadOnlyList<PointReading> Points, IReadOnlyList<RunProblem> Unreadable);

internal static class PointEndpoints
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(30);

    public static void MapPoints(this RouteGroupBuilder targets)
    {
        var target = targets.MapGroup("/{id}");
        target.MapPost("/runs", StartRun).WithName("startRun").WithSummary("Backs a folder of this machine up, in the background.");
        target
            .MapPost("/checks", StartCheck)
            .WithName("startCheck")
            .WithSummary("Reads and compares everything in the pool, in the background.");
        target
            .MapPost("/prunes", StartPrune)
            .WithName("startPrune")
            .WithSummary("Removes what no point needs, in the background; what runs at work may need is left to the next prune.");
        target
            .MapPost("/copies", StartCopy)
            .WithName("startPoolCopy")
            .WithSummary("Copies the whole pool to another target, in the background; what is there already is not brought again.");
        target
            .MapDelete("/points/{point}", RemovePoint)
            .WithName("removePoint")
            .WithSummary("Removes a restore point; what only it needed goes with the next prune.");
        target
            .MapGet("/job", ReadJob)
            .WithName("readJob")
            .WithSummary("What is under way with the target, or was last. Who waits is answered when it is over, or after half a minute.");
        target.MapDelete("/job", StopJob).WithName("stopJob").WithSummary("Stops what is under way with the target.");
        target.MapGet("/points", ReadPoints).WithName("readPoints").WithSummary("The restore points, newest first.");
        target.MapRestores();
        target.MapPointContents();
        target.MapMails();
    }

    private static async Task<Accepted<BackupJob>> StartRun(
        string id,
        RunOrder order,
        CurrentEstate current,
        Pools pools,
        Sources sources,
        BackupRoots roots,
        RoomMaking room,
        BackupJobs jobs,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var from = new WorkloadSource
        {
            // A workload's folder may be said shortly, so that a document serves on any machine; whoever asks here knows the machine.
            Folder = order.Folder is { } folder ? roots.Demand(folder, "$.folder") : null,
            Bucket = order.Bucket,
            Prefix = order.Prefix,
        };
        var (source, about) = sources.Of(from, target, "$");
        if (order.Workload.Trim().Length is 0 or > 100)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "A workload's name has 1 to 100 characters.", "$.workload");
        // Before anything is begun: a pool that cannot be opened is said at once.
        var pool = await pools.Open(target, cancel);
        var workload = order.Workload.Trim();
        var options = new RunOptions
        {
            Full = order.Full,
            // Said of the workload once, it holds for every run of it.
            EncryptedAtSource = order.EncryptedAtSource || view.Estate.Workloads.Any(w => w.Id == workload && w.EncryptedAtSource),
        };
        return TypedResults.Accepted(
            $"/api/targets/{id}",
            Begin(
                jobs,
                pool,
                id,
                JobKind.Run,
                about,
                async (tell, stop) =>
                {
                    var progress = new Told<RunProgress>(p => tell(p.Files, p.Bytes));
                    Task<Point> Into(Pool into) => BackupRun.Of(into, source, workload, options, time, progress, stop);
                    var (point, full, made) = await room.Within(view.Estate, target, pool, Into, stop);
                    return job =>
                        job with
                        {
                            Point = PointReading.Of(point),
                            Files = point.Files,
                            Bytes = point.LogicalBytes,
                            Problems = [.. full, .. point.Problems],
                            Room = made,
                        };
                }
            )
        );
    }

    private static async Task<Accepted<BackupJob>> StartCheck(
        string id,
        CurrentEstate current,
        Pools pools,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var pool = await pools.Open(target, cancel);
        return TypedResults.Accepted(
            $"/api/targets/{id}",
            Begin(
                jobs,
                pool,
                id,
                JobKind.Check,
                target.Name,
                async (_, stop) =>
                {
                    var report = await PoolCheck.Of(pool, stop);
                    return job =>
                        job with
                        {
                            Files = report.Chunks,
                            Bytes = report.Bytes,
                            Problems = [.. report.Damaged.Concat(report.Lost).Concat(report.Away).Take(Point.MostProblems)],
                        };
                }
            )
        );
    }

    private static async Task<Accepted<BackupJob>> StartPrune(
        string id,
        CurrentEstate current,
        Pools pools,
        BackupJobs jobs,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var pool = await pools.Open(target, cancel);
        return TypedResults.Accepted(
            $"/api/targets/{id}",
            Begin(
                jobs,
                pool,
                id,
                JobKind.Prune,
                target.Name,
                async (_, stop) =>
                {
                    var result = await PoolPrune.Of(pool, time, stop);
                    return job =>
                        job with
                        {
                            Files = result.RemovedPacks,
                            Bytes = result.RemovedBytes,
                            Problems = [.. result.Kept.Take(Point.MostProblems)],
                        };
                }
            )
        );
    }

    private static async Task<Accepted<BackupJob>> StartCopy(
        string id,
        PoolCopyOrder order,
        CurrentEstate current,
        PoolCopies copies,
        CancellationToken cancel
    )
    {
        var (_, from) = await TargetEndpoints.Find(current, id, cancel);
        var (_, to) = await TargetEndpoints.Find(current, order.Target, cancel);
        return TypedResults.Accepted($"/api/targets/{id}", await copies.Start(from, to, cancel));
    }

    private static async Task<NoContent> RemovePoint(
        string id,
        string point,
        CurrentEstate current,
        Pools pools,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        await pool.Remove(point, cancel);
        provider.NoteLost(new HashSet<string> { point }, "Its point was there, and somebody removed it.");
        return TypedResults.NoContent();
    }

    /// <summary>The pool is the work's from here on.</summary>
    internal static BackupJob Begin(
        BackupJobs jobs,
        Pool pool,
        string id,
        JobKind kind,
        string about,
        Func<Action<long, long>, CancellationToken, Task<Func<BackupJob, BackupJob>>> work
    )
    {
        try
        {
            return jobs.Start(
                id,
                kind,
                about,
                async (tell, stop) =>
                {
                    using (pool)
                        return await work(tell, stop);
                }
            );
        }
        catch
        {
            pool.Dispose();
            throw;
        }
    }

    private static async Task<Ok<BackupJob>> ReadJob(
        string id,
        bool? wait,
        CurrentEstate current,
        BackupJobs jobs,
        CancellationToken cancel
    )
    {
        await TargetEndpoints.Find(current, id, cancel);
        if (wait == true)
            await jobs.Wait(id, LongestWait, cancel);
        return TypedResults.Ok(
            jobs.Of(id)
                ?? throw new RefusalException(RefusalKind.NotFound, "no-job", "Nothing was done with this target since the server started.")
        );
    }

    private static async Task<NoContent> StopJob(string id, CurrentEstate current, BackupJobs jobs, CancellationToken cancel)
    {
        await TargetEndpoints.Find(current, id, cancel);
        jobs.Stop(id);
        return TypedResults.NoContent();
    }

    private static async Task<Ok<PointsReading>> ReadPoints(string id, CurrentEstate current, Pools pools, CancellationToken cancel)
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var (points, unreadable) = await pool.Points(cancel);
        return TypedResults.Ok(new PointsReading([.. points.Reverse().Select(PointReading.Of)], unreadable));
    }

    internal sealed class Told<T>(Action<T> act) : IProgress<T>
    {
        public void Report(T value) => act(value);
    }
}
