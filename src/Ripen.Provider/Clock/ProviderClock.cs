using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Replication;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Clock;

/// <summary>What others do while time passes.</summary>
/// <param name="Next">The first instant after one at which there is something to do, as far as another; null for none.</param>
/// <param name="Do">Does what is not done yet of it, while the clock stands there.</param>
public sealed record ClockStops(Func<DateTimeOffset, DateTimeOffset, DateTimeOffset?> Next, Action<DateTimeOffset, CancellationToken> Do);

/// <summary>The provider's virtual UTC time. It stands still until somebody lets time pass; every midnight that is passed closes a
/// day.</summary>
public sealed class ProviderClock
{
    private readonly ProviderState state;

    private readonly Carrier carrier;
    private readonly Probes probes;

    internal ProviderClock(ProviderState state, Carrier carrier, Probes probes) =>
        (this.state, this.carrier, this.probes) = (state, carrier, probes);

    public DateTimeOffset Now => state.Index.Read(ProviderState.Now);

    public DateOnly Today => DateOnly.FromDateTime(Now.UtcDateTime);

    /// <summary>Where a passage of time was going when the program ended under way; null when none was.</summary>
    public DateTimeOffset? Interrupted =>
        state.Index.Read(db =>
            db.Value<long?>("SELECT value FROM meta WHERE name = 'until'") is { } until
                ? DateTimeOffset.FromUnixTimeMilliseconds(until)
                : (DateTimeOffset?)null
        );

    /// <summary>Longer than this at once needs a confirmation when the keeping of something ends on the way.</summary>
    private const int DaysWithoutConfirmation = 366;

    /// <summary>What is kept now and no longer when time has passed until then, by bucket; empty when that is a year or less from
    /// now.</summary>
    public IReadOnlyList<KeptInBucket> Lapses(DateTimeOffset until) => state.Index.Read(db => Lapses(db, until));

    /// <summary>
    /// Lets time pass until <paramref name="until"/>, a day at a time; what is stopped stands at the last midnight that was reached.
    /// </summary>
    /// <param name="until">Not before now.</param>
    /// <param name="passed">Is told of every day that was closed.</param>
    /// <param name="cancel">Stops, without a trace of the day under way.</param>
    /// <param name="confirmed">The day of <paramref name="until"/>, typed, when <see cref="Lapses(DateTimeOffset)"/> says that something
    /// lapses.</param>
    /// <param name="stops">What else is done on the way; in this order where several are due at once.</param>
    /// <exception cref="RefusalException">The clock would run backwards, or further than 100 years; time passes already; what lapses was
    /// not confirmed.</exception>
    public void PassUntil(
        DateTimeOffset until,
        Action<DayRun>? passed,
        CancellationToken cancel,
        string? confirmed = null,
        params IReadOnlyList<ClockStops> stops
    )
    {
        state.Change(
            db =>
            {
                Check(db, until, confirmed);
                db.Run(
                    "INSERT INTO meta VALUES('until', ?1) ON CONFLICT DO UPDATE SET value = excluded.value",
                    until.ToUnixTimeMilliseconds()
                );
                state.Exclusion.BeginPassage();
            },
            cancel
        );
        try
        {
            while (Due(stops, until) is { Count: > 0 } due)
            {
                var at = due[0].At;
                state.Change(db => SetUnderWay(db, at));
                if (at > Now)
                    Pass(at, passed, cancel);
                foreach (var (_, act) in due)
                    act(at, cancel);
                state.Change(db => SetUnderWay(db, null));
            }
            // Nothing is due any more at an instant to which time was going once.
            state.Change(db => SetUnderWay(db, null));
            Pass(until, passed, cancel);
        }
        finally
        {
            state.Exclusion.EndPassage();
            state.Change(db => db.Run("DELETE FROM meta WHERE name = 'until'"), CancellationToken.None);
        }
    }

    /// <summary>What is to be done next, all of one instant. What a program that ended was at then is done again: whoever does it knows what of
    /// it is done already.</summary>
    private List<(DateTimeOffset At, Action<DateTimeOffset, CancellationToken> Do)> Due(
        IReadOnlyList<ClockStops> stops,
        DateTimeOffset until
    )
    {
        var now = Now;
        if (state.Index.Read(UnderWay) is { } cut && cut <= now)
            return [.. stops.Select(s => (cut, s.Do))];
        var next = stops.Select(s => (At: s.Next(now, until), s.Do)).Where(s => s.At is not null).Select(s => (s.At!.Value, s.Do)).ToList();
        return [.. next.Where(s => s.Value == next.Min(n => n.Value))];
    }

