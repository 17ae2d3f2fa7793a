using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication.Queues;

/// <summary>A probe under way, as the index has it.</summary>
internal sealed record ProbeRow(long Id, long Route, string Key, long Version, DateTimeOffset Written);

internal static class ProbeRows
{
    public static List<ProbeRow> All(SqliteConnection db) =>
        db.List(
            "SELECT id, route, key, version, written FROM probe ORDER BY id",
            r => new ProbeRow(r.GetInt64(0), r.GetInt64(1), r.GetString(2), r.GetInt64(3), Lines.Instant(r.GetInt64(4)))
        );

    /// <summary>Removes the probes of a route that goes.</summary>
    public static void Forget(SqliteConnection db, long route)
    {
        using var gate = new RetentionGate(db);
        foreach (var entry in Entries(db, route))
            gate.Remove(entry);
    }

    /// <exception cref="RefusalException">A probe of the route is kept on one of its sides.</exception>
    public static void DemandNoneKept(SqliteConnection db, long route)
    {
        using var gate = new RetentionGate(db);
        foreach (var entry in Entries(db, route))
        {
            if (gate.Keeps(entry) is not { } kept)
                continue;
            throw new RefusalException(
                RefusalKind.Conflict,
                "probe-kept",
                $"A probe of this replication rule is under way and kept until {kept.Until:yyyy-MM-dd}: wait until it has arrived or give it "
                    + "up, so that its record says where it stays."
            );
        }
    }

    private static List<long> Entries(SqliteConnection db, long route) =>
        db.List(
            "SELECT e.id FROM probe p JOIN entry e ON coalesce(e.origin, e.id) = p.version AND e.kind > 0 WHERE p.route = ?1",
            r => r.GetInt64(0),
            route
        );
}
