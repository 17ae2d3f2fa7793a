using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Replication;
using Ripen.Core.Tests;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Tests;

/// <summary>The line at work, from event to event, against the plainest line there is: one that sends a thousandth of a second at a
/// time.</summary>
public sealed class LineRunTests
{
    private const double BytesPerSecond = 1000;
    private const double Milliseconds = 60_000;

    private sealed record Work(double ReadyAt, int[] Sizes);

    private static Gen<List<Work>> Lanes { get; } =
        from count in Gen.Choose(1, 4)
        from lanes in Gen.ListOf(
            from ready in Gen.Elements(0.0, 0.0, 500.0, 20_000.0)
            from sizes in Gen.Choose(0, 12_000).ArrayOf(4)
            from some in Gen.Choose(0, 4)
            select new Work(ready, [.. sizes.Take(some)]),
            count
        )
        select lanes.ToList();

    [Fact]
    public void Objects_are_sent_when_a_line_of_tiny_steps_has_sent_them() =>
        Prop.ForAll(
                Arb.From(Lanes),
                lanes =>
                {
                    var expected = TinySteps(lanes);
                    var (sent, reached, bytes) = LineRun.Go(Queues(lanes), BytesPerSecond, Milliseconds, int.MaxValue);
                    Assert.Equal(Milliseconds, reached);
                    var times = sent.ToDictionary(s => s.Id, s => s.At);
                    foreach (var (id, at) in expected)
                    {
                        // What is sent within the last step may be on either side of the end.
                        if (at < Milliseconds - 20)
                            Assert.InRange(times[id], at - 20, at + 20);
                    }
                    Assert.Equal(sent.OrderBy(s => s.At).Select(s => s.Id), sent.Select(s => s.Id));
                    // Nothing is wasted and nothing is made up.
                    Assert.InRange(bytes, 0, BytesPerSecond * Milliseconds / 1000 + 1e-6);
                    if (expected.Count == lanes.Sum(l => l.Sizes.Length))
                        Assert.Equal(lanes.Sum(l => l.Sizes.Sum()), bytes, 3);
                }
            )
            .Check(Randomly.Draws(60));

    [Fact]
    public void A_run_in_pieces_ends_like_one_in_one_go() =>
        Prop.ForAll(
                Arb.From(Lanes),
                Arb.From(Gen.Choose(1, 3)),
                (lanes, most) =>
                {
                    var whole = LineRun.Go(Queues(lanes), BytesPerSecond, Milliseconds, int.MaxValue).Sent;
                    var pieces = new List<SentObject>();
                    var begin = 0.0;
                    var left = Queues(lanes);
                    while (begin < Milliseconds)
                    {
                        var (sent, reached, _) = LineRun.Go(left, BytesPerSecond, Milliseconds - begin, most);
                        pieces.AddRange(sent.Select(s => s with { At = s.At + begin }));
                        left = [.. left.Select(lane => Rest(lane, reached))];
                        begin += reached;
                    }
                    Assert.Equal(whole.Select(s => s.Id), pieces.Select(s => s.Id));
                    foreach (var (one, other) in whole.Zip(pieces))
                        Assert.Equal(one.At, other.At, 3);
                }
            )
            .Check(Randomly.Draws(60));

    [Fact]
    public void The_closed_form_of_an_empty_backlog_is_when_the_line_has_sent_the_last() =>
        Prop.ForAll(
                Arb.From(Lanes),
                lanes =>
                {
                    var ready = lanes.Select(l => l with { ReadyAt = 0 }).ToList();
                    var foreseen = Backlog.Empties([.. ready.Select(l => new LaneLoad(l.Sizes.Sum(), 0))], BytesPerSecond);
                    var sent = LineRun.Go(Queues(ready), BytesPerSecond, 1e9, int.MaxValue).Sent.ToDictionary(s => s.Id, s => s.At);
                    for (var lane = 0; lane < ready.Count; lane++)
                    {
                        if (ready[lane].Sizes.Sum() > 0)
                            Assert.Equal(
                                foreseen[lane].Seconds!.Value,
                                Enumerable.Range(0, ready[lane].Sizes.Length).Max(i => sent[Id(lane, i)]) / 1000,
                                6
                            );
                    }
                }
            )
            .Check(Randomly.Draws(100));

    [Fact]
    public void Without_a_limit_everything_is_sent_at_once_and_waits_only_for_its_lane()
    {
        var (sent, reached, bytes) = LineRun.Go(
            Queues([new Work(0, [10, 20]), new Work(300, [30])]),
            double.PositiveInfinity,
            1000,
            int.MaxValue
        );
        Assert.Equal([0, 0, 300], sent.Select(s => s.At));
        Assert.Equal((1000, 60), (reached, bytes));
    }

    private static long Id(int lane, int place) => (lane * 100) + place;

    private static List<LaneQueue> Queues(List<Work> lanes) =>
        [
            .. lanes.Select(
                (work, lane) =>
                {
                    var queue = new LaneQueue(lane, Lane.Small, work.ReadyAt);
                    for (var i = 0; i < work.Sizes.Length; i++)
                        queue.Waiting.Enqueue(new WaitingObject(Id(lane, i), work.Sizes[i]));
                    return queue;
                }
            ),
        ];

    /// <summary>What a lane holds after a run, as it would be read again.</summary>
    private static LaneQueue Rest(LaneQueue lane, double reached)
    {
        var rest = new LaneQueue(lane.Route, lane.Lane, Math.Max(0, lane.ReadyAt - reached));
        var first = true;
        foreach (var waiting in lane.Waiting)
        {
            rest.Waiting.Enqueue(first ? waiting with { BytesLeft = lane.FirstLeft } : waiting);
            first = false;
        }
        return rest;
    }

    private static Dictionary<long, double> TinySteps(List<Work> lanes)
    {
        var left = lanes.Select(l => l.Sizes.Select(s => (double)s).ToArray()).ToList();
        var at = new int[lanes.Count];
        var sent = new Dictionary<long, double>();
        for (var clock = 0.0; clock < Milliseconds; clock++)
        {
            // Empty objects take no time.
            Take(clock);
            var busy = Enumerable.Range(0, lanes.Count).Where(i => lanes[i].ReadyAt <= clock && at[i] < left[i].Length).ToList();
            foreach (var i in busy)
                left[i][at[i]] -= BytesPerSecond / 1000 / busy.Count;
            Take(clock + 1);
        }
        return sent;

        void Take(double clock)
        {
            for (var i = 0; i < lanes.Count; i++)
            {
                for (; at[i] < left[i].Length && left[i][at[i]] <= 1e-9 && lanes[i].ReadyAt <= clock; at[i]++)
                    sent[Id(i, at[i])] = clock;
            }
        }
    }
}