    private static DateTimeOffset? UnderWay(SqliteConnection db) =>
        db.Value<long?>("SELECT value FROM meta WHERE name = 'stop'") is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : null;

    private static void SetUnderWay(SqliteConnection db, DateTimeOffset? at)
    {
        if (at is { } instant)
            db.Run(
                "INSERT INTO meta VALUES('stop', ?1) ON CONFLICT DO UPDATE SET value = excluded.value",
                instant.ToUnixTimeMilliseconds()
            );
        else
            db.Run("DELETE FROM meta WHERE name = 'stop'");
    }

    private void Pass(DateTimeOffset until, Action<DayRun>? passed, CancellationToken cancel)
    {
        while (Today < DateOnly.FromDateTime(until.UtcDateTime))
        {
            cancel.ThrowIfCancellationRequested();
            Carry(Today.AddDays(1), TimeOnly.MinValue, cancel);
            var run = state.Change(db => Midnight.Close(db, state.TermsIn(db), ProviderState.Today(db), cancel), cancel);
            passed?.Invoke(run);
        }
        Carry(DateOnly.FromDateTime(until.UtcDateTime), TimeOnly.FromDateTime(until.UtcDateTime), cancel);
        state.Change(db => ProviderState.SetNow(db, until), cancel);
    }

    /// <summary>Whether <see cref="PassUntil"/> would be refused.</summary>
    /// <exception cref="RefusalException">It would.</exception>
    public void Demand(DateTimeOffset until, string? confirmed) =>
        state.Index.Read(db =>
        {
            Check(db, until, confirmed);
            return true;
        });

    private static void Check(SqliteConnection db, DateTimeOffset until, string? confirmed)
    {
        CheckTarget(ProviderState.Now(db), until);
        var day = until.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);
        if (confirmed == day || Lapses(db, until) is not { Count: > 0 } lapses)
            return;
        var some = string.Join(
            ", ",
            lapses.Take(5).Select(l => $"'{l.Bucket}' ({Wording.Objects(l.Objects)}, from {l.First:yyyy-MM-dd} on)")
        );
        throw new RefusalException(
            RefusalKind.Conflict,
            "retention-lapses",
            $"On the way to {day} retention of {Wording.Objects(lapses.Sum(l => l.Objects))} ends: "
                + $"{some}{(lapses.Count > 5 ? " and more" : "")}. They can be deleted from then on, by rules too. Confirm by typing "
                + $"the day, {day}.",
            "$.confirm"
        );
    }

    private static List<KeptInBucket> Lapses(SqliteConnection db, DateTimeOffset until) =>
        until <= ProviderState.Now(db).AddDays(DaysWithoutConfirmation)
            ? []
            : RetentionGate.ByBucket(db, until: DateOnly.FromDateTime(until.UtcDateTime));

    private void Carry(DateOnly day, TimeOnly time, CancellationToken cancel)
    {
        var until = new DateTimeOffset(day.ToDateTime(time), TimeSpan.Zero);
        carrier.CarryUntil(until.ToUnixTimeMilliseconds(), cancel);
        probes.Settle(until);
    }

    /// <exception cref="RefusalException">The clock would run backwards, or further than 100 years.</exception>
    private static void CheckTarget(DateTimeOffset now, DateTimeOffset until)
    {
        if (until < now)
        {
            throw new RefusalException(
                RefusalKind.Invalid,
                "clock-backwards",
                $"It is {now:yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider, and its clock cannot run backwards; choose a later instant "
                    + $"than {until:yyyy-MM-dd'T'HH:mm:ss'Z'}.",
                "$.until"
            );
        }
        if (until > now.AddYears(100))
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "The clock runs a hundred years at a time at most.", "$.until");
    }

    /// <summary>The newest runs first.</summary>
    public IReadOnlyList<DayRun> Runs(int most) =>
        state.Index.Read(db =>
            db.List(
                "SELECT day, arrived, copied, expired, moved, amount FROM run ORDER BY day DESC LIMIT ?1",
                r => new DayRun(
                    DateOnly.FromDayNumber(r.GetInt32(0)),
                    r.GetDouble(1),
                    r.GetDouble(2),
                    r.GetDouble(3),
                    r.GetDouble(4),
                    r.GetDouble(5)
                ),
                most
            )
        );
}
