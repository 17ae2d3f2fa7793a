using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>How long to wait after a failure: a minute, then twice as long each time, up to a limit. All in milliseconds.</summary>
internal static class BackOff
{
    private const long First = 60_000;

    public const long LongestForALine = 3_600_000;

    public const long LongestForAnObject = 86_400_000;

    /// <param name="attempts">Failed so far, at least 1.</param>
    /// <param name="longest">The limit.</param>
    public static long After(int attempts, long longest) => Math.Min(longest, First << Math.Min(attempts - 1, 20));
}

/// <summary>A route's attempts on a line that is closed: how many failed one after another, and when the next is due.</summary>
internal sealed record RouteTries(long Route, int Attempts, long Next, bool Waits)
{
    private bool changed;

    public static RouteTries Of(SqliteConnection db, long route) =>
        db.List(
                "SELECT attempts, coalesce(next, 0), EXISTS (SELECT 1 FROM pending WHERE route = route.id) FROM route WHERE id = ?1",
                r => new RouteTries(route, r.GetInt32(0), r.GetInt64(1), r.GetInt32(2) == 1),
                route
            )
            .Single();

    /// <summary>The attempts that fail from <paramref name="from"/> on while the line is closed.</summary>
    public RouteTries While(long from, long closedUntil)
    {
        if (!Waits)
            return this;
        var (attempts, next) = (Attempts, Math.Max(from, Next));
        while (next < closedUntil)
            next += BackOff.After(++attempts, BackOff.LongestForALine);
        return attempts == Attempts ? this : this with { Attempts = attempts, Next = next, changed = true };
    }

    public void Store(SqliteConnection db)
    {
        if (changed)
            db.Run("UPDATE route SET attempts = ?2, next = ?3 WHERE id = ?1", Route, Attempts, Next);
    }
}
