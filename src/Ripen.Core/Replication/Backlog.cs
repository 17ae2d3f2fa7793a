using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>One lane of a line: what waits in it, what comes to it, and after how many seconds it takes part in the line at all (a cut, or
/// the next try after one).</summary>
public readonly record struct LaneLoad(double WaitingBytes, double BytesPerSecond, double ReadyAfterSeconds = 0);

/// <summary>
/// When a lane is empty. <see cref="Seconds"/> is null when it never is; then <see cref="ShortBytesPerSecond"/> is how much its part of the
/// line is smaller than what arrives.
/// </summary>
public readonly record struct Emptying(double? Seconds, double ShortBytesPerSecond);

/// <summary>
/// How a line's backlog ends when bytes keep coming at today's rates. Between two moments at which a lane becomes empty every lane has a
/// constant part of the line, so what waits falls along straight lines, and the whole course has as many pieces as there are lanes: no
/// steps in time are taken. With one lane this is Q / (C − λ): what waits over what the line has to spare (the fluid limit of a queue,
/// Newell, "Applications of Queueing Theory", 1971; from memory).
/// </summary>
public static class Backlog
{
    /// <summary>The bytes a second that a rule's streams bring to each of its lanes, at their rates of today.</summary>
    public static double[] Arriving(Bucket from, CopyRule rule)
    {
        var rates = new double[Lanes.Count];
        foreach (var stream in from.Streams.Where(s => rule.Scope.Takes(s.Prefix, s.Tags)))
            rates[(int)Lanes.Of(stream.BytesPerObject)] += stream.ObjectsPerDay * stream.BytesPerObject / 86_400;
        return rates;
    }

    /// <summary>A rule is empty when both of its lanes are; what its lanes are short of adds up.</summary>
    public static Emptying Together(IEnumerable<Emptying> lanes)
    {
        var all = lanes.ToList();
        return all.Any(l => l.Seconds is null)
            ? new Emptying(null, all.Sum(l => l.ShortBytesPerSecond))
            : new Emptying(all.Max(l => l.Seconds), 0);
    }

    /// <summary>
    /// A lane in which nothing waits is in it too: when more comes to it than its fair part of the line, it begins to wait at once and
    /// takes from the others.
    /// </summary>
    /// <param name="lanes">All lanes of the line.</param>
    /// <param name="bytesPerSecond">The line's bandwidth, above 0; infinite empties everything as soon as a lane is ready.</param>
    /// <returns>One for each lane: when it is empty for good.</returns>
    public static Emptying[] Empties(IReadOnlyList<LaneLoad> lanes, double bytesPerSecond)
    {
        var results = new Emptying[lanes.Count];
        Array.Fill(results, new Emptying(0, 0));
        var waiting = lanes.Select(l => l.WaitingBytes).ToArray();
        var gets = new double[lanes.Count];
        var clock = 0.0;
        while (true)
        {
            var busy = Divide(lanes, bytesPerSecond, waiting, gets, clock);
            var ready = lanes
                .Where(l => l.ReadyAfterSeconds > clock)
                .Select(l => l.ReadyAfterSeconds)
                .DefaultIfEmpty(double.PositiveInfinity)
                .Min();
            var emptyAt = busy.ToDictionary(
                i => i,
                i =>
                    gets[i] > lanes[i].BytesPerSecond ? clock + (waiting[i] / (gets[i] - lanes[i].BytesPerSecond)) : double.PositiveInfinity
            );
            var next = Math.Min(ready, emptyAt.Values.DefaultIfEmpty(double.PositiveInfinity).Min());
            if (double.IsPositiveInfinity(next))
            {
                foreach (var i in busy)
                    results[i] = new Emptying(null, lanes[i].BytesPerSecond - gets[i]);
                return results;
            }
            foreach (var i in busy)
            {
                if (emptyAt[i] > next)
                {
                    waiting[i] = Math.Max(0, waiting[i] - ((gets[i] - lanes[i].BytesPerSecond) * (next - clock)));
                    continue;
                }
                waiting[i] = 0;
                results[i] = new Emptying(next, 0);
            }
            clock = next;
        }
    }

    /// <summary>The lanes that have something waiting, or begin to; <paramref name="gets"/> is filled with each one's part of the
    /// line.</summary>
    private static List<int> Divide(IReadOnlyList<LaneLoad> lanes, double bytesPerSecond, double[] waiting, double[] gets, double clock)
    {
        var busy = Enumerable
            .Range(0, lanes.Count)
            .Where(i => waiting[i] > 0 || (lanes[i].ReadyAfterSeconds > clock && lanes[i].BytesPerSecond > 0))
            .ToHashSet();
        while (true)
        {
            var wants = lanes
                .Select(
                    (l, i) =>
                        l.ReadyAfterSeconds > clock ? 0
                        : busy.Contains(i) ? double.PositiveInfinity
                        : l.BytesPerSecond
                )
                .ToArray();
            if (double.IsFinite(bytesPerSecond))
                FairShare.Divide(bytesPerSecond, wants, gets);
            else
                wants.CopyTo(gets, 0);
            // Rounding makes nobody wait.
            var more = Enumerable
                .Range(0, lanes.Count)
                .Where(i => !busy.Contains(i) && gets[i] < lanes[i].BytesPerSecond * (1 - 1e-12))
                .ToList();
            if (more.Count == 0)
                return [.. busy];
            busy.UnionWith(more);
        }
    }
}
