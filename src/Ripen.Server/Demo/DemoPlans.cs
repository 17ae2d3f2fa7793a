using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Server.Backups;

namespace Ripen.Server.Demo;

/// <summary>
/// Backup plans of the demo: one that meets what was agreed, one with a missed recovery point, one whose archive step breaks its recovery
/// time, one with generations.
/// </summary>
internal static class DemoPlans
{
    private const string NightBucket = "ticketing-backups";

    private static readonly BackupTarget Night = new()
    {
        Id = "night-vault",
        Name = "Night vault",
        Kind = TargetKind.Bucket,
        Bucket = NightBucket,
        Prefix = "planned/night/",
        Writers = 4,
        BytesPerSecond = 250_000_000,
    };

    private static readonly BackupTarget Quarry = new()
    {
        Id = "quarry-vault",
        Name = "Quarry vault",
        Kind = TargetKind.Bucket,
        Bucket = "sonar-quarry",
        Prefix = "planned/",
        Writers = 4,
        BytesPerSecond = 120_000_000,
    };

    private static readonly BackupTarget Deep = new()
    {
        Id = "deep-vault",
        Name = "Deep vault",
        Kind = TargetKind.Bucket,
        Bucket = NightBucket,
        Prefix = "planned/deep/",
        Writers = 2,
        BytesPerSecond = 200_000_000,
    };

    private static readonly LifecycleRule DeepStep = new()
    {
        Id = "deep-packs",
        Prefix = "planned/deep/",
        Steps = [new Step { Age = 8, Tier = "cave" }],
    };

    private static readonly Workload[] Workloads =
    [
        new()
        {
            Id = "crew-mail",
            Name = "Crew mail",
            Bytes = 380e9,
            YearlyGrowth = 0.12,
            Changing = 0.3,
            DailyChange = 0.01,
            Unique = 0.8,
            Compression = 0.62,
            Region = "aldmouth",
            RpoHours = 26,
            RtoHours = 12,
        },
        new()
        {
            Id = "chart-archive",
            Name = "Chart archive",
            Bytes = 5.2e12,
            YearlyGrowth = 0.25,
            Changing = 0.05,
            DailyChange = 0.002,
            Compression = 0.85,
            Region = "aldmouth",
            RpoHours = 26,
            RtoHours = 48,
        },
        new()
        {
            Id = "engine-history",
            Name = "Engine history",
            Bytes = 900e9,
            YearlyGrowth = 0.4,
            Changing = 0.1,
            DailyChange = 0.001,
            Compression = 0.7,
            Region = "quarrydown",
            RpoHours = 26,
            RtoHours = 4,
        },
        new()
        {
            Id = "payroll",
            Name = "Payroll",
            Bytes = 60e9,
            YearlyGrowth = 0.05,
            Changing = 0.4,
            DailyChange = 0.05,
            Unique = 0.9,
            Compression = 0.45,
            Region = "quarrydown",
            RtoHours = 6,
        },
    ];

    private static readonly BackupPlan[] Plans =
    [
        new()
        {
            Id = "nightly",
            Name = "Every night",
            Workloads = ["ticket-db", "crew-mail"],
            Target = Night.Id,
            Every = new Cadence { Days = 1 },
            Keep = new PointRetention { Days = 35 },
            Copies =
            [
                new PlanCopy
                {
                    Target = Quarry.Id,
                    Keep = new PointRetention { Days = 35 },
                },
            ],
        },
        new()
        {
            Id = "charts",
            Name = "Charts, twice a week",
            Workloads = ["chart-archive"],
            Target = Quarry.Id,
            Every = new Cadence { Weekdays = [DayOfWeek.Tuesday, DayOfWeek.Friday] },
            Keep = new PointRetention { Days = 60 },
            Copies =
            [
                new PlanCopy
                {
                    Target = Night.Id,
                    Every = new Cadence { Weekdays = [DayOfWeek.Friday] },
                    Keep = new PointRetention { Days = 60 },
                },
            ],
        },
        new()
        {
            Id = "engines",
            Name = "Engines, into the deep",
            Workloads = ["engine-history"],
            Target = Deep.Id,
            Every = new Cadence { Days = 1 },
            Keep = new PointRetention { Days = 90 },
        },
        new()
        {
            Id = "wages",
            Name = "Wages, by generations",
            Workloads = ["payroll"],
            Target = Night.Id,
            Every = new Cadence { Days = 1 },
            Keep = new PointRetention
            {
                Daily = 14,
                Weekly = 8,
                Monthly = 12,
                Yearly = 10,
            },
            Copies =
            [
                new PlanCopy
                {
                    Target = Quarry.Id,
                    Every = new Cadence { MonthDay = 1 },
                    Keep = new PointRetention { Yearly = 10, Monthly = 12 },
                },
            ],
        },
    ];

