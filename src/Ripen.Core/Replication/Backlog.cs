using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>One lane of a line: what waits in it, and what comes to it.</summary>
public readonly record struct LaneLoad(double WaitingBytes, double BytesPerSecond);

/// <summary>
/// When a lane is empty. <see cref="Seconds"/> is null when it never is; then <see cref="ShortBytesPerSecond"/> is how much its part of the line is
/// smaller than what arrives.
/// </summary>
public readonly record struct Emptying(double? Seconds, double ShortBytesPerSecond)
{
    public static readonly Emptying AlreadyEmpty = new(0, 0);
}

/// <summary>
/// How a line's backlog ends when bytes keep coming at today's rates. Between two moments at which a lane becomes empty every lane has a constant
/// part of the line, so what waits falls along straight lines, and the whole course has as many pieces as there are lanes: no steps in time are taken.
/// With one lane this is Q / (C − λ): what waits over what the line has to spare (the fluid limit of a queue, Newell, "Applications of Queueing
/// Theory", 1971; from memory).
/// </summary>
public static class Backlog
{
    /// <summary>The bytes a second that a rule's streams bring to each of its lanes, at their rates of today.</summary>
    public static double[] Arriving(Bucket from, CopyRule rule)
    {
        var rates = new double[Lanes.Count];
        foreach (var stream in from.Streams.Where(s => rule.Takes(s.Prefix, s.Tags))) rates[(int)Lanes.Of(stream.BytesPerObject)] += stream.ObjectsPerDay * stream.BytesPerObject / 86_400;
        return rates;
    }

    /// <summary>A rule is empty when both of its lanes are; what its lanes are short of adds up.</summary>
    public static Emptying Together(IEnumerable<Emptying> lanes)
    {
        var all = lanes.ToList();
        return all.Any(l => l.Seconds is null) ? new Emptying(null, all.Sum(l => l.ShortBytesPerSecond)) : new Emptying(all.Max(l => l.Seconds), 0);
    }

    /// <param name="lanes">All lanes of the line.</param>
    /// <param name="bytesPerSecond">The line's bandwidth, above 0; infinite empties everything at once.</param>
    /// <returns>One for each lane.</returns>
    public static Emptying[] Empties(IReadOnlyList<LaneLoad> lanes, double bytesPerSecond)
    {
        var results = new Emptying[lanes.Count];
        Array.Fill(results, Emptying.AlreadyEmpty);
        var waiting = lanes.Select(l => l.WaitingBytes).ToArray();
        var (wants, gets) = (new double[lanes.Count], new double[lanes.Count]);
        var busy = Enumerable.Range(0, lanes.Count).Where(i => waiting[i] > 0).ToHashSet();
        var clock = 0.0;
        while (busy.Count > 0 && double.IsFinite(bytesPerSecond))
        {
            for (var i = 0; i < wants.Length; i++) wants[i] = busy.Contains(i) ? double.PositiveInfinity : lanes[i].BytesPerSecond;
            FairShare.Divide(bytesPerSecond, wants, gets);
            var next = busy.Where(i => gets[i] > lanes[i].BytesPerSecond).Select(i => waiting[i] / (gets[i] - lanes[i].BytesPerSecond)).DefaultIfEmpty(double.PositiveInfinity).Min();
            if (double.IsPositiveInfinity(next))
            {
                foreach (var i in busy) results[i] = new Emptying(null, lanes[i].BytesPerSecond - gets[i]);
                break;
            }
            clock += next;
            foreach (var i in busy) waiting[i] -= (gets[i] - lanes[i].BytesPerSecond) * next;
            foreach (var i in busy.Where(i => waiting[i] < 1e-6).ToList())
            {
                results[i] = new Emptying(clock, 0);
                busy.Remove(i);
            }
        }
        return results;
    }
}
