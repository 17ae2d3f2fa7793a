using Microsoft.Data.Sqlite;
using Ripen.Core.Replication;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Replication;

/// <summary>
/// Carries objects over the lines while time passes within a day. Works in pieces, each of which is a transaction with how far its line has
/// come: what is interrupted goes on where it was. Content is copied before the index speaks of it.
/// </summary>
internal sealed class Carrier(ProviderState state)
{
    private const int ObjectsInAPiece = 4000;

    /// <summary>Waiting objects that are read of each lane at a time, at least.</summary>
    private const int LeastRead = 50;

    /// <summary>Until this instant, which must lie on the same day or be the midnight that ends it.</summary>
    public void CarryUntil(long until, CancellationToken cancel)
    {
        var (now, lines) = state.Change(
            db =>
            {
                var begin = ProviderState.Now(db).ToUnixTimeMilliseconds();
                db.Run("UPDATE pending SET failed = NULL, next = NULL WHERE failed IS NOT NULL AND next <= ?1", begin);
                return (begin, Routes.All(db, state.TermsIn(db)).Select(r => r.Line).Distinct().ToList());
            },
            cancel
        );
        foreach (var ends in lines)
        {
            while (CarryPiece(ends, now, until, cancel))
                cancel.ThrowIfCancellationRequested();
        }
        state.Change(
            db =>
            {
                db.Run("DELETE FROM cut WHERE until <= ?1", until);
                db.Run("DELETE FROM route WHERE refill = 1 AND NOT EXISTS (SELECT 1 FROM pending WHERE route = route.id)");
            },
            cancel
        );
    }

    /// <summary>A copy that comes at an instant; its content gets a name of its own before it is put down.</summary>
    private sealed record Landing(
        Route Route,
        ArrivingCopy Copy,
        long At,
        ContentSum? Sum,
        StoredContent? Content,
        SealingKey Key,
        int Attempts
    )
    {
        public WrittenContent? NewContent { get; set; }

        public string? Failure { get; set; }
    }