    /// <summary>Done by the same calls as the pages', one after another; what is there already stays.</summary>
    public static async Task Make(DemoHands hands, CancellationToken cancel)
    {
        await Targets(hands, [Night, Quarry, Deep], cancel);
        await Change(
            hands,
            e => e.Find(NightBucket)!.Rules.Any(r => r.Id == DeepStep.Id) ? null : e.With(WithStep(e), NightBucket),
            view =>
                hands.Store.Change(
                    view.Estate.Find(NightBucket)!,
                    WithStep(view.Estate),
                    view.Estate.Today,
                    view.VersionOf(NightBucket),
                    view.Version,
                    Consequences.Of(view.Project(Consequences.Months), WithStep(view.Estate), NightBucket).Cost,
                    cancel
                ),
            cancel
        );
        foreach (var workload in Workloads)
        {
            await Change(
                hands,
                e => e.Workloads.Any(w => w.Id == workload.Id) ? null : e with { Workloads = [.. e.Workloads, workload] },
                view => hands.Backups.ChangeWorkload(null, workload, view.Estate.Today, view.Version, cancel),
                cancel
            );
        }
        foreach (var plan in Plans)
            await Make(hands, plan, cancel);
    }

    public static Task Make(DemoHands hands, BackupPlan plan, CancellationToken cancel) =>
        Change(
            hands,
            e => e.Plans.Any(p => p.Id == plan.Id) ? null : e with { Plans = [.. e.Plans, plan.Begun(e.Today)] },
            view => hands.Backups.ChangePlan(null, plan.Begun(view.Estate.Today), view.Version, null, cancel),
            cancel
        );

    public static async Task Targets(DemoHands hands, IEnumerable<BackupTarget> targets, CancellationToken cancel)
    {
        foreach (var target in targets)
        {
            await Change(
                hands,
                e => e.Targets.Any(t => t.Id == target.Id) ? null : e with { Targets = [.. e.Targets, target] },
                view => hands.Backups.ChangeTarget(null, target, view.Version, cancel),
                cancel
            );
        }
    }

    /// <summary>From now on plans really read the workload; of what is kept by generations no gap is agreed.</summary>
    public static Task Source(DemoHands hands, string workload, WorkloadSource source, CancellationToken cancel) =>
        Change(
            hands,
            e => e with { Workloads = [.. e.Workloads.Select(w => w.Id == workload ? w with { Source = source, RpoHours = null } : w)] },
            view =>
            {
                var before = view.Estate.Workloads.First(w => w.Id == workload);
                return hands.Backups.ChangeWorkload(
                    before,
                    before with
                    {
                        Source = source,
                        RpoHours = null,
                    },
                    view.Estate.Today,
                    view.Version,
                    cancel
                );
            },
            cancel
        );

    /// <summary>Rehearses the restore of the newest point in the plan's own target.</summary>
    public static async Task Rehearse(DemoHands hands, string plan, string workload, CancellationToken cancel)
    {
        var estate = (await hands.Current.Get(cancel))!.Estate;
        var target = estate.Plans.First(p => p.Id == plan).Target;
        var newest = RestorePoints.Now(estate).Last(p => (p.Plan, p.Workload, p.Target) == (plan, workload, target));
        await hands.Rehearsals.Of(estate, new PlannedRehearsal(plan, workload, target, newest.Taken), cancel);
    }

    private static Bucket WithStep(Estate estate) =>
        estate.Find(NightBucket)! with
        {
            Rules = [.. estate.Find(NightBucket)!.Rules, DeepStep],
        };

    private static Task<bool> Change(
        DemoHands hands,
        Func<Estate, Estate?> after,
        Func<EstateView, Task> store,
        CancellationToken cancel
    ) =>
        hands.Current.Change(
            async view =>
            {
                if (after(view!.Estate) is { } changed)
                    await hands.Current.Apply(new PlannedChange(changed), () => store(view));
                return true;
            },
            cancel
        );
}
