using System.Text.Json.Serialization;

namespace Ripen.Core.Backups;

/// <summary>On which days a plan is due: exactly one of the three.</summary>
public sealed record Cadence
{
    /// <summary>Every so many days, counted from the plan's first; at least 1.</summary>
    public int? Days { get; init; }

    /// <summary>On these days of the week.</summary>
    public IReadOnlyList<DayOfWeek>? Weekdays { get; init; }

    /// <summary>On this day of every month, 1 to 31; in shorter months on their last.</summary>
    public int? MonthDay { get; init; }

    /// <param name="day">Not before <paramref name="from"/>.</param>
    /// <param name="from">The plan's first day.</param>
    public bool IsDue(DateOnly day, DateOnly from) =>
        Days is { } n ? (day.DayNumber - from.DayNumber) % n == 0
        : MonthDay is { } of ? day.Day == Math.Min(of, DateTime.DaysInMonth(day.Year, day.Month))
        : Weekdays!.Contains(day.DayOfWeek);
}

/// <summary>How long restore points are kept (model 9.4): for so many days or calendar months, until a day, or so many of the first of each day, ISO week,
/// month and year.</summary>
public sealed record PointRetention
{
    public int? Days { get; init; }

    /// <summary>Calendar months; twelve for each year.</summary>
    public int? Months { get; init; }
    public DateOnly? Until { get; init; }
    public int? Daily { get; init; }
    public int? Weekly { get; init; }
    public int? Monthly { get; init; }
    public int? Yearly { get; init; }

    /// <summary>Nobody can remove a point before it is kept no more: all that it needs bears the day. Only of what is really stored in a
    /// bucket.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public bool Sealed { get; init; }

    /// <summary>Whether every point is kept as long as any other, and not the first of something longer.</summary>
    [JsonIgnore]
    public bool IsAlike => Days is not null || Months is not null || Until is not null;

    private const int DaysAWeek = 7;
    private const int MonthsAYear = 12;

    /// <summary>The day from which a point is kept no more, however long it was the newest.</summary>
    /// <param name="taken">Its day.</param>
    /// <param name="before">The branch's point before it, kept or not; null for the first.</param>
    public DateOnly KeptUntil(DateOnly taken, DateOnly? before)
    {
        if (Days is { } days)
            return After(taken, days);
        if (Months is { } months)
            return AfterMonths(taken, months);
        if (Until is { } until)
            return until;
        var kept = After(taken, Daily ?? 0);
        if (Week(taken) != Week(before))
            kept = Later(kept, After(taken, DaysAWeek * (Weekly ?? 0)));
        if ((taken.Year, taken.Month) != (before?.Year, before?.Month))
            kept = Later(kept, AfterMonths(taken, Monthly ?? 0));
        if (taken.Year != before?.Year)
            kept = Later(kept, AfterMonths(taken, MonthsAYear * (Yearly ?? 0)));
        return kept;
    }

    /// <summary>ISO 8601: weeks begin on Monday, as the first day of all did; which one it is, not its number in a year.</summary>
    private static int? Week(DateOnly? day) => day?.DayNumber / DaysAWeek;

    private static DateOnly Later(DateOnly a, DateOnly b) => a > b ? a : b;

    /// <summary>What lies beyond the calendar's last day is that day.</summary>
    private static DateOnly After(DateOnly day, int days) =>
        days > DateOnly.MaxValue.DayNumber - day.DayNumber ? DateOnly.MaxValue : day.AddDays(days);

    private static DateOnly AfterMonths(DateOnly day, int months) =>
        months > (MonthsAYear * (DateOnly.MaxValue.Year - day.Year)) + DateOnly.MaxValue.Month - day.Month
            ? DateOnly.MaxValue
            : day.AddMonths(months);
}

/// <summary>Days before today on which a branch took points of a workload, ascending.</summary>
public sealed record PastRuns
{
    public required string Workload { get; init; }
    public IReadOnlyList<DateOnly> Days { get; init; } = [];

    /// <summary>What each of these runs bears from birth; null where the plan of today says it. Not part of a document: only who took the
    /// points knows.</summary>
    [JsonIgnore]
    public IReadOnlyList<BorneByRun>? Borne { get; init; }

    /// <summary>The run of today, where it is over already; a simulated one is only when its day is.</summary>
    [JsonIgnore]
    public BorneByRun? Today { get; init; }
}

