using System.Collections.Concurrent;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Clock;
using Ripen.Provider.Plans;

namespace Ripen.Server.Backups;

/// <summary>
/// Runs of plans whose workloads have a source: at their times on the provider's clock, into the pools of their targets. One that fails is
/// tried again while its window is open; what was not done is noted with its reason.
/// </summary>
internal sealed class PlannedBackups(
    SimulatedProvider provider,
    Pools pools,
    Sources sources,
    RoomMaking room,
    Programs programs,
    LocalActors actors,
    BackupJobs jobs,
    TimeProvider time,
    ILogger<PlannedBackups> log
)
{
    /// <summary>After the first, second and third failure; after the fourth a run is missed.</summary>
    private static readonly TimeSpan[] Pauses = [TimeSpan.FromMinutes(5), TimeSpan.FromMinutes(15), TimeSpan.FromMinutes(45)];

    private readonly ConcurrentDictionary<BranchId, Attempt> failed = [];

    /// <summary>One workload of a plan in one of its targets.</summary>
    private sealed record BranchId(string Plan, string Target, string Workload);

    /// <param name="Due">When it was to run.</param>
    /// <param name="Tries">That failed.</param>
    /// <param name="Again">When it is tried again.</param>
    private sealed record Attempt(DateTimeOffset Due, int Tries, DateTimeOffset Again);

    /// <summary>A workload with a source that a plan stores in its own target, or copies from there to another.</summary>
    /// <param name="Copy">Null for the plan's own target.</param>
    private sealed record Line(BackupPlan Plan, Workload Workload, BackupTarget Target, PlanCopy? Copy)
    {
        public BranchId Id => new(Plan.Id, Target.Id, Workload.Id);

        public Cadence Every => Copy?.Every ?? Plan.Every;

        public PointRetention Keep => Copy?.Keep ?? Plan.Keep;
    }

    /// <summary>For whoever lets time pass.</summary>
    public ClockStops Stops => new(Next, Run);

    private DateTimeOffset? Next(DateTimeOffset now, DateTimeOffset until)
    {
        var lines = Lines().Where(l => !l.Plan.Paused).ToList();
        if (lines.Count == 0)
            return null;
        return lines
            .Select(l =>
                failed.TryGetValue(l.Id, out var attempt) ? attempt.Again
                : l.Copy is not null ? null
                : Due(l, now, until).Select(d => (DateTimeOffset?)d).FirstOrDefault()
            )
            .Where(at => at <= until)
            .Min();
    }

    private void Run(DateTimeOffset at, CancellationToken cancel)
    {
        foreach (var line in Lines().Where(l => !l.Plan.Paused))
        {
            cancel.ThrowIfCancellationRequested();
            if (What(line, at, cancel) is { } deed)
                actors.As(new Actor($"the plan '{line.Plan.Id}'"), deed).GetAwaiter().GetResult();
        }
    }

    /// <summary>What of a line is to be done at an instant: what failed again, a run, or the copies of one that was done when a server ended
    /// before them.</summary>
    private Func<Task>? What(Line line, DateTimeOffset at, CancellationToken cancel)
    {
        if (failed.TryGetValue(line.Id, out var attempt))
            return attempt.Again <= at ? () => Try(line, attempt.Due, cancel) : null;
        if (line.Copy is not null || !Due(line, at.AddTicks(-1), at).Any())
            return null;
        return !IsDone(line, at) ? () => Try(line, at, cancel)
            : OfToday(line)!.IsReal ? () => Copies(line, at, cancel)
            : null;
    }

    private bool IsDone(Line line, DateTimeOffset due) => OfToday(line)?.At >= due;

    /// <summary>A run outside the plan's times, whose point the plan keeps, or until a day of its own.</summary>
    /// <returns>The job, under way.</returns>
    /// <exception cref="RefusalException">The workload has no source, its target cannot be opened, or something is under way there.</exception>
    public async Task<BackupJob> RunNow(BackupPlan plan, string workload, DateOnly? keptUntil, CancellationToken cancel)
    {
        var line =
            Lines().FirstOrDefault(l => l.Plan.Id == plan.Id && l.Workload.Id == workload && l.Copy is null)
            ?? throw new RefusalException(
                RefusalKind.Conflict,
                "no-source",
                $"'{workload}' has no source that '{plan.Id}' could read: what is only computed with runs when a day ends. Say in the workload where its files are.",
                "$.workload"
            );
        if (keptUntil <= provider.Clock.Today)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "A point is kept until a day after today.", "$.keptUntil");
        // Before anything is begun: what cannot be opened or read is said at once.
        (await pools.Open(line.Target, cancel)).Dispose();
        sources.Of(line.Workload.Source!, line.Target, "$.source");
        return jobs.Start(line.Target.Id, JobKind.Run, About(line), async (tell, stop) => (await Take(line, keptUntil, tell, stop)).End);
    }

    private List<Line> Lines()
    {
        if (provider.InForce is not { } estate || estate.Workloads.All(w => w.Source is null))
            return [];
        var workloads = estate.Workloads.Where(w => w.Source is not null).ToDictionary(w => w.Id);
        return
        [
            .. estate.Plans.SelectMany(p =>
                p.Copies.Cast<PlanCopy?>()
                    .Prepend(null)
                    .SelectMany(c =>
                        (c?.Workloads ?? p.Workloads)
                            .Where(workloads.ContainsKey)
                            .Select(w => new Line(p, workloads[w], estate.Targets.First(t => t.Id == (c?.Target ?? p.Target)), c))
                    )
            ),
        ];
    }

    private static IEnumerable<DateTimeOffset> Due(Line line, DateTimeOffset after, DateTimeOffset until) =>
        PlanTimes.Due(line.Plan, line.Every, after, until);

    private async Task Try(Line line, DateTimeOffset due, CancellationToken cancel)
    {
        try
        {
            await (
                line.Copy is null
                    ? jobs.RunToEnd(line.Target.Id, JobKind.Run, About(line), (tell, stop) => Take(line, null, tell, stop), cancel)
                    : CopyNewest(line, cancel)
            );
            failed.TryRemove(line.Id, out _);
            if (line.Copy is null)
                await Copies(line, due, cancel);
        }
        catch (RefusalException stopped) when (stopped.Code == BackupJobs.ByHand)
        {
            Failed(line, due, stopped.Message, isOver: true);
        }
        catch (Exception error) when (error is RefusalException or IOException or UnauthorizedAccessException)
        {
            Failed(line, due, error.Message, isOver: false);
        }
    }

    /// <summary>Of the point that was just taken.</summary>
    private async Task Copies(Line taken, DateTimeOffset due, CancellationToken cancel)
    {
        foreach (var copy in CopiesDue(taken, due).Where(c => !IsDone(c, due) && !failed.ContainsKey(c.Id)))
            await Try(copy, due, cancel);
    }

    /// <summary>The second copies of a plan's run whose time it is too.</summary>
    private List<Line> CopiesDue(Line of, DateTimeOffset due) =>
        [
            .. Lines()
                .Where(l => l.Copy is not null && l.Plan.Id == of.Plan.Id && l.Workload.Id == of.Workload.Id)
                .Where(l => Due(l, due.AddTicks(-1), due).Any()),
        ];

    private void Failed(Line line, DateTimeOffset due, string why, bool isOver)
    {
        var now = provider.Clock.Now;
        var tries = failed.TryGetValue(line.Id, out var before) ? before.Tries + 1 : 1;
        var ends = line.Plan.WindowHours is { } hours ? due.AddHours(hours) : DateTimeOffset.MaxValue;
        var dayEnds = new DateTimeOffset(DateOnly.FromDateTime(now.UtcDateTime).AddDays(1).ToDateTime(TimeOnly.MinValue), TimeSpan.Zero);
        if (!isOver && tries <= Pauses.Length && now + Pauses[tries - 1] is var again && again <= ends && again < dayEnds)
        {
            failed[line.Id] = new Attempt(due, tries, again);
            log.LogWarning(
                "{Plan}: {Workload} into {Target} failed, and is tried again at {Again}. {Why}",
                line.Plan.Id,
                line.Workload.Id,
                line.Target.Id,
                again,
                why
            );
            return;
        }
        failed.TryRemove(line.Id, out _);
        log.LogError("{Plan}: {Workload} into {Target} took no point. {Why}", line.Plan.Id, line.Workload.Id, line.Target.Id, why);
        Miss(line, now, tries > 1 ? $"{why} It was tried {tries} times." : why);
        foreach (var copy in line.Copy is null ? CopiesDue(line, due) : [])
            Miss(copy, now, "The plan itself took no point.");
    }

    /// <summary>A point that the day has already stays the day's.</summary>
    private void Miss(Line line, DateTimeOffset now, string why) =>
        provider.NoteRun(
            OfToday(line) is { IsReal: true } done ? done with { At = now } : Noted(line, now) with { Missed = why, Share = 0 }
        );

    private async Task<(Point Result, Func<BackupJob, BackupJob> End)> Take(
        Line line,
        DateOnly? keptUntil,
        Action<long, long> tell,
        CancellationToken stop
    )
    {
        var (source, _) = sources.Of(line.Workload.Source!, line.Target, "$.source");
        using var pool = await pools.Open(line.Target, stop);
        var now = provider.Clock.Now;
        var before = (await pool.Points(stop)).Points;
        var options = new RunOptions
        {
            Plan = line.Plan.Id,
            KeptUntil = keptUntil ?? KeptUntil(line, before, now),
            Taken = now,
            Full = IsFullDue(line, before),
            EncryptedAtSource = line.Workload.EncryptedAtSource,
        };
        var progress = new PointEndpoints.Told<RunProgress>(p => tell(p.Files, p.Bytes));
        async Task<Point> Into(Pool into) =>
            await Sealed(line, into, await BackupRun.Of(into, source, line.Workload.Id, options, time, progress, stop), stop);

        // One whose run was cut short before it was sealed is sealed now.
        if (Own(line, before).LastOrDefault() is { } last && last.KeptUntil > provider.Clock.Today)
            await Sealed(line, pool, last, stop);
        var ((point, problems, made), after) = await programs.Around(
            line.Workload,
            () => room.Within(provider.InForce!, line.Target, pool, Into, stop),
            stop
        );
        Note(line, now, point);
        var lapsed = await Thin(line, pool, stop);
        return (
            point,
            job =>
                job with
                {
                    Point = PointReading.Of(point),
                    Files = point.Files,
                    Bytes = point.LogicalBytes,
                    Problems = [.. problems, .. after, .. point.Problems, .. lapsed],
                    Room = made,
                }
        );
    }

    private Task<Point> CopyNewest(Line line, CancellationToken cancel) =>
        jobs.RunToEnd<Point>(
            line.Target.Id,
            JobKind.PointCopy,
            About(line),
            async (_, stop) =>
            {
                using var from = await pools.Open(provider.InForce!.Targets.First(t => t.Id == line.Plan.Target), stop);
                using var to = await pools.Open(line.Target, stop);
                var newest =
                    (await from.Points(stop)).Points.LastOrDefault(p => p.Plan == line.Plan.Id && p.Workload == line.Workload.Id)
                    ?? throw new RefusalException(RefusalKind.NotFound, "no-point", "The plan's own target has no point to copy.");
                var now = provider.Clock.Now;
                var copy = await PointCopy.Of(
                    from,
                    newest,
                    to,
                    time,
                    stop,
                    KeptUntil(line, (await to.Points(stop)).Points, now),
                    originalStays: true
                );
                await Sealed(line, to, copy, stop);
                Note(line, now, copy);
                var lapsed = await Thin(line, to, stop);
                return (
                    copy,
                    job => job with { Point = PointReading.Of(copy), Files = copy.Files, Bytes = copy.LogicalBytes, Problems = lapsed }
                );
            },
            cancel
        );

    /// <summary>Where the plan says so, nobody can remove the point any more before its time.</summary>
    private static async Task<Point> Sealed(Line line, Pool pool, Point point, CancellationToken stop)
    {
        if (line.Keep.Sealed && point.KeptUntil is { } until)
            await pool.Seal(point, until, stop);
        return point;
    }

    /// <summary>Removes what plans keep no more there, and what only those points needed.</summary>
    private async Task<IReadOnlyList<RunProblem>> Thin(Line line, Pool pool, CancellationToken stop)
    {
        var problems = new List<RunProblem>();
        var lapsed = Lapsed.Of((await pool.Points(stop)).Points, provider.Clock.Today);
        if (lapsed.Count == 0)
            return problems;
        try
        {
            foreach (var point in lapsed)
                await RemoveUnlessKept(pool, point, stop);
            await PoolPrune.Of(pool, time, stop);
        }
        catch (RefusalException refused)
        {
            problems.Add(new RunProblem(line.Target.Name, $"What is kept no more was not all removed. {refused.Message}"));
        }
        return problems;
    }

    /// <summary>What its bucket keeps for longer than its plan goes when it may: that is no problem.</summary>
    private static async Task RemoveUnlessKept(Pool pool, Point point, CancellationToken stop)
    {
        try
        {
            await pool.Remove(point.Id, stop);
        }
        catch (RefusalException kept) when (kept.Code == "kept")
        {
            // It is looked at again after the next run.
        }
    }

    /// <summary>As the calendar says for the first run of a day; once the day has a point that is kept so long, for days only.</summary>
    private DateOnly KeptUntil(Line line, IReadOnlyList<Point> points, DateTimeOffset now)
    {
        var day = DateOnly.FromDateTime(now.UtcDateTime);
        var kept = line.Keep.KeptUntil(day, provider.RunBefore(line.Plan.Id, line.Target.Id, line.Workload.Id)?.Day);
        return Own(line, points).Any(p => DateOnly.FromDateTime(p.Taken.UtcDateTime) == day && p.KeptUntil >= kept)
            ? line.Keep.KeptUntil(day, day)
            : kept;
    }

    /// <summary>Where equal content is not stored once, as many runs after the last full one as the plan says.</summary>
    private static bool IsFullDue(Line line, IReadOnlyList<Point> points)
    {
        if (line.Target.Deduplicates && !line.Workload.EncryptedAtSource)
            return false;
        var own = Own(line, points).ToList();
        var full = own.FindLastIndex(p => p.IsFull == true);
        return full < 0 || own.Count - full >= (line.Plan.Full?.Every ?? 1);
    }

    private static IEnumerable<Point> Own(Line line, IReadOnlyList<Point> points) =>
        points.Where(p => p.Plan == line.Plan.Id && p.Workload == line.Workload.Id);

    private PlanRun? OfToday(Line line) => provider.RunOfToday(line.Plan.Id, line.Target.Id, line.Workload.Id);

    /// <summary>The day's run is what its runs stored together, and its point the one that is kept longest.</summary>
    private void Note(Line line, DateTimeOffset now, Point point)
    {
        var first = OfToday(line) is { IsReal: true } done ? done : null;
        if (first?.Point == point.Id)
            return;
        var isKept = first is null || point.KeptUntil > first.KeptUntil;
        provider.NoteRun(
            (first ?? Noted(line, now)) with
            {
                At = now,
                KeptUntil = isKept ? point.KeptUntil!.Value : first!.KeptUntil,
                IsFull = point.IsFull == true || first?.IsFull == true,
                LogicalBytes = point.LogicalBytes,
                StoredBytes = point.StoredBytes + (first?.StoredBytes ?? 0),
                Seconds = point.Seconds + (first?.Seconds ?? 0),
                Point = isKept ? point.Id : first!.Point,
                IsSealed = isKept ? line.Keep.Sealed : first!.IsSealed,
            }
        );
    }

    private static PlanRun Noted(Line line, DateTimeOffset now)
    {
        var day = DateOnly.FromDateTime(now.UtcDateTime);
        return new PlanRun(0, line.Plan.Id, line.Target.Id, line.Workload.Id, day, null, day, false, 0, 0, null, 1, now);
    }

    private static string About(Line line) => $"{line.Workload.Name}, by the plan {line.Plan.Name ?? line.Plan.Id}";
}
