using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Server.Backups;
using Ripen.Server.Budgets;

namespace Ripen.Server.Clock;

/// <summary>Time that is passing, or the last that did: from where to where, how far, and how it ended.</summary>
public sealed record Passage(DateTimeOffset From, DateTimeOffset Until, DateTimeOffset Reached, bool Running, bool Stopped, string? Error);

/// <summary>Lets time pass in the background, one passage at a time; it can be stopped between and within days.</summary>
internal sealed class ClockJob(
    SimulatedProvider provider,
    PlannedBackups backups,
    PlannedRehearsals rehearsals,
    WaitingRestores restores,
    BudgetWatch budgets,
    ILogger<ClockJob> log
) : IHostedService, IDisposable
{
    private readonly Lock starting = new();
    private CancellationTokenSource? stop;
    private Task running = Task.CompletedTask;
    private volatile Passage? passage;

    public Passage? Passage => passage;

    /// <exception cref="RefusalException">Time is passing already, or the clock would run backwards.</exception>
    public Passage Start(DateTimeOffset until, string? confirmed = null)
    {
        lock (starting)
        {
            if (passage is { Running: true })
                throw new RefusalException(RefusalKind.Conflict, "time-passes", "Time is passing already; wait, or stop it first.");
            var now = provider.Clock.Now;
            provider.Clock.Demand(until, confirmed);
            stop?.Dispose();
            stop = new CancellationTokenSource();
            passage = new Passage(now, until, now, true, false, null);
            var cancel = stop.Token;
            running = Task.Run(() => Run(until, confirmed, cancel), CancellationToken.None);
            return passage;
        }
    }

    public void Stop() => stop?.Cancel();

    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        Stop();
        await running;
    }

    public void Dispose()
    {
        // A host may still ask for a stop afterwards.
        var last = stop;
        stop = null;
        last?.Dispose();
    }

    private void Run(DateTimeOffset until, string? confirmed, CancellationToken cancel)
    {
        try
        {
            provider.Clock.PassUntil(
                until,
                run =>
                    passage = passage! with
                    {
                        Reached = new DateTimeOffset(run.Day.AddDays(1).ToDateTime(TimeOnly.MinValue), TimeSpan.Zero),
                    },
                cancel,
                confirmed,
                [restores.Stops, backups.Stops, rehearsals.Stops, budgets.Stops]
            );
            passage = passage! with { Reached = until, Running = false };
        }
        catch (OperationCanceledException)
        {
            passage = passage! with { Reached = provider.Clock.Now, Running = false, Stopped = true };
        }
        catch (Exception error)
        {
            log.LogError(error, "Time stopped passing on the way to {Until}.", until);
            passage = passage! with { Reached = provider.Clock.Now, Running = false, Error = error.Message };
        }
    }
}
