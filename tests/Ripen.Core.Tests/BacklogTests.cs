using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Replication;

namespace Ripen.Core.Tests;

/// <summary>When a backlog is gone, and how a line is divided.</summary>
public class BacklogTests
{
    [Fact]
    public void One_lane_is_empty_after_what_waits_over_what_the_line_has_to_spare()
    {
        // 90 GB behind a line of 100 Mbit/s (12.5 MB/s) to which 2.5 MB/s keep coming: 90e9 / 10e6 = 9,000 s.
        Assert.Equal(9000, Backlog.Empties([new LaneLoad(90e9, 2.5e6)], 12.5e6)[0].Seconds!.Value, 6);
        Assert.Equal(0, Backlog.Empties([new LaneLoad(0, 2.5e6)], 12.5e6)[0].Seconds);
        Assert.Equal(0, Backlog.Empties([new LaneLoad(90e9, 2.5e6)], double.PositiveInfinity)[0].Seconds);
    }

    [Fact]
    public void A_line_that_is_too_thin_never_empties_it_and_says_by_how_much()
    {
        var emptying = Backlog.Empties([new LaneLoad(1e9, 4e6), new LaneLoad(1e9, 1e6)], 4e6);
        // Both are promised 2 MB/s; the second needs 1 and is empty after 1e9 / 1e6 s, the first then gets 3 of the 4 that come.
        Assert.Equal(1000, emptying[1].Seconds!.Value, 6);
        Assert.Null(emptying[0].Seconds);
        Assert.Equal(1e6, emptying[0].ShortBytesPerSecond, 6);
    }

    [Fact]
    public void What_one_leaves_goes_to_the_others_in_equal_parts()
    {
        var gets = new double[4];
        FairShare.Divide(14, [2, 8, 4, 20], gets);
        // 2 and 4 are served; 8 are left for two.
        Assert.Equal([2, 4, 4, 4], gets);
    }

    [Fact]
    public void A_division_wastes_nothing_and_nobody_envies_who_got_what_they_wanted() =>
        Prop.ForAll(
                Arb.From(Gen.Choose(0, 100).ArrayOf(6)),
                Arb.From(Gen.Choose(0, 300)),
                (wanted, capacity) =>
                {
                    var (wants, gets) = (wanted.Select(w => (double)w).ToArray(), new double[6]);
                    FairShare.Divide(capacity, wants, gets);
                    Assert.Equal(Math.Min(capacity, wants.Sum()), gets.Sum(), 9);
                    var unserved = Enumerable.Range(0, 6).Where(i => gets[i] < wants[i] - 1e-9).ToList();
                    foreach (var i in unserved)
                        Assert.All(gets, g => Assert.True(g <= gets[i] + 1e-9));
                }
            )
            .Check(Randomly.Draws(100));

    [Fact]
    public void A_lane_in_which_nothing_waits_yet_takes_part_when_more_comes_than_its_fair_part()
    {
        // 12 MB/s for three: a 36 GB backlog, a 40 GB one, and 5 MB/s that come anew, of which 4 are served. After 9,000 s the first is
        // gone; the third, 9 GB behind by then, gets half of the line and gains 1 MB/s; the second has 4 GB left, and is gone after 667 s
        // more; 12 MB/s for the third alone then take what it still lacks, at 7 MB/s net.
        var lanes = Backlog.Empties([new LaneLoad(36e9, 0), new LaneLoad(40e9, 0), new LaneLoad(0, 5e6)], 12e6);
        Assert.Equal(9000, lanes[0].Seconds!.Value, 6);
        Assert.Equal(9000 + (4e9 / 6e6), lanes[1].Seconds!.Value, 6);
        Assert.Equal(9000 + (4e9 / 6e6) + ((9e9 - (1e6 * 4e9 / 6e6)) / 7e6), lanes[2].Seconds!.Value, 6);
        // Nothing waits in either, and more comes to both than the line carries: neither is ever empty.
        Assert.All(
            Backlog.Empties([new LaneLoad(0, 4e6), new LaneLoad(0, 3e6)], 6e6),
            l => Assert.True(l.Seconds is null || l.ShortBytesPerSecond == 0)
        );
        Assert.Null(Backlog.Empties([new LaneLoad(0, 4e6), new LaneLoad(0, 3e6)], 6e6)[0].Seconds);
    }

    [Fact]
    public void A_lane_that_is_not_ready_waits_and_what_comes_meanwhile_waits_with_it()
    {
        // Closed for 1,000 s, 1 MB/s come: 1 GB and what was there, over a line with 3 MB/s to spare.
        Assert.Equal(1000 + (4e9 / 3e6), Backlog.Empties([new LaneLoad(3e9, 1e6, 1000)], 4e6)[0].Seconds!.Value, 6);
        Assert.Equal(1000, Backlog.Empties([new LaneLoad(3e9, 1e6, 1000)], double.PositiveInfinity)[0].Seconds!.Value, 6);
        Assert.Equal(1000 + (1e9 / 3e6), Backlog.Empties([new LaneLoad(0, 1e6, 1000)], 4e6)[0].Seconds!.Value, 6);
    }

    [Fact]
    public void The_closed_form_is_where_small_steps_in_time_end() =>
        Prop.ForAll(
                Arb.From(Gen.Choose(0, 2000).Zip(Gen.Choose(0, 8)).Zip(Gen.Elements(0, 0, 0, 50, 300)).ArrayOf(3)),
                Arb.From(Gen.Choose(3, 20)),
                (loads, bandwidth) =>
                {
                    var lanes = loads.Select(l => new LaneLoad(l.Item1.Item1, l.Item1.Item2, l.Item2)).ToList();
                    var waiting = loads.Select(l => (double)l.Item1.Item1).ToArray();
                    // When a lane was last seen with something waiting in it.
                    var last = new double[3];
                    // A power of two, so that a lane opens in the very step in which it is ready: one late by a step ends
                    // later by as many as its share is larger than what it gains.
                    const double step = 0.0625;
                    for (var time = 0.0; time < 3000; time += step)
                    {
                        // Each step's part: ready lanes share what the others' arrivals leave, lane by lane until nothing changes.
                        var left = bandwidth * step;
                        for (var i = 0; i < 3; i++)
                            waiting[i] += lanes[i].BytesPerSecond * step;
                        bool Takes(int i) => waiting[i] > 1e-9 && lanes[i].ReadyAfterSeconds <= time;
                        while (left > 1e-9 && Enumerable.Range(0, 3).Any(Takes))
                        {
                            var open = Enumerable.Range(0, 3).Where(Takes).ToList();
                            var each = Math.Min(left / open.Count, open.Min(i => waiting[i]));
                            foreach (var i in open)
                                waiting[i] -= each;
                            left -= each * open.Count;
                        }
                        for (var i = 0; i < 3; i++)
                        {
                            if (waiting[i] > 1e-6)
                                last[i] = time + step;
                        }
                    }
                    var found = Backlog.Empties(lanes, bandwidth);
                    for (var i = 0; i < 3; i++)
                    {
                        if (found[i].Seconds is { } seconds && seconds < 2900)
                            Assert.True(
                                Math.Abs(last[i] - seconds) < 0.2 + (0.001 * seconds),
                                $"lane {i}: {seconds} in closed form, {last[i]} in steps"
                            );
                        else
                            Assert.True(last[i] > 2800, $"lane {i}: {found[i]} in closed form, and {last[i]} in steps");
                        Assert.True(found[i].ShortBytesPerSecond >= -1e-9);
                    }
                }
            )
            .Check(Randomly.Draws(30));
}
