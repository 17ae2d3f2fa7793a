using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>A stretch in which the newest point of a workload was, or will be, older than its agreed recovery point.</summary>
/// <param name="Workload">Its id.</param>
/// <param name="From">The first day on which it is too old.</param>
/// <param name="To">The day on which another one is taken, or the end of what is looked at.</param>
public sealed record PointGap(string Workload, DateOnly From, DateOnly To)
{
    private const int HoursADay = 24;

    /// <summary>From the first point of each workload on; ascending, workload by workload. Days are whole: a point counts from its
    /// day.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="branches">Of its plans, with all runs before <paramref name="end"/>.</param>
    /// <param name="end">The first day that is of no interest.</param>
    public static IEnumerable<PointGap> All(Estate estate, IReadOnlyList<Branch> branches, DateOnly end)
    {
        var byWorkload = branches.ToLookup(b => b.Workload.Id);
        foreach (var workload in estate.Workloads)
        {
            if (workload.RpoHours is not { } hours)
                continue;
            var allowed = (int)Math.Min(hours / HoursADay, end.DayNumber);
            // What is taken several times a day is near enough on days in a row.
            if (byWorkload[workload.Id].Any(b => b.HoursApart <= hours))
                allowed = Math.Max(1, allowed);
            var days = byWorkload[workload.Id].SelectMany(b => b.Runs).Select(r => r.Day).Distinct().Order().ToList();
            for (var i = 0; i < days.Count; i++)
            {
                var next = i + 1 < days.Count ? days[i + 1] : end;
                if (next.DayNumber - days[i].DayNumber > allowed)
                    yield return new PointGap(workload.Id, days[i].AddDays(allowed), next);
            }
        }
    }
}
