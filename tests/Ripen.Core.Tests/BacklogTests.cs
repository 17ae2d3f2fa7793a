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
    public void A_division_wastes_nothing_and_nobody_envies_who_got_what_they_wanted() => Prop.ForAll(
        Arb.From(Gen.Choose(0, 100).ArrayOf(6)), Arb.From(Gen.Choose(0, 300)), (wanted, capacity) =>
        {
            var (wants, gets) = (wanted.Select(w => (double)w).ToArray(), new double[6]);
            FairShare.Divide(capacity, wants, gets);
            Assert.Equal(Math.Min(capacity, wants.Sum()), gets.Sum(), 9);
            var unserved = Enumerable.Range(0, 6).Where(i => gets[i] < wants[i] - 1e-9).ToList();
            foreach (var i in unserved) Assert.All(gets, g => Assert.True(g <= gets[i] + 1e-9));
        }).QuickCheckThrowOnFailure();

    [Fact]
    public void The_closed_form_is_where_small_steps_in_time_end() => Prop.ForAll(
        Arb.From(Gen.Choose(0, 2000).Zip(Gen.Choose(0, 8)).ArrayOf(3)), Arb.From(Gen.Choose(3, 20)), (loads, bandwidth) =>
        {
            var lanes = loads.Select(l => new LaneLoad(l.Item1, l.Item2)).ToList();
            var (waiting, emptied) = (loads.Select(l => (double)l.Item1).ToArray(), loads.Select(l => l.Item1 == 0 ? 0.0 : (double?)null).ToArray());
            const double step = 0.05;
            for (var time = 0.0; time < 3000; time += step)
            {
                // Each second's part: waiting lanes share what the others' arrivals leave, lane by lane until nothing changes.
                var left = bandwidth * step;
                var wants = waiting.Select((w, i) => w + (lanes[i].BytesPerSecond * step)).ToArray();
                while (left > 1e-9 && wants.Any(w => w > 1e-9))
                {
                    var open = wants.Count(w => w > 1e-9);
                    var each = Math.Min(left / open, wants.Where(w => w > 1e-9).Min());
                    for (var i = 0; i < 3; i++) wants[i] -= wants[i] > 1e-9 ? each : 0;
                    left -= each * open;
                }
                for (var i = 0; i < 3; i++)
                {
                    waiting[i] = wants[i];
                    if (waiting[i] < 1e-6) emptied[i] ??= time + step;
                }
            }
            var found = Backlog.Empties(lanes, bandwidth);
            for (var i = 0; i < 3; i++)
            {
                if (found[i].Seconds is not { } seconds || seconds > 2900) continue;
                Assert.True(emptied[i] is { } at && Math.Abs(at - seconds) < 0.2 + (0.001 * seconds), $"lane {i}: {seconds} in closed form, {emptied[i]} in steps");
            }
            Assert.All(Enumerable.Range(0, 3).Where(i => emptied[i] is null && found[i].Seconds is null), i => Assert.True(found[i].ShortBytesPerSecond >= -1e-9));
        }).Check(Config.QuickThrowOnFailure.WithMaxTest(20));
}
