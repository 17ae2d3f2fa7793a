using Ripen.Provider.Copying;
using Ripen.Provider.Index;

namespace Ripen.Provider.Time;

/// <summary>The provider's virtual UTC time. It stands still until somebody lets time pass; every midnight that is passed closes a day.</summary>
public sealed class ProviderClock
{
    private readonly ProviderState state;

    private readonly Carrier carrier;
    private readonly Probes probes;

    internal ProviderClock(ProviderState state, Carrier carrier, Probes probes) => (this.state, this.carrier, this.probes) = (state, carrier, probes);

    public DateTimeOffset Now => state.Index.Read(ProviderState.Now);

    public DateOnly Today => DateOnly.FromDateTime(Now.UtcDateTime);

    /// <summary>Where a passage of time was going when the program ended under way; null when none was.</summary>
    public DateTimeOffset? Interrupted => state.Index.Read(db =>
        db.Value<long?>("SELECT value FROM meta WHERE name = 'until'") is { } until ? DateTimeOffset.FromUnixTimeMilliseconds(until) : (DateTimeOffset?)null);

    /// <summary>
    /// Lets time pass until <paramref name="until"/>, a day at a time; what is stopped stands at the last midnight that was reached.
    /// </summary>
    /// <param name="until">Not before now.</param>
    /// <param name="passed">Is told of every day that was closed.</param>
    /// <param name="cancel">Stops, without a trace of the day under way.</param>
    /// <exception cref="RefusalException">The clock would run backwards, or further than 100 years.</exception>
    public void PassUntil(DateTimeOffset until, Action<DayRun>? passed, CancellationToken cancel)
    {
        CheckTarget(Now, until);
        state.Change(db => db.Run("INSERT INTO meta VALUES('until', ?1) ON CONFLICT DO UPDATE SET value = excluded.value", until.ToUnixTimeMilliseconds()), cancel);
        try
        {
            while (Today < DateOnly.FromDateTime(until.UtcDateTime))
            {
                cancel.ThrowIfCancellationRequested();
                Carry(Today.AddDays(1), TimeOnly.MinValue, cancel);
                var run = state.Change(db => Midnight.Close(db, state.Terms, ProviderState.Today(db), cancel), cancel);
                passed?.Invoke(run);
            }
            Carry(DateOnly.FromDateTime(until.UtcDateTime), TimeOnly.FromDateTime(until.UtcDateTime), cancel);
            state.Change(db => ProviderState.SetNow(db, until), cancel);
        }
        finally
        {
            state.Change(db => db.Run("DELETE FROM meta WHERE name = 'until'"), CancellationToken.None);
        }
    }

    private void Carry(DateOnly day, TimeOnly time, CancellationToken cancel)
    {
        var until = new DateTimeOffset(day.ToDateTime(time), TimeSpan.Zero);
        carrier.CarryUntil(until.ToUnixTimeMilliseconds(), cancel);
        probes.Settle(until);
    }

    /// <exception cref="RefusalException">The clock would run backwards, or further than 100 years.</exception>
    public static void CheckTarget(DateTimeOffset now, DateTimeOffset until)
    {
        if (until < now)
        {
            throw new RefusalException(RefusalKind.Invalid, "clock-backwards",
                $"It is {now:yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider, and its clock cannot run backwards; choose a later instant than {until:yyyy-MM-dd'T'HH:mm:ss'Z'}.", "$.until");
        }
        if (until > now.AddYears(100)) throw new RefusalException(RefusalKind.Invalid, "out-of-range", "The clock runs a hundred years at a time at most.", "$.until");
    }

    /// <summary>The newest runs first.</summary>
    public IReadOnlyList<DayRun> Runs(int most) => state.Index.Read(db => db.List(
        "SELECT day, arrived, copied, expired, moved, amount FROM run ORDER BY day DESC LIMIT ?1",
        r => new DayRun(DateOnly.FromDayNumber(r.GetInt32(0)), r.GetDouble(1), r.GetDouble(2), r.GetDouble(3), r.GetDouble(4), r.GetDouble(5)), most));
}
