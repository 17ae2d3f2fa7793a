using System.Globalization;
using Ripen.Core.Ageing;
using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>A restore point as it stands on a day (model 9.6).</summary>
/// <param name="Plan">Its id.</param>
/// <param name="Target">Its id.</param>
/// <param name="Workload">Its id.</param>
/// <param name="Taken">The day of its run.</param>
/// <param name="KeptUntil">The first day on which it is not kept, unless it is the newest then.</param>
/// <param name="LogicalBytes">What it gives back.</param>
/// <param name="AddedBytes">What its run stored.</param>
/// <param name="FreedBytes">What would go if only this point went; null for the newest.</param>
public sealed record RestorePoint(
    string Plan,
    string Target,
    string Workload,
    DateOnly Taken,
    DateOnly KeptUntil,
    double LogicalBytes,
    double AddedBytes,
    double? FreedBytes
);

/// <summary>The restore points that are there on a day, and files of them.</summary>
public static class RestorePoints
{
    private const string Header = "plan,target,workload,taken,keptUntil,logicalBytes,addedBytes,freedBytes";

    /// <summary>Ordered by plan, target, workload (character by character) and day.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="day">After that day's runs; what is no longer kept on it is not there.</param>
    public static IReadOnlyList<RestorePoint> On(Estate estate, DateOnly day) => All(estate, day, day.AddDays(1));

    /// <summary>The same on the morning of the estate's today, when nothing of that day has run yet.</summary>
    public static IReadOnlyList<RestorePoint> Now(Estate estate) => All(estate, estate.Today, estate.Today);

    private static List<RestorePoint> All(Estate estate, DateOnly day, DateOnly end)
    {
        var points = new List<RestorePoint>();
        foreach (
            var branch in Branch
                .All(estate, end)
                .OrderBy(b => b.Plan.Id, StringComparer.Ordinal)
                .ThenBy(b => b.Target.Id, StringComparer.Ordinal)
                .ThenBy(b => b.Workload.Id, StringComparer.Ordinal)
        )
        {
            var keeping = branch.Target.Bucket is { } bucket
                ? Keeping.Of(estate.Find(bucket)!, branch.Target.Prefix, null, estate.Today)
                : new Keeping(0, []);
            var on = day.DayNumber - estate.Today.DayNumber;
            var there = Enumerable.Range(0, branch.Runs.Count).Where(i => branch.IsThere(i, day)).ToList();
            for (var at = 0; at < there.Count; at++)
            {
                var run = branch.Runs[there[at]];
                points.Add(
                    new RestorePoint(
                        branch.Plan.Id,
                        branch.Target.Id,
                        branch.Workload.Id,
                        run.Day,
                        run.KeptUntil,
                        run.LogicalBytes,
                        run.Stored.Total,
                        at == there.Count - 1 ? null : Freed(branch, IsKept, at == 0 ? 0 : there[at - 1] + 1, there[at], there[at + 1])
                    )
                );
            }

            bool IsKept(DateOnly created) => keeping.FirstFree(created.DayNumber - estate.Today.DayNumber, on) > on;
        }
        return points;
    }

    public static void WriteCsv(IEnumerable<RestorePoint> points, TextWriter writer)
    {
        writer.Write(Header + "\r\n");
        foreach (var p in points)
            writer.Write(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{p.Plan},{p.Target},{p.Workload},{p.Taken:yyyy-MM-dd},{p.KeptUntil:yyyy-MM-dd},{p.LogicalBytes:R},{p.AddedBytes:R},{p.FreedBytes:R}\r\n"
                )
            );
    }

    public static void WriteJson(IEnumerable<RestorePoint> points, TextWriter writer) => writer.WriteLine(EstateDocument.Text(points));

    /// <summary>What of the runs [<paramref name="first"/>, <paramref name="point"/>] goes with the point: nobody before it needs them, and
    /// <paramref name="next"/> is the first point after it.</summary>
    private static double Freed(Branch branch, Func<DateOnly, bool> isKept, int first, int point, int next)
    {
        var freed = 0.0;
        for (var i = first; i <= point; i++)
        {
            var run = branch.Runs[i];
            // What the bucket keeps stays whoever needs it.
            if (isKept(run.Day))
                continue;
            freed += run.Stored.Total * (branch.NeededFor(i, point) - branch.NeededFor(i, next));
        }
        return freed;
    }
}
