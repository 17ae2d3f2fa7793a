using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Replication.Queues;

/// <summary>A line between two regions that is cut in both directions; <see cref="Until"/> is null when somebody has to restore
/// it.</summary>
public sealed record LineCut(string One, string Other, DateTimeOffset Since, DateTimeOffset? Until);

/// <summary>A region that cannot be reached, since when on the provider's clock.</summary>
public sealed record LostRegion(string Region, DateTimeOffset Since);

/// <summary>The state of lines and regions: what is cut or lost, and how much of a day's capacity a line has spent.</summary>
internal static class Lines
{
    private const long MillisecondsPerDay = 86_400_000;

    public static List<LineCut> Cuts(SqliteConnection db)
    {
        var now = ProviderState.Now(db);
        return
        [
            .. db.List(
                    "SELECT one, other, since, until FROM cut ORDER BY one, other",
                    r => new LineCut(r.GetString(0), r.GetString(1), Instant(r.GetInt64(2)), r.Long(3) is { } u ? Instant(u) : null)
                )
                .Where(c => c.Until is null || c.Until > now),
        ];
    }

    public static List<LostRegion> Lost(SqliteConnection db) =>
        db.List("SELECT region, since FROM lost_region ORDER BY region", r => new LostRegion(r.GetString(0), Instant(r.GetInt64(1))));

    public static bool IsLost(SqliteConnection db, string region) =>
        db.Value<long>("SELECT count(*) FROM lost_region WHERE region = ?1", region) > 0;

    /// <summary>Until when, in milliseconds, nothing passes a line: in the past when it is open, the end of time when nobody
    /// knows.</summary>
    public static long ClosedUntil(SqliteConnection db, LineEnds line)
    {
        if (IsLost(db, line.From) || IsLost(db, line.To))
            return long.MaxValue;
        var (one, other) = Sorted(line.From, line.To);
        return db.List("SELECT until FROM cut WHERE one = ?1 AND other = ?2", r => r.Long(0) ?? long.MaxValue, one, other)
            .DefaultIfEmpty(long.MinValue)
            .Single();
    }

    public static void Cut(SqliteConnection db, string from, string to, DateTimeOffset? until)
    {
        var (one, other) = Sorted(from, to);
        db.Run(
            "INSERT INTO cut VALUES(?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET until = excluded.until",
            one,
            other,
            ProviderState.Now(db).ToUnixTimeMilliseconds(),
            until?.ToUnixTimeMilliseconds()
        );
    }

    /// <summary>Opens the line and lets everything try again at once.</summary>
    public static void Restore(SqliteConnection db, string from, string to)
    {
        var (one, other) = Sorted(from, to);
        db.Run("DELETE FROM cut WHERE one = ?1 AND other = ?2", one, other);
        TryAgain(db);
    }

    public static void TryAgain(SqliteConnection db) => db.Run("UPDATE route SET attempts = 0, next = NULL WHERE attempts > 0");

    /// <summary>Bytes of its capacity that the line has used, or lost to a cut, on <paramref name="day"/>.</summary>
    public static double Spent(SqliteConnection db, LineEnds line, DateOnly day) =>
        db.Value<double?>("SELECT spent FROM line WHERE origin = ?1 AND target = ?2 AND day = ?3", line.From, line.To, day.DayNumber) ?? 0;

    /// <summary>Until when, in milliseconds, the line has been carried already.</summary>
    public static long CarriedUntil(SqliteConnection db, LineEnds line) =>
        db.Value<long?>("SELECT carried_until FROM line WHERE origin = ?1 AND target = ?2", line.From, line.To) ?? long.MinValue;

    public static void Spend(SqliteConnection db, LineEnds line, long carriedFrom, long carriedUntil, double bytes)
    {
        var day = DayOf(carriedFrom);
        db.Run(
            """
            INSERT INTO line VALUES(?1, ?2, ?3, ?4, ?5)
            ON CONFLICT DO UPDATE SET carried_until = excluded.carried_until, spent = CASE WHEN day = excluded.day THEN spent
                ELSE 0 END + excluded.spent, day = excluded.day
            """,
            line.From,
            line.To,
            carriedUntil,
            day,
            bytes
        );
    }

    public static int DayOf(long milliseconds) => DateOnly.FromDateTime(Instant(milliseconds).UtcDateTime).DayNumber;

    public static DateTimeOffset Instant(long milliseconds) => DateTimeOffset.FromUnixTimeMilliseconds(milliseconds);

    /// <summary>The bytes that a line could have carried in the part of [from, until) in which it was closed.</summary>
    public static double LostToCut(long from, long until, long closedUntil, double bytesPerSecond) =>
        double.IsFinite(bytesPerSecond) ? Math.Clamp(closedUntil - (double)from, 0, until - from) / 1000 * bytesPerSecond : 0;

    public static double BytesADay(double bytesPerSecond) => bytesPerSecond * MillisecondsPerDay / 1000;

    private static (string One, string Other) Sorted(string a, string b) => string.CompareOrdinal(a, b) <= 0 ? (a, b) : (b, a);
}
