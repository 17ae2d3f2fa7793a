using Microsoft.Data.Sqlite;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Plans;

/// <summary>
/// What backup plans do on one day: the runs that are due, and what no point needs any more afterwards. Which points there are and what they
/// need is the model's (<see cref="Branch"/>); where packs lie, age and are kept is the provider's own, as for everything else.
/// </summary>
internal sealed class PlanNights(SqliteConnection db, Terms terms, DateOnly day)
{
    /// <summary>Parts of an expectation below this are rounding.</summary>
    private const double Rounding = 1e-12;

    private readonly List<PlanRun> runs = PlanRunRows.All(db);
    private readonly HashSet<(string Plan, string Target, string Workload)> taken = [];
    private IReadOnlyList<Branch> branches = [];

    /// <summary>Takes what is due, and notes what could not be taken.</summary>
    /// <param name="routes">On which copies go.</param>
    /// <param name="isReachable">Whether a bucket's region is there.</param>
    /// <returns>Objects that arrived.</returns>
    public double Run(IReadOnlyList<Route> routes, Func<BucketTerms, bool> isReachable)
    {
        var plan = terms.Plan.Estate;
        if (plan.Plans.Count == 0)
            return 0;
        branches = Branch.All(
            plan with
            {
                Today = day,
                Workloads = [.. plan.Workloads.Select(w => w.AsOf(day, plan.Today))],
                Plans = PlanRunRows.WithRuns(plan.Plans, runs, day),
            },
            day.AddDays(1)
        );
        var arrived = 0.0;
        foreach (var branch in branches)
        {
            if (branch.Workload.Source is not null)
            {
                DemandRun(branch);
                continue;
            }
            var run = branch.NewestOn(day);
            if (run < 0 || branch.Runs[run].Day != day)
                continue;
            var isCopy = branch.Target.Id != branch.Plan.Target;
            if (isCopy && !taken.Contains((branch.Plan.Id, branch.Plan.Target, branch.Workload.Id)))
            {
                PlanRunRows.Miss(db, branch, day, "The plan itself took no point on this day.");
                continue;
            }
            var bucket = branch.Target.Bucket is { } name ? terms[name] : null;
            if (Why(branch, bucket, isReachable) is { } missed)
            {
                PlanRunRows.Miss(db, branch, day, missed);
                continue;
            }
            taken.Add((branch.Plan.Id, branch.Target.Id, branch.Workload.Id));
            var number = PlanRunRows.Add(db, branch, run);
            if (bucket is not null)
                arrived += Put(branch, run, number, bucket, routes);
        }
        return arrived;
    }

    /// <summary>A workload with a source runs by day, at its times: what did not is noted. On a plan's first day its time may have been over
    /// when the plan was made.</summary>
    private void DemandRun(Branch branch)
    {
        var (plan, target, workload) = (branch.Plan.Id, branch.Target.Id, branch.Workload.Id);
        var isFirstDay = day == branch.Plan.From && PlanRunRows.Before(db, plan, target, workload, day) is null;
        if (isFirstDay || PlanRunRows.On(db, plan, target, workload, day) is not null)
            return;
        var begins = ProviderState.Midnight(day);
        if (PlanTimes.Due(branch.Plan, branch.Every, begins.AddTicks(-1), begins.AddDays(1).AddTicks(-1)).Any())
            PlanRunRows.Miss(db, branch, day, "The server did not get to it, or its time was over when the plan was changed.");
    }

    private static string? Why(Branch branch, BucketTerms? bucket, Func<BucketTerms, bool> isReachable)
    {
        if (branch.Target.Access != TargetAccess.ReadWrite)
            return "The target takes no writes at present.";
        return bucket is not null && !isReachable(bucket) ? $"Region '{bucket.Bucket.Region}' is lost at present." : null;
    }

    private double Put(Branch branch, int run, long number, BucketTerms bucket, IReadOnlyList<Route> routes)
    {
        var target = branch.Target;
        var objects = branch.Runs[run].Stored.Total / target.PackBytes;
        if (objects == 0)
            return 0;
        var batch = PackRows.Put(db, terms, bucket, target, number, objects, objects, bucket.Landing, day, day);
        Events.Written(db, terms, day, bucket, bucket.Landing, objects, target.Id, objects * target.PackBytes);
        foreach (var route in routes.Where(r => r.From == bucket && !r.IsRefill && r.Rule.Scope.Takes(target.Prefix, null)))
            CopyQueue.Stored(db, route, batch, target, objects, day, number);
        return objects;
    }

    /// <summary>What points do not need any more leaves, in proportion, from wherever it lies; what is kept, when it is kept no more.</summary>
    /// <param name="isReachable">Whether a bucket's region is there.</param>
    /// <param name="leave">Told of what leaves, for its charge: bucket, prefix, tier, since, objects, bytes of each.</param>
    public void Thin(Func<BucketTerms, bool> isReachable, Action<BucketTerms, string, int, int, double, long> leave)
    {
        Needed();
        using var gate = new RetentionGate(db);
        foreach (var pack in PackRows.TooMany(db, terms, day))
        {
            if (!isReachable(pack.Bucket))
                continue;
            leave(pack.Bucket, pack.Key, pack.Tier, pack.Since, pack.Count - pack.Needed, pack.Bytes);
            if (pack.Needed == 0)
                gate.Remove(pack.Id);
            else
                db.Run("UPDATE entry SET count = ?2 WHERE id = ?1", pack.Id, pack.Needed);
        }
    }

    /// <summary>Writes down what is needed of each run from today on; while its own bucket keeps what it stored, nothing changes.</summary>
    private void Needed()
    {
        if (branches.Count == 0)
            return;
        var kept = PackRows.Kept(db, day);
        var byBranch = runs.Where(r => r.Missed is null && r.Share > 0).ToLookup(r => (r.Plan, r.Target, r.Workload));
        using var write = db.Repeated("UPDATE plan_run SET share = ?2 WHERE id = ?1", 2);
        foreach (var branch in branches)
        {
            var shares = branch.NeededOn(day).ToDictionary(n => branch.Runs[n.Run].Day, n => n.Share);
            foreach (var run in byBranch[(branch.Plan.Id, branch.Target.Id, branch.Workload.Id)].Where(r => !kept.Contains(r.Id)))
            {
                if (shares.GetValueOrDefault(run.Day) is var share && share < run.Share - Rounding)
                    write.Again(run.Id, share);
            }
        }
    }
}
