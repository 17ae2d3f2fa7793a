using Microsoft.Data.Sqlite;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Plans;

/// <summary>The index's table of plans' runs.</summary>
internal static class PlanRunRows
{
    private const string Columns =
        "id, plan, target, workload, day, missed, kept_until, is_full, logical, stored, seconds, share, at, point, sealed";

    /// <summary>By plan, target, workload and day.</summary>
    public static List<PlanRun> All(SqliteConnection db) =>
        db.List($"SELECT {Columns} FROM plan_run ORDER BY plan, target, workload, day", Read);

    /// <summary>The run that made a point; null where no plan's did.</summary>
    public static PlanRun? Of(SqliteConnection db, string point) =>
        db.List($"SELECT {Columns} FROM plan_run WHERE point = ?1", Read, point).FirstOrDefault();

    /// <summary>A branch's run of a day; null for none.</summary>
    public static PlanRun? On(SqliteConnection db, string plan, string target, string workload, DateOnly day) =>
        db.List(
                $"SELECT {Columns} FROM plan_run WHERE plan = ?1 AND target = ?2 AND workload = ?3 AND day = ?4",
                Read,
                plan,
                target,
                workload,
                day.DayNumber
            )
            .FirstOrDefault();

    /// <summary>The newest run of a branch that took a point before a day; null for none.</summary>
    public static PlanRun? Before(SqliteConnection db, string plan, string target, string workload, DateOnly day) =>
        db.List(
                $"""
                SELECT {Columns} FROM plan_run WHERE plan = ?1 AND target = ?2 AND workload = ?3 AND day < ?4 AND missed IS NULL
                ORDER BY day DESC LIMIT 1
                """,
                Read,
                plan,
                target,
                workload,
                day.DayNumber
            )
            .FirstOrDefault();

    private static PlanRun Read(SqliteDataReader r) =>
        new(
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
            r.GetDouble(11),
            r.Long(12) is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : null,
            r.Text(13),
            r.GetInt32(14) == 1
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
            branch.Seconds(done.Stored.Total),
            share
        );
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    /// <summary>Notes a run that read a source, done or missed: the day's last is the one that counts.</summary>
    public static void Note(SqliteConnection db, PlanRun run) =>
        db.Run(
            """
            INSERT OR REPLACE INTO plan_run(plan, target, workload, day, missed, kept_until, is_full, logical, stored, seconds, share, at, point,
                sealed)
            VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14)
            """,
            run.Plan,
            run.Target,
            run.Workload,
            run.Day.DayNumber,
            run.Missed,
            run.KeptUntil.DayNumber,
            run.IsFull ? 1 : 0,
            run.LogicalBytes,
            run.StoredBytes,
            run.Seconds,
            run.Share,
            run.At!.Value.ToUnixTimeMilliseconds(),
            run.Point,
            run.IsSealed ? 1 : 0
        );

    /// <summary>Rises with every run that is noted.</summary>
    public static long Newest(SqliteConnection db) => db.Value<long>("SELECT coalesce(max(id), 0) FROM plan_run");

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

    /// <summary>The plans with the runs that were done before today, each with what it bears from birth; and those of today that are
    /// over.</summary>
    public static IReadOnlyList<BackupPlan> WithRuns(IReadOnlyList<BackupPlan> plans, IEnumerable<PlanRun> runs, DateOnly today)
    {
        var done = runs.Where(r => r.Missed is null).ToLookup(r => (r.Plan, r.Target));
        return
        [
            .. plans.Select(p =>
                p with
                {
                    Runs = Past(done[(p.Id, p.Target)], today),
                    Copies =
                    [
                        .. p.Copies.Select(c => c with { Runs = Past(done[(p.Id, c.Target)].Where(r => Covers(p, c, r.Workload)), today) }),
                    ],
                }
            ),
        ];

        static bool Covers(BackupPlan plan, PlanCopy copy, string workload) => (copy.Workloads ?? plan.Workloads).Contains(workload);
    }

    private static List<PastRuns> Past(IEnumerable<PlanRun> runs, DateOnly today) =>
        [
            .. runs.GroupBy(r => r.Workload)
                .Select(w => new PastRuns
                {
                    Workload = w.Key,
                    Days = [.. w.Where(r => r.Day < today).Select(r => r.Day)],
                    Borne = [.. w.Where(r => r.Day < today).Select(Borne)],
                    Today = w.Where(r => r.Day == today).Select(Borne).FirstOrDefault(),
                }),
        ];

    private static BorneByRun Borne(PlanRun run) =>
        new(
            run.KeptUntil,
            run.IsFull,
            run.IsReal ? run.LogicalBytes : null,
            run.IsReal ? run.StoredBytes : null,
            run.IsReal ? run.IsSealed : null
        );
}
