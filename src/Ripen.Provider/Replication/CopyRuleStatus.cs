using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Replication;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>Why copies failed, how many of them, and when the first of them is tried again.</summary>
public sealed record CopyFailure(string Code, string Why, double Objects, DateTimeOffset NextTry);

/// <summary>Even: all is copied. Behind: something waits, within what is allowed. Late: longer than allowed, or something failed.</summary>
public enum CopyStanding
{
    Even,
    Behind,
    Late,
}

/// <summary>Whether a line is open, cut, or ends in a region that is lost.</summary>
public enum LineState
{
    Open,
    Cut,
    Lost,
}

/// <summary>How a copy rule stands at one moment of the provider's clock.</summary>
/// <param name="Id">Of the rule at work; another when it was removed and made again.</param>
/// <param name="Bucket">The source.</param>
/// <param name="Target">Where copies go.</param>
/// <param name="Rule">As it was decided, without what waits.</param>
/// <param name="BringsBack">Whether it is no rule of anybody's, but brings back what only the copy still had.</param>
/// <param name="Made">When it came into force.</param>
/// <param name="Waiting">Objects, and marks of deletions, that wait or are on their way.</param>
/// <param name="WaitingBytes">Of which still to be sent.</param>
/// <param name="Copied">Objects since it came into force.</param>
/// <param name="CopiedBytes">Theirs.</param>
/// <param name="BytesADay">What it copied on a day, on average of the last thirty, or since it was made.</param>
/// <param name="Failures">By reason.</param>
/// <param name="Oldest">Since when the first of those that wait or failed has waited.</param>
/// <param name="OldestKey">Its key, or the prefix of a weightless one.</param>
/// <param name="Standing">Against the lag that is allowed.</param>
/// <param name="LagHours">Its age now; 0 when all is copied.</param>
/// <param name="WorstLagHours">The worst of the last thirty days, now among them.</param>
/// <param name="Line">Whether anything can pass.</param>
/// <param name="LineOpens">When a cut ends by itself.</param>
/// <param name="NextTry">When the closed line is tried again.</param>
/// <param name="FailedTries">How often it was tried in vain.</param>
/// <param name="EmptyAfterHours"> When all that waits now or comes meanwhile is copied, given today's arrivals and the line: from now, or
/// from when somebody restores it. Null for never.
/// </param>
/// <param name="EmptyAt">The same as an instant; null as well while nobody knows when the line opens, and when nothing waits.</param>
/// <param name="ProbeStaysUntil">Until when a probe sent now would have to stay on both sides, by a keep rule; null when it can go at
/// once.</param>
/// <param name="ShortBytesPerSecond">By how much the line is too thin for it; 0 when it is not.</param>
public sealed record CopyRuleStatus(
    long Id,
    string Bucket,
    string Target,
    CopyRule Rule,
    bool BringsBack,
    DateTimeOffset Made,
    double Waiting,
    double WaitingBytes,
    double Copied,
    double CopiedBytes,
    double BytesADay,
    IReadOnlyList<CopyFailure> Failures,
    DateTimeOffset? Oldest,
    string? OldestKey,
    CopyStanding Standing,
    double LagHours,
    double WorstLagHours,
    LineState Line,
    DateTimeOffset? LineOpens,
    DateTimeOffset? NextTry,
    int FailedTries,
    double? EmptyAfterHours,
    DateTimeOffset? EmptyAt,
    DateOnly? ProbeStaysUntil,
    double ShortBytesPerSecond
);

internal static class CopyStatuses
{
    public const int DaysLookedAt = 30;

    private const double MillisecondsPerHour = 3_600_000;

    /// <summary>A thousand years; later instants are told as hours only.</summary>
    private const double LongestForeseen = 1000 * 365.25 * 86_400;

    private sealed record Queued(Lane Lane, bool Failed, double Objects, double Bytes, double WeightlessBytes, long Asked, string FirstKey);

