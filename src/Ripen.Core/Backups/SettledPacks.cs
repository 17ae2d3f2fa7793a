using Ripen.Core.Ageing;

namespace Ripen.Core.Backups;

/// <summary>
/// What the runs of a branch left in one place once nothing tells them apart: no step moves them any more, nothing is short of a minimum
/// stay, and nothing keeps them. What survives of content over some days is a product (model 9.2), so that all that one point needs of them is
/// one amount, and goes over to the next point when that one goes. A projection is linear in the number of runs this way, and not
/// quadratic.
/// </summary>
/// <param name="branch">One that stores equal content once.</param>
/// <param name="today">Day 0.</param>
internal sealed class SettledPacks(Branch branch, DateOnly today)
{
    private readonly List<(int Day, int Run)> taken = [];
    private Stay last;

    public long BytesPerObject => branch.Target.PackBytes;

    /// <summary>Takes over what is left of a run in the morning of <paramref name="day"/>, before what falls due on it.</summary>
    /// <param name="run">Its place in the branch.</param>
    /// <param name="day">At least 0, and after the day on which it came.</param>
    /// <param name="stay">In which it lies for good: the same for all.</param>
    public void Take(int run, int day, Stay stay)
    {
        taken.Add((day, run));
        last = stay;
    }

    /// <summary>What lies there after the rules of a day of what was taken over until then, run by run.</summary>
    /// <param name="day">Not before any day on which something was taken over.</param>
    public IEnumerable<(PacksCame Packs, int Tier, double Objects)> On(int day)
    {
        var own = taken.Select(t => t.Run).ToHashSet();
        foreach (var (run, share) in branch.NeededOn(today.AddDays(day)).Where(n => own.Contains(n.Run)))
        {
            var came = branch.Runs[run].Stored.Total / BytesPerObject;
            yield return (new PacksCame(came, BytesPerObject, branch.Runs[run].Day.DayNumber - today.DayNumber), last.Tier, came * share);
        }
    }

    /// <param name="days">How far to look.</param>
    /// <param name="witness">Told of what rests. What leaves does so without a charge, and is not told.</param>
    public void Tell(int days, IPackWitness witness)
    {
        var came = taken.OrderBy(t => t.Day).ToList();
        var gone = branch.Departures(today).Where(d => d.Day >= 0).ToList();
        var needed = new Content[branch.Runs.Count];
        var (total, most, since) = (0.0, 0.0, 0);
        for (int a = 0, b = 0; a < came.Count || b < gone.Count; )
        {
            var day = Math.Min(a < came.Count ? came[a].Day : days, b < gone.Count ? gone[b].Day : days);
            if (day >= days)
                break;
            RestUntil(day);
            for (; a < came.Count && came[a].Day == day; a++)
            {
                var (point, content) = branch.NeededOf(came[a].Run, today.AddDays(day - 1));
                needed[point] += content;
                total += content.Total;
            }
            for (; b < gone.Count && gone[b].Day == day; b++)
            {
                var (point, next) = (gone[b].Point, gone[b].Next);
                var content = needed[point] * branch.Surviving(point, next);
                total += content.Total - needed[point].Total;
                needed[next] += content;
                needed[point] = default;
            }
            most = Math.Max(most, total);
            // Summed anew when most of it is gone: what is left must not be the rounding of what there was.
            if (total < most / 2)
                most = total = needed.Sum(c => c.Total);
        }
        RestUntil(days);

        void RestUntil(int day)
        {
            if (day > since && total > 0)
                witness.Rest(since, day, last.Tier, total / BytesPerObject, last.IsWatched);
            since = day;
        }
    }
}
