using Ripen.Core.Ageing;

namespace Ripen.Core.Backups;

/// <summary>
/// What the runs of a branch left in one place once nothing tells them apart: no step moves them any more, nothing is short of a minimum
/// stay, and nothing keeps them. What survives of content over some days is a product (model 9.2), so that all that one point needs of them is
/// one amount, and goes over to the next point when that one goes. A projection is linear in the number of runs this way, and not
/// quadratic. The same for all branches with these times that store equal content once.
/// </summary>
/// <param name="times">Of the branches.</param>
/// <param name="today">Day 0.</param>
internal sealed class SettledPacks(PointTimes times, DateOnly today)
{
    private readonly List<(int Day, int Run, int Point)> taken = [];
    private bool inOrder;

    /// <summary>In which they lie for good: the same for all.</summary>
    public Stay Stay { get; private set; }

    /// <summary>Takes over what is left of a run in the morning of <paramref name="day"/>, before what falls due on it.</summary>
    /// <param name="run">Its place in the branch.</param>
    /// <param name="day">At least 0, and after the day on which it came.</param>
    /// <param name="stay">In which it lies for good.</param>
    public void Take(int run, int day, Stay stay)
    {
        taken.Add((day, run, times.NeededBy(run, today.AddDays(day - 1))));
        (Stay, inOrder) = (stay, false);
    }

    /// <summary>What lies there after the rules of a day of what was taken over until then, run by run.</summary>
    /// <param name="branch">One with these times.</param>
    /// <param name="day">Not before any day on which something was taken over.</param>
    public IEnumerable<(int Created, double Objects)> On(Branch branch, int day) =>
        taken.Select(t => (times.Day(t.Run).DayNumber - today.DayNumber, branch.Packs(t.Run, times.NeededBy(t.Run, today.AddDays(day)))));

    /// <param name="branch">One with these times.</param>
    /// <param name="days">How far to look.</param>
    /// <param name="rest">Told how many objects rest on the days [from, to). What leaves does so without a charge, and is not told.</param>
    public void Tell(Branch branch, int days, Action<int, int, double> rest)
    {
        if (!inOrder)
            taken.Sort();
        inOrder = true;
        var gone = times.Departures;
        var needed = new Content[times.Count];
        var (total, most, since) = (0.0, 0.0, 0);
        var b = 0;
        while (b < gone.Length && gone[b].Day < today)
            b++;
        for (var a = 0; a < taken.Count || b < gone.Length; )
        {
            var day = Math.Min(a < taken.Count ? taken[a].Day : days, b < gone.Length ? DayOf(b) : days);
            if (day >= days)
                break;
            RestUntil(day);
            for (; a < taken.Count && taken[a].Day == day; a++)
            {
                var (_, run, point) = taken[a];
                var content = branch.Planned[run] * branch.Surviving(run, point);
                needed[point] += content;
                total += content.Total;
            }
            for (; b < gone.Length && DayOf(b) == day; b++)
            {
                var (_, point, next) = gone[b];
                var before = needed[point];
                if (before.Total == 0)
                    continue;
                var content = before * branch.Surviving(point, next);
                total += content.Total - before.Total;
                needed[next] += content;
                needed[point] = default;
            }
            most = Math.Max(most, total);
            // Summed anew when most of it is gone: what is left must not be the rounding of what there was.
            if (total < most / 2)
                most = total = needed.Sum(c => c.Total);
        }
        RestUntil(days);

        int DayOf(int departure) => gone[departure].Day.DayNumber - today.DayNumber;

        void RestUntil(int day)
        {
            if (day > since && total > 0)
                rest(since, day, total / branch.Target.PackBytes);
            since = day;
        }
    }
}
