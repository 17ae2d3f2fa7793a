using Ripen.Core.Replication;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>What waits in one lane, in the order of arrival, from the moment on at which the lane may begin (milliseconds from the start
/// of the run).</summary>
internal sealed class LaneQueue(long route, Lane lane, double readyAt)
{
    public long Route => route;

    public Lane Lane => lane;

    public double ReadyAt => readyAt;

    public Queue<WaitingObject> Waiting { get; } = new();

    /// <summary>Whether more waits than was read into the queue.</summary>
    public bool HasMore { get; set; }

    /// <summary>Bytes of the first object that are still to be sent.</summary>
    public double FirstLeft { get; set; }
}

internal readonly record struct WaitingObject(long Id, double BytesLeft);

/// <summary>An object whose last byte was sent, milliseconds from the start of the run.</summary>
internal readonly record struct SentObject(long Id, double At);

/// <summary>
/// A line at work, object by object: lanes that are ready and have something waiting share it byte by byte in equal parts. Goes from one
/// event (an object is sent, a lane becomes ready) to the next.
/// </summary>
internal static class LineRun
{
    /// <param name="lanes">All lanes; what was sent is taken from them.</param>
    /// <param name="bytesPerSecond">Above 0; may be infinite.</param>
    /// <param name="milliseconds">How long to run at most.</param>
    /// <param name="most">Stops early after so many objects, or when a lane's queue was not read to its end.</param>
    /// <returns>What was sent, how far the run came, and the bytes that went over the line.</returns>
    public static (List<SentObject> Sent, double Reached, double Bytes) Go(
        IReadOnlyList<LaneQueue> lanes,
        double bytesPerSecond,
        double milliseconds,
        int most
    )
    {
        var sent = new List<SentObject>();
        var (clock, bytes) = (0.0, 0.0);
        foreach (var lane in lanes)
            lane.FirstLeft = lane.Waiting.TryPeek(out var first) ? first.BytesLeft : 0;
        var busy = new List<LaneQueue>(lanes.Count);
        while (sent.Count < most && clock < milliseconds)
        {
            busy.Clear();
            var (least, next) = (double.PositiveInfinity, milliseconds);
            foreach (var lane in lanes.Where(l => l.Waiting.Count > 0))
            {
                if (lane.ReadyAt > clock)
                {
                    next = Math.Min(next, lane.ReadyAt);
                    continue;
                }
                busy.Add(lane);
                least = Math.Min(least, lane.FirstLeft);
            }
            if (busy.Count == 0)
            {
                clock = next;
                continue;
            }
            var each = Math.Min(least, bytesPerSecond / busy.Count * (next - clock) / 1000);
            var finishes = each >= least;
            if (!finishes)
                clock = next;
            else if (double.IsFinite(bytesPerSecond))
                clock += each * busy.Count / bytesPerSecond * 1000;
            bytes += each * busy.Count;
            var readToItsEnd = true;
            foreach (var lane in busy)
            {
                lane.FirstLeft -= each;
                // A part of a byte is rounding.
                if (!finishes || lane.FirstLeft >= 1e-3)
                    continue;
                sent.Add(new SentObject(lane.Waiting.Dequeue().Id, clock));
                lane.FirstLeft = lane.Waiting.TryPeek(out var first) ? first.BytesLeft : 0;
                readToItsEnd &= lane.Waiting.Count > 0 || !lane.HasMore;
            }
            if (!readToItsEnd)
                break;
        }
        return (sent, clock, bytes);
    }
}