    public static List<CopyRuleStatus> All(SqliteConnection db, Terms terms)
    {
        var now = ProviderState.Now(db);
        var queues = db.List(
                // The key is that of the oldest: beside one min() SQLite takes a bare column from the row that has the least
                // (sqlite.org/lang_select.html, 2.4).
                """
                SELECT route, lane, failed IS NOT NULL, sum(CASE kind WHEN 0 THEN count
                    ELSE 1 END), sum(count * bytes - sent), sum(CASE kind WHEN 0 THEN count * bytes ELSE 0 END), min(asked), key
                FROM pending GROUP BY route, lane, failed IS NOT NULL
                """,
                r =>
                    (
                        Route: r.GetInt64(0),
                        Queue: new Queued(
                            (Lane)r.GetInt32(1),
                            r.GetInt32(2) == 1,
                            r.GetDouble(3),
                            Math.Max(0, r.GetDouble(4)),
                            r.GetDouble(5),
                            r.GetInt64(6),
                            r.GetString(7)
                        )
                    )
            )
            .ToLookup(q => q.Route, q => q.Queue);
        var routes = Routes.All(db, terms);
        var emptyings = routes
            .GroupBy(r => r.Line)
            .SelectMany(line => Emptyings(db, terms, line.Key, [.. line], queues, now))
            .ToDictionary(e => e.Route, e => e.Emptying);
        return [.. routes.Select(route => Status(db, route, [.. queues[route.Id]], emptyings[route.Id], now))];
    }

    private static IEnumerable<(long Route, Emptying Emptying)> Emptyings(
        SqliteConnection db,
        Terms terms,
        LineEnds ends,
        List<Route> routes,
        ILookup<long, Queued> queues,
        DateTimeOffset now
    )
    {
        var rate = terms.Prices.FindTransfer(ends.From, ends.To)?.BytesPerSecond ?? double.PositiveInfinity;
        var (at, closed) = (now.ToUnixTimeMilliseconds(), Lines.ClosedUntil(db, ends));
        var open = closed is long.MinValue or long.MaxValue ? 0 : Math.Max(0, closed - at) / 1000.0;
        // Weightless objects move when a day closes, for the whole of it: what waits of them is as the day began, and so is the reckoning.
        var sinceMidnight = routes.Exists(r => queues[r.Id].Any(q => q.WeightlessBytes > 0)) ? now.TimeOfDay.TotalSeconds : 0;
        var loads = routes
            .SelectMany(route =>
            {
                var arriving = route.IsRefill
                    ? new double[Lanes.Count]
                    : Backlog.Arriving(AsOf(route.From, DateOnly.FromDateTime(now.UtcDateTime)), route.Rule);
                var tries = RouteTries.Of(db, route.Id);
                return Enum.GetValues<Lane>()
                    .Select(lane =>
                    {
                        var own = queues[route.Id].Where(q => q.Lane == lane && !q.Failed).ToList();
                        // After a cut that ends by itself, objects wait for their route's next try; weightless ones do not, and whoever
                        // restores a line has all tried at once.
                        var tried =
                            closed < long.MaxValue && own.Exists(q => q.Bytes > q.WeightlessBytes) && tries.Attempts > 0
                                ? Math.Max(0, tries.Next - at) / 1000.0
                                : 0;
                        var ready = Math.Max(open, tried);
                        return new LaneLoad(own.Sum(q => q.Bytes), arriving[(int)lane], ready > 0 ? ready + sinceMidnight : 0);
                    });
            })
            .ToList();
        var lanes = Backlog.Empties(loads, rate);
        return routes.Select(
            (route, i) =>
            {
                var own = Backlog.Together(lanes.Skip(i * Lanes.Count).Take(Lanes.Count));
                return (route.Id, own with { Seconds = own.Seconds is { } seconds ? Math.Max(0, seconds - sinceMidnight) : null });
            }
        );
    }

    private static Bucket AsOf(BucketTerms bucket, DateOnly today) =>
        bucket.Bucket with
        {
            Streams = [.. bucket.Bucket.Streams.Select(s => s.AsOf(today, bucket.StatedOn))],
        };