    /// <summary>False when the line has come to the end.</summary>
    private bool CarryPiece(LineEnds ends, long now, long until, CancellationToken cancel)
    {
        // Rules may come and go while time passes: each piece looks anew.
        var (routes, transfer, from, closedUntil, lanes, tries, underWay) = state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            var routes = Routes.All(db, terms).Where(r => r.Line == ends).ToList();
            var begin = Math.Min(until, Math.Max(now, Lines.CarriedUntil(db, ends)));
            var closed = Lines.ClosedUntil(db, ends);
            var attempts = routes.Select(r => RouteTries.Of(db, r.Id).While(begin, Math.Min(closed, until))).ToList();
            var ready = attempts.ToDictionary(
                t => t.Route,
                t => closed >= until ? double.PositiveInfinity : Math.Max(begin, Math.Max(closed, t.Next)) - (double)begin
            );
            return (
                routes,
                terms.Prices.FindTransfer(ends.From, ends.To),
                begin,
                closed,
                Queues(db, ready),
                attempts,
                closed == long.MaxValue ? [] : UnderWay(db, routes, until)
            );
        });
        var rate = transfer?.BytesPerSecond ?? double.PositiveInfinity;
        var latency = (long)((transfer?.RoundTripMilliseconds ?? 0) / 2);
        var (sent, reached, bytes) = LineRun.Go(lanes, rate, until - from, ObjectsInAPiece);
        var carriedUntil = Math.Min(until, from + (long)Math.Ceiling(reached));
        var over = sent.Select(s => (s.Id, At: from + (long)Math.Round(s.At) + latency)).ToList();
        var landings = state.Index.Read(db => Find(db, routes, underWay.Concat(over.Where(o => o.At <= until))));
        try
        {
            CopyContents(landings, cancel);
            state.Change(
                db =>
                {
                    foreach (var (id, at) in over.Where(o => o.At > until))
                        db.Run("UPDATE pending SET sent = bytes, arrives = ?2 WHERE id = ?1", id, at);
                    foreach (var lane in lanes.Where(l => l.Waiting.Count > 0))
                        db.Run("UPDATE pending SET sent = bytes - ?2 WHERE id = ?1", lane.Waiting.Peek().Id, lane.FirstLeft);
                    foreach (var route in tries)
                        route.Store(db);
                    PutDown(db, state.TermsIn(db), landings, until);
                    if (carriedUntil > from)
                        Lines.Spend(db, ends, from, carriedUntil, bytes + Lines.LostToCut(from, carriedUntil, closedUntil, rate));
                },
                cancel
            );
        }
        catch
        {
            // The index does not speak of them; neither may the disk.
            foreach (var landing in landings.Where(l => l.NewContent is not null))
                state.Contents.Remove(landing.NewContent!.Name);
            throw;
        }
        return carriedUntil < until || underWay.Count == ObjectsInAPiece;
    }

    private static List<LaneQueue> Queues(SqliteConnection db, Dictionary<long, double> readyAt)
    {
        var lanes = readyAt
            .Where(r => double.IsFinite(r.Value))
            .SelectMany(r => Enum.GetValues<Lane>().Select(lane => new LaneQueue(r.Key, lane, r.Value)))
            .ToList();
        var most = Math.Max(LeastRead, ObjectsInAPiece / Math.Max(1, lanes.Count));
        foreach (var lane in lanes)
        {
            foreach (
                var waiting in db.List(
                    "SELECT id, bytes - sent FROM pending WHERE route = ?1 AND lane = ?2 AND (kind = 0) = 0 AND arrives IS NULL AND "
                        + "failed IS NULL ORDER BY id LIMIT ?3",
                    r => new WaitingObject(r.GetInt64(0), r.GetDouble(1)),
                    lane.Route,
                    (int)lane.Lane,
                    most
                )
            )
                lane.Waiting.Enqueue(waiting);
            lane.HasMore = lane.Waiting.Count == most;
        }
        return [.. lanes.Where(l => l.Waiting.Count > 0)];
    }

    /// <summary>What was wholly sent before and has its latency behind it by then.</summary>
    private static List<(long Id, long At)> UnderWay(SqliteConnection db, List<Route> routes, long until)
    {
        var own = routes.Select(r => r.Id).ToHashSet();
        return
        [
            .. db.List(
                    "SELECT id, arrives, route FROM pending WHERE arrives <= ?1 ORDER BY arrives, id",
                    r => (Id: r.GetInt64(0), At: r.GetInt64(1), Route: r.GetInt64(2)),
                    until
                )
                .Where(p => own.Contains(p.Route))
                .Take(ObjectsInAPiece)
                .Select(p => (p.Id, p.At)),
        ];
    }

    private static List<Landing> Find(SqliteConnection db, List<Route> routes, IEnumerable<(long Id, long At)> arriving)
    {
        using var find = db.Repeated(
            $"""
            SELECT e.route, e.kind, e.root, e.home, e.key, e.bytes, e.created, e.written, e.content, e.media, e.tags, e.asked,
                e.attempts, {ContentSum.Columns}, {StoredContent.Columns}
            FROM pending e {StoredContent.Joins} WHERE e.id = ?1
            """,
            1
        );
        var keys = routes.Select(r => r.To.Id).Distinct().ToDictionary(to => to, to => SealingRows.Current(db, to));
        var byId = routes.ToDictionary(r => r.Id);
        return
        [
            .. arriving.SelectMany(one =>
                find.RowsAgain(
                    r => new Landing(
                        byId[r.GetInt64(0)],
                        new ArrivingCopy(
                            one.Id,
                            r.GetInt32(1),
                            r.GetInt64(2),
                            r.GetInt64(3),
                            r.GetString(4),
                            r.GetInt64(5),
                            r.GetInt32(6),
                            r.GetInt64(7),
                            r.Text(8),
                            r.Text(9),
                            r.Text(10),
                            r.GetInt64(11)
                        ),
                        one.At,
                        ContentSum.Read(r, 13),
                        StoredContent.Read(r, 15),
                        keys[byId[r.GetInt64(0)].To.Id],
                        r.GetInt32(12)
                    ),
                    one.Id
                )
            ),
        ];
    }

    private void CopyContents(List<Landing> landings, CancellationToken cancel)
    {
        var withContent = landings.Where(l => l.Copy.Content is not null).ToList();
        if (withContent.Count == 0)
            return;
        Parallel.ForEach(
            withContent,
            new ParallelOptions { MaxDegreeOfParallelism = Environment.ProcessorCount, CancellationToken = cancel },
            landing =>
            {
                try
                {
                    landing.NewContent = state.Contents.Copy(landing.Content!, landing.Sum!, landing.Key, cancel).GetAwaiter().GetResult();
                }
                catch (RefusalException unreadable)
                {
                    landing.Failure = unreadable.Code;
                }
                catch (IOException full) when (ProviderState.IsFull(full))
                {
                    landing.Failure = ProviderState.DiskFull().Code;
                }
            }
        );
        state.Contents.Settle();
    }

    private static void PutDown(SqliteConnection db, Terms terms, List<Landing> landings, long until)
    {
        if (landings.Count == 0)
            return;
        using var arrivals = new CopyArrivals(db, terms);
        using var gate = new RetentionGate(db);
        using var content = db.Repeated(WrittenContent.Insert, 8);
        using var waits = db.Repeated("SELECT 1 FROM pending WHERE id = ?1", 1);
        var routes = Routes.All(db, terms).ToDictionary(r => r.Id);
        foreach (var landing in landings)
        {
            // A copy that comes with the last stroke of midnight belongs to the day that ends.
            var day = DateOnly.FromDayNumber(Lines.DayOf(Math.Min(landing.At, until - 1)));
            if (landing.NewContent is { } put)
                content.Again(put.Row(landing.Route.To.Id));
            // A rule that was removed a moment ago took what waited with it.
            var route = waits.RowsAgain(_ => true, landing.Copy.Pending).Count > 0 ? routes.GetValueOrDefault(landing.Route.Id) : null;
            var failure =
                landing.Failure
                ?? (
                    route is not null
                        ? arrivals.Put(route, landing.Copy with { Content = landing.NewContent?.Name }, landing.At, day)
                        : null
                );
            if (failure is not null)
                Failed(db, landing, failure);
            if (landing.NewContent is { } copy)
                gate.Release(copy.Name);
            if (landing.Copy.Content is { } original)
                gate.Release(original);
        }
        arrivals.Close();
        foreach (var bucket in landings.SelectMany(l => new[] { l.Route.From, l.Route.To }).Distinct())
            ProviderState.Touch(db, bucket);
    }

    /// <summary>A failure waits for its next attempt outside the queue, so that nothing behind it is held up.</summary>
    private static void Failed(SqliteConnection db, Landing landing, string reason) =>
        db.Run(
            "UPDATE pending SET failed = ?2, sent = 0, arrives = NULL, attempts = attempts + 1, next = ?3 WHERE id = ?1",
            landing.Copy.Pending,
            reason,
            landing.At + BackOff.After(landing.Attempts + 1, BackOff.LongestForAnObject)
        );
}