/// <summary>What holds of a run whatever becomes of its plan.</summary>
/// <param name="KeptUntil">The first day on which its point is kept no more.</param>
/// <param name="IsFull">Whether it stored everything.</param>
/// <param name="LogicalBytes">That it really read; null where that is what the model says.</param>
/// <param name="StoredBytes">That it really stored; null where that is what the model says.</param>
/// <param name="IsSealed">Whether nobody can remove its point before that; null for what the plan says.</param>
public sealed record BorneByRun(
    DateOnly KeptUntil,
    bool IsFull,
    double? LogicalBytes = null,
    double? StoredBytes = null,
    bool? IsSealed = null
);

/// <summary>How often a run stores everything again, where nothing is stored once.</summary>
public sealed record FullRuns
{
    /// <summary>Every so many runs, the first among them; at least 1.</summary>
    public required int Every { get; init; }
}

/// <summary>A second copy of a plan's workloads in another target, on days and with a retention of its own.</summary>
public sealed record PlanCopy
{
    public required string Target { get; init; }

    /// <summary>Among the plan's; null for all of them.</summary>
    public IReadOnlyList<string>? Workloads { get; init; }

    /// <summary>Null for the plan's.</summary>
    public Cadence? Every { get; init; }

    /// <summary>The id of the machine that carries it; null for the nearest.</summary>
    public string? Carrier { get; init; }
    public required PointRetention Keep { get; init; }
    public IReadOnlyList<PastRuns> Runs { get; init; } = [];
}

/// <summary>What is protected, where, how often and how long (model 9.1). Day-grained.</summary>
public record BackupPlan
{
    public required string Id { get; init; }

    /// <summary>For people; null for its id.</summary>
    public string? Name { get; init; }
    public required IReadOnlyList<string> Workloads { get; init; }
    public required string Target { get; init; }

    /// <summary>No run before it; null for the estate's today.</summary>
    public DateOnly? From { get; init; }
    public required Cadence Every { get; init; }

    /// <summary>Times of day at which workloads with a source run on a due day, ascending; none for its first moment. What is only computed
    /// with has a day's last run at the day's end.</summary>
    public IReadOnlyList<TimeOnly> At { get; init; } = [];

    /// <summary>Whose days and times of day these are, by the IANA time zone database; null for UTC.</summary>
    public string? Zone { get; init; }

    /// <summary>How many hours after its time a run may still begin, above 0 and at most 24; null for the whole of its day.</summary>
    public double? WindowHours { get; init; }

    /// <summary>The id of the machine that carries it; null for the nearest.</summary>
    public string? Carrier { get; init; }

    /// <summary>Null for every run.</summary>
    public FullRuns? Full { get; init; }
    public required PointRetention Keep { get; init; }

    /// <summary>Each workload's restore is rehearsed when its last rehearsal is so many days ago, at least 1; null for by hand only.</summary>
    public int? RehearseEveryDays { get; init; }

    /// <summary>It takes no points until it goes on.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public bool Paused { get; init; }
    public IReadOnlyList<PlanCopy> Copies { get; init; } = [];
    public IReadOnlyList<PastRuns> Runs { get; init; } = [];

    /// <summary>The plan with its first day stated, so that it stays the same while days go by.</summary>
    public BackupPlan Begun(DateOnly today) => From is null ? this with { From = today } : this;

    /// <summary>The plan in the place of another of its id, with what that one has done; null for a new one, which begins today unless it says
    /// otherwise.</summary>
    public BackupPlan GoingOn(BackupPlan? before, DateOnly today) =>
        this with
        {
            From = From ?? before?.From ?? today,
            Runs = [.. (before?.Runs ?? []).Where(r => Workloads.Contains(r.Workload))],
            Copies =
            [
                .. Copies.Select(c =>
                    c is null
                        ? null!
                        : c with
                        {
                            Runs =
                            [
                                .. (before?.Copies.FirstOrDefault(b => b.Target == c.Target)?.Runs ?? []).Where(r =>
                                    (c.Workloads ?? Workloads).Contains(r.Workload)
                                ),
                            ],
                        }
                ),
            ],
        };

    /// <summary>What was decided, without what was done.</summary>
    public BackupPlan WithoutRuns() => this with { Runs = [], Copies = [.. Copies.Select(c => c with { Runs = [] })] };

    /// <summary>Whether it has points in a target.</summary>
    public bool LeadsTo(string target) => Target == target || Copies.Any(c => c.Target == target);
}
