using System.Collections.Concurrent;
using Ripen.Backup.Points;

namespace Ripen.Server.Backups;

/// <summary>What a target's pool is worked on for.</summary>
public enum JobKind
{
    Run,
    Restore,
    Rehearsal,
    Check,
    Prune,
    Copy,
    PointCopy,
    PoolCopy,
    Room,
}

/// <summary>Work on a target's pool, under way or the last one.</summary>
/// <param name="Kind">Of what.</param>
/// <param name="About">The folder, or the point.</param>
/// <param name="Begun">When.</param>
/// <param name="Running">Whether it is under way.</param>
/// <param name="Files">Done so far; of a check its chunks, of a prune the packs that it removed.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Point">The point that a run made.</param>
/// <param name="Problems">What could not be done, by name: at most 1,000.</param>
/// <param name="Error">Why it ended before its end.</param>
/// <param name="Room">What was done for room in the target; null for nothing.</param>
/// <param name="Left">Files of the point that a restore left out, because something of their name was there.</param>
/// <param name="WaitsUntil">The provider's instant until which it waits for what it reads to be recalled; null where it waits for nothing.</param>
public sealed record BackupJob(
    JobKind Kind,
    string About,
    DateTimeOffset Begun,
    bool Running,
    long Files,
    long Bytes,
    PointReading? Point,
    IReadOnlyList<RunProblem> Problems,
    string? Error,
    RoomReading? Room = null,
    long Left = 0,
    DateTimeOffset? WaitsUntil = null
);

/// <summary>Runs, restores and checks in the background, one at a time for each target. Those under way end with the server, and harm
/// nothing by it.</summary>
internal sealed class BackupJobs(TimeProvider time, ILogger<BackupJobs> log) : IHostedService, IDisposable
{
    private readonly ConcurrentDictionary<string, BackupJob> jobs = [];
    private readonly ConcurrentDictionary<string, (CancellationTokenSource Stop, Task Task)> under = [];
    private CancellationTokenSource? ending = new();
    private readonly Lock starting = new();

    /// <summary>Work that was over sooner leaves little behind, and there may be hundreds of it while time passes.</summary>
    private static readonly TimeSpan Long = TimeSpan.FromSeconds(1);

    public const string ByHand = "stopped-by-hand";

    public BackupJob? Of(string target) => jobs.GetValueOrDefault(target);

    /// <param name="target">Its id.</param>
    /// <param name="kind">What is done.</param>
    /// <param name="about">With what.</param>
    /// <param name="work">Does it, tells how far it is, and gives the job as it ended.</param>
    /// <exception cref="RefusalException">Something is under way for the target already.</exception>
    public BackupJob Start(
        string target,
        JobKind kind,
        string about,
        Func<Action<long, long>, CancellationToken, Task<Func<BackupJob, BackupJob>>> work
    )
    {
        lock (starting)
        {
            if (jobs.GetValueOrDefault(target) is { Running: true })
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "under-way",
                    "Something is under way with this target already; wait, or stop it."
                );
            if (under.TryRemove(target, out var last))
                last.Stop.Dispose();
            var stop = CancellationTokenSource.CreateLinkedTokenSource(ending?.Token ?? new CancellationToken(canceled: true));
            var job = jobs[target] = new BackupJob(kind, about, time.GetUtcNow(), true, 0, 0, null, [], null);
            under[target] = (stop, Task.Run(() => Do(target, work, stop.Token), CancellationToken.None));
            return job;
        }
    }

    /// <summary>The same, when nothing is under way any more; on return it is over, and what ended it early is thrown.</summary>
    /// <exception cref="RefusalException">Somebody stopped it (code <see cref="ByHand"/>), or what the work throws.</exception>
    /// <exception cref="OperationCanceledException">Whoever waits for it does no more, or the server ends.</exception>
    public async Task<T> RunToEnd<T>(
        string target,
        JobKind kind,
        string about,
        Func<Action<long, long>, CancellationToken, Task<(T Result, Func<BackupJob, BackupJob> End)>> work,
        CancellationToken cancel
    )
    {
        var ended = new TaskCompletionSource<T>(TaskCreationOptions.RunContinuationsAsynchronously);
        while (true)
        {
            try
            {
                Start(target, kind, about, Told);
                return await ended.Task;
            }
            catch (RefusalException busy) when (busy.Code == "under-way" && !ended.Task.IsCompleted)
            {
                if (under.TryGetValue(target, out var other))
                    await other.Task.WaitAsync(cancel);
            }
        }

        async Task<Func<BackupJob, BackupJob>> Told(Action<long, long> tell, CancellationToken stop)
        {
            try
            {
                using var either = CancellationTokenSource.CreateLinkedTokenSource(stop, cancel);
                var (result, end) = await work(tell, either.Token);
                ended.SetResult(result);
                return end;
            }
            catch (OperationCanceledException) when (cancel.IsCancellationRequested || ending is not { IsCancellationRequested: false })
            {
                ended.SetCanceled(CancellationToken.None);
                throw;
            }
            catch (OperationCanceledException)
            {
                ended.SetException(new RefusalException(RefusalKind.Conflict, ByHand, "Somebody stopped it."));
                throw;
            }
            catch (Exception error)
            {
                ended.SetException(error);
                throw;
            }
        }
    }

    /// <summary>Waits until nothing is under way with the target any more, or so long.</summary>
    public async Task Wait(string target, TimeSpan most, CancellationToken cancel)
    {
        if (!under.TryGetValue(target, out var work))
            return;
        try
        {
            await work.Task.WaitAsync(most, time, cancel);
        }
        catch (TimeoutException)
        {
            // Who waits asks again.
        }
    }

    public void Stop(string target)
    {
        lock (starting)
        {
            if (Of(target) is { Running: true } && under.TryGetValue(target, out var work))
                work.Stop.Cancel();
        }
    }

    private async Task Do(
        string target,
        Func<Action<long, long>, CancellationToken, Task<Func<BackupJob, BackupJob>>> work,
        CancellationToken stop
    )
    {
        var begun = time.GetTimestamp();
        try
        {
            var end = await work((files, bytes) => jobs[target] = jobs[target] with { Files = files, Bytes = bytes }, stop);
            jobs[target] = end(jobs[target]) with { Running = false };
        }
        catch (OperationCanceledException)
        {
            jobs[target] = jobs[target] with { Running = false, Error = "It was stopped. Nothing that was there before is harmed." };
        }
        catch (Exception error)
        {
            if (error is not RefusalException)
                log.LogError(error, "Work on the backup target {Target} ended early.", target);
            jobs[target] = jobs[target] with { Running = false, Error = error.Message };
        }
        if (time.GetElapsedTime(begun) > Long)
            Leftovers.GiveBack();
    }

    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        try
        {
            if (ending is { } end)
                await end.CancelAsync();
        }
        catch (ObjectDisposedException)
        {
            // A host that stops twice at once: the other stop has come further.
        }
        await Task.WhenAll(under.Values.Select(w => w.Task));
    }

    public void Dispose()
    {
        foreach (var (stop, _) in under.Values)
            stop.Dispose();
        // A host may still ask for a stop afterwards.
        var last = ending;
        ending = null;
        last?.Dispose();
    }
}