    private static CopyRuleStatus Status(SqliteConnection db, Route route, List<Queued> queue, Emptying emptying, DateTimeOffset now)
    {
        var (copied, bytes, attempts, next) = db.List(
                "SELECT copied, copied_bytes, attempts, next FROM route WHERE id = ?1",
                r => (r.GetDouble(0), r.GetDouble(1), r.GetInt32(2), r.Long(3)),
                route.Id
            )
            .Single();
        var since = DateOnly.FromDateTime(now.UtcDateTime).DayNumber - DaysLookedAt;
        var (worst, recent) = db.List(
                "SELECT coalesce(max(worst), 0), coalesce(sum(bytes), 0.0) FROM route_day WHERE route = ?1 AND day >= ?2",
                r => (r.GetInt64(0), r.GetDouble(1)),
                route.Id,
                since
            )
            .Single();
        var first = queue.MinBy(q => q.Asked);
        var oldest = first is null ? (DateTimeOffset?)null : Lines.Instant(first.Asked);
        var lag = oldest is { } waits ? (now - waits).TotalHours : 0;
        var closed = Lines.ClosedUntil(db, route.Line);
        var lost = Lines.IsLost(db, route.Line.From) || Lines.IsLost(db, route.Line.To);
        var isClosed = closed > now.ToUnixTimeMilliseconds();
        return new CopyRuleStatus(
            route.Id,
            route.From.Bucket.Name,
            route.To.Bucket.Name,
            route.Rule with
            {
                Waiting = [],
            },
            route.IsRefill,
            route.Made,
            queue.Where(q => !q.Failed).Sum(q => q.Objects),
            queue.Where(q => !q.Failed).Sum(q => q.Bytes),
            copied,
            bytes,
            recent / Math.Clamp(Math.Ceiling((now - route.Made).TotalDays), 1, DaysLookedAt),
            queue.Any(q => q.Failed) ? Failures(db, route) : [],
            oldest,
            first?.FirstKey,
            Standing(route, lag, queue),
            lag,
            Math.Max(lag, worst / MillisecondsPerHour),
            lost ? LineState.Lost
                : isClosed ? LineState.Cut
                : LineState.Open,
            isClosed && closed < long.MaxValue ? Lines.Instant(closed) : null,
            isClosed && attempts > 0 && next is { } at ? Lines.Instant(at) : null,
            attempts,
            emptying.Seconds / 3600,
            emptying.Seconds is { } seconds and <= LongestForeseen && queue.Any(q => !q.Failed) && closed < long.MaxValue
                ? now.AddSeconds(seconds)
                : null,
            Probes.StaysUntil(route, DateOnly.FromDateTime(now.UtcDateTime)),
            emptying.ShortBytesPerSecond
        );
    }

    private static CopyStanding Standing(Route route, double lagHours, List<Queued> queue) =>
        queue.Any(q => q.Failed) || lagHours > route.Rule.AllowedLagHours ? CopyStanding.Late
        : lagHours > 0 ? CopyStanding.Behind
        : CopyStanding.Even;

    private static List<CopyFailure> Failures(SqliteConnection db, Route route) =>
        db.List(
            "SELECT failed, count(*), min(next) FROM pending WHERE route = ?1 AND failed IS NOT NULL GROUP BY failed ORDER BY failed",
            r => new CopyFailure(r.GetString(0), Why(r.GetString(0), route), r.GetDouble(1), Lines.Instant(r.GetInt64(2))),
            route.Id
        );

    public static string Why(string code, Route route) =>
        code switch
        {
            "kept-there" =>
                $"'{route.To.Bucket.Name}' has no versioning and keeps what lies there under the same key; switch versioning on "
                    + "there, and try again.",
            "damaged-content" => $"The content in '{route.From.Bucket.Name}' is damaged. Write the object anew, or mend it from "
                + "another copy; then try again.",
            "key-withdrawn" =>
                $"The key under which '{route.From.Bucket.Name}' or '{route.To.Bucket.Name}' is encrypted is withdrawn; give it back, and "
                    + "try again.",
            "key-lost" =>
                $"The key under which '{route.From.Bucket.Name}' or '{route.To.Bucket.Name}' is encrypted is lost; put its file back, and "
                    + "try again.",
            "disk-full" => "The provider's disk was full; make room, and try again.",
            _ => "It could not be put down; look at the other bucket, and try again.",
        };
}
