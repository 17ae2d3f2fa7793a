using Microsoft.Data.Sqlite;
using Ripen.Core.Replication;
using Ripen.Provider.Index;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>
/// A day's weightless copies over one line: all lanes with something waiting fill evenly until the line has no more to give or they want
/// none. Parts of objects count, as they do where a workload is an expectation.
/// </summary>
internal static class BatchRun
{
    private sealed record Waiting(
        long Id,
        Route Route,
        int Lane,
        long Root,
        long Home,
        string Key,
        double Count,
        long Bytes,
        int Created,
        long Written,
        string? Tags,
        long Asked,
        int? RewriteEvery,
        bool IsReplaced,
        long? Run,
        bool Follows,
        double? Originals
    );

    /// <param name="db">Inside the transaction that closes the day.</param>
    /// <param name="routes">All routes of the line.</param>
    /// <param name="capacity">Bytes that the line still has on the day; infinite without a limit.</param>
    /// <param name="arrivals">Where copies are put down.</param>
    /// <param name="day">The day that is closed.</param>
    public static void Go(SqliteConnection db, IReadOnlyList<Route> routes, double capacity, CopyArrivals arrivals, DateOnly day)
    {
        var lanes = routes
            .SelectMany(route =>
                db.List(
                    "SELECT id, lane, root, home, key, count, bytes, created, written, tags, asked, rewrite, replaced, run, "
                        + "follows, originals FROM pending WHERE "
                        + "route = ?1 AND kind = 0 ORDER BY id",
                    r => new Waiting(
                        r.GetInt64(0),
                        route,
                        r.GetInt32(1),
                        r.GetInt64(2),
                        r.GetInt64(3),
                        r.GetString(4),
                        r.GetDouble(5),
                        r.GetInt64(6),
                        r.GetInt32(7),
                        r.GetInt64(8),
                        r.Text(9),
                        r.GetInt64(10),
                        r.Int(11),
                        r.GetInt32(12) == 1,
                        r.Long(13),
                        r.GetInt32(14) == 1,
                        r.IsDBNull(15) ? null : r.GetDouble(15)
                    ),
                    route.Id
                )
            )
            .GroupBy(w => (w.Route.Id, w.Lane))
            .Select(l => l.ToList())
            .ToList();
        var (wants, gets) = (lanes.Select(Bytes).ToArray(), new double[lanes.Count]);
        FairShare.Divide(Math.Max(0, capacity), wants, gets);
        foreach (var i in Enumerable.Range(0, lanes.Count).OrderBy(i => wants[i]))
            Send(db, lanes[i], wants[i] - gets[i] < 1 ? double.PositiveInfinity : gets[i], arrivals, day);
    }

    private static double Bytes(List<Waiting> lane) => lane.Sum(w => w.Count * w.Bytes);

    private static void Send(SqliteConnection db, List<Waiting> lane, double bytes, CopyArrivals arrivals, DateOnly day)
    {
        foreach (var first in lane)
        {
            var size = first.Count * first.Bytes;
            var part = size <= bytes ? first.Count : bytes / first.Bytes;
            if (part > 0)
                arrivals.PutBatch(
                    first.Route,
                    first.Root,
                    first.Home,
                    first.Key,
                    part,
                    first.Bytes,
                    first.Created,
                    first.Written,
                    first.Tags,
                    first.Asked,
                    first.RewriteEvery,
                    first.IsReplaced,
                    first.Run,
                    first.Follows,
                    first.Originals * part / first.Count,
                    day
                );
            if (size > bytes)
            {
                db.Run("UPDATE pending SET count = ?2, originals = originals * ?2 / count WHERE id = ?1", first.Id, first.Count - part);
                return;
            }
            arrivals.Remove(first.Id);
            bytes -= size;
        }
    }
}
