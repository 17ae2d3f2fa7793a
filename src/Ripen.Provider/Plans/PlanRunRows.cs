using Microsoft.Data.Sqlite;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Plans;

/// <summary>The index's table of plans' runs.</summary>
internal static class PlanRunRows
{
    private const string Columns = "id, plan, target, workload, day, missed, kept_until, is_full, logical, stored, seconds, share";

    /// <summary>By plan, target, workload and day.</summary>
    /// <param name="db">To read from.</param>
    /// <param name="plan">Of this plan only, or null for all.</param>
    /// <param name="since">Not before this day.</param>
    public static List<PlanRun> All(SqliteConnection db, string? plan = null, DateOnly since = default) =>
        db.List(
            $"SELECT {Columns} FROM plan_run WHERE (?1 IS NULL OR plan = ?1) AND day >= ?2 ORDER BY plan, target, workload, day",
            r => new PlanRun(
                r.GetInt64(0),
                r.GetString(1),
                r.GetString(2),
                r.GetString(3),
                DateOnly.FromDayNumber(r.GetInt32(4)),
                r.Text(5),
                DateOnly.FromDayNumber(r.GetInt32(6)),
                r.GetInt32(7) == 1,
                r.GetDouble(8),
                r.GetDouble(9),
                r.IsDBNull(10) ? null : r.GetDouble(10),
                r.GetDouble(11)
            ),
            plan,
            since.DayNumber
        );

    /// <summary>Notes a run that was done; gives its number.</summary>
    public static long Add(SqliteConnection db, Branch branch, int run, double share = 1)
    {
        var done = branch.Runs[run];
        db.Run(
            """
            INSERT INTO plan_run(plan, target, workload, day, kept_until, is_full, logical, stored, seconds, share)
            VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)
            """,
            branch.Plan.Id,
            branch.Target.Id,
            branch.Workload.Id,
            done.Day.DayNumber,
            done.KeptUntil.DayNumber,
            done.Full == run ? 1 : 0,
            branch.Content.BytesOn(done.Day),
            done.Stored.Total,
            branch.Target.BytesPerSecond is { } rate ? done.Stored.Total / rate : null,
            share
        );
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    public static void Miss(SqliteConnection db, Branch branch, DateOnly day, string why) =>
        db.Run(
            """
            INSERT OR IGNORE INTO plan_run(plan, target, workload, day, missed, kept_until, is_full, logical, stored, share)
            VALUES(?1, ?2, ?3, ?4, ?5, ?4, 0, 0, 0, 0)
            """,
            branch.Plan.Id,
            branch.Target.Id,
            branch.Workload.Id,
            day.DayNumber,
            why
        );

    /// <summary>The plans with the runs that were done before the estate's today, each with what it bears from birth.</summary>
    public static IReadOnlyList<BackupPlan> WithRuns(IReadOnlyList<BackupPlan> plans, IEnumerable<PlanRun> runs)
    {
        var done = runs.Where(r => r.Missed is null).ToLookup(r => (r.Plan, r.Target));
        return
        [
            .. plans.Select(p =>
                p with
                {
                    Runs = Past(done[(p.Id, p.Target)]),
                    Copies = [.. p.Copies.Select(c => c with { Runs = Past(done[(p.Id, c.Target)].Where(r => Covers(p, c, r.Workload))) })],
                }
            ),
        ];

        static bool Covers(BackupPlan plan, PlanCopy copy, string workload) => (copy.Workloads ?? plan.Workloads).Contains(workload);
    }

    private static List<PastRuns> Past(IEnumerable<PlanRun> runs) =>
        [
            .. runs.GroupBy(r => r.Workload)
                .Select(w => new PastRuns
                {
                    Workload = w.Key,
                    Days = [.. w.Select(r => r.Day)],
                    Borne = [.. w.Select(r => new BorneByRun(r.KeptUntil, r.IsFull))],
                }),
        ];
}
