using Ripen.Backup.Points;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;
using Ripen.Provider.Plans;
using Ripen.Server.Backups;

namespace Ripen.Server.Demo;

/// <summary>The harbour office's files: real ones, with points of a year and a plan that takes another every evening of the demo's past.</summary>
internal static class DemoFiles
{
    private const string Workload = "office";
    private const string Passphrase = "the ferry leaves at nine";
    private const int Months = 12;
    private static readonly TimeOnly Evening = new(19, 30);

    private static readonly BackupTarget Safe = new()
    {
        Id = "office-safe",
        Name = "Office safe",
        Kind = TargetKind.Bucket,
        Bucket = "ticketing-backups",
        Prefix = "safe/",
        PackBytes = 8_000_000,
        BytesPerSecond = 100_000_000,
    };

    private static readonly BackupTarget Drawer = new()
    {
        Id = "office-drawer",
        Name = "Disk in the office's drawer",
        Kind = TargetKind.Directory,
        Folder = "drawer",
        CapacityBytes = 200_000_000,
        OperatedBy = Operator.Own,
        PackBytes = 8_000_000,
        BytesPerSecond = 80_000_000,
    };

    /// <summary>Its packs rest where reading takes a wait, a week after they came.</summary>
    private static readonly BackupTarget Archive = new()
    {
        Id = "office-archive",
        Name = "Office archive",
        Kind = TargetKind.Bucket,
        Bucket = "ticketing-backups",
        Prefix = "archive/",
        PackBytes = 8_000_000,
        BytesPerSecond = 100_000_000,
    };

    private static readonly BackupPlan Plan = new()
    {
        Id = "evenings",
        Name = "Office, every evening",
        Workloads = [Workload],
        Target = Safe.Id,
        Every = new Cadence { Days = 1 },
        At = [Evening],
        Zone = "Europe/Copenhagen",
        WindowHours = 4,
        RehearseEveryDays = 30,
        Keep = new PointRetention
        {
            Daily = 14,
            Weekly = 8,
            Monthly = 12,
            Yearly = 7,
        },
        Copies =
        [
            new PlanCopy
            {
                Target = Drawer.Id,
                Every = new Cadence { Weekdays = [DayOfWeek.Sunday] },
                Keep = new PointRetention { Days = 60 },
            },
            new PlanCopy
            {
                Target = Archive.Id,
                Every = new Cadence { MonthDay = 1 },
                Keep = new PointRetention { Months = 120 },
            },
        ],
    };

    public static async Task Make(DemoHands hands, CancellationToken cancel)
    {
        if (hands.Office is not { } office)
            return;
        await DemoPlans.Targets(hands, [Safe, Drawer, Archive], cancel);
        foreach (var target in new[] { Safe, Drawer, Archive })
        {
            if (await hands.Pools.Look(target, cancel) is null)
                await hands.Pools.Make(target, Passphrase, cancel);
        }
        await DemoPlans.Source(hands, Workload, new WorkloadSource { Folder = Path.GetFileName(office) }, cancel);
        await DemoPlans.Make(hands, Plan, cancel);
        using var pool = await hands.Pools.Open(Safe, cancel);
        var there = (await pool.Points(cancel)).Points.Count;
        DateOnly? before = null;
        for (var month = 0; month < Months; month++)
        {
            var day = new DateOnly(2025, 11, 1).AddMonths(month);
            var at = new DateTimeOffset(day.ToDateTime(Evening), TimeSpan.Zero);
            var keptUntil = Plan.Keep.KeptUntil(day, before);
            before = day;
            if (month < there)
                continue;
            DemoOffice.Write(office, month);
            DemoPost.Write(office, day);
            var options = new RunOptions
            {
                Plan = Plan.Id,
                KeptUntil = keptUntil,
                Taken = at,
            };
            var point = await BackupRun.Of(pool, new FolderSource(office), Workload, options, hands.Time, null, cancel);
            hands.Provider.NoteRun(RunOf(point, day));
        }
        Live(hands, hands.Provider.Clock.Today);
    }

    /// <summary>The office's files and mail as they are on a day of the demo's past.</summary>
    public static void Live(DemoHands hands, DateOnly day)
    {
        if (hands.Office is not { } office)
            return;
        DemoOffice.Write(office, Months + Math.Max(0, day.DayNumber - new DateOnly(2026, 11, 1).DayNumber));
        DemoPost.Write(office, day);
    }

    private static PlanRun RunOf(Point point, DateOnly day) =>
        new(
            0,
            Plan.Id,
            Safe.Id,
            Workload,
            day,
            null,
            point.KeptUntil!.Value,
            false,
            point.LogicalBytes,
            point.StoredBytes,
            point.Seconds,
            1,
            point.Taken,
            point.Id
        );
}
