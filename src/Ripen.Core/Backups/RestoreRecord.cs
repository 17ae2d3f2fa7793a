namespace Ripen.Core.Backups;

/// <summary>What something was brought back for.</summary>
public enum RestoreKind
{
    /// <summary>To have it again.</summary>
    Restore,

    /// <summary>For a trial: read whole, every byte compared, and written nowhere.</summary>
    Rehearsal,
}

/// <summary>A restore or a rehearsal that came to its end, as it went.</summary>
public sealed record RestoreRecord
{
    /// <summary>So many days a rehearsal says that a workload can be brought back (model 9.6).</summary>
    public const int ProvesForDays = 90;

    /// <summary>When it began.</summary>
    public required DateTimeOffset At { get; init; }

    /// <summary>The provider's day.</summary>
    public required DateOnly Day { get; init; }

    /// <summary>Who asked for it.</summary>
    public required string By { get; init; }
    public required RestoreKind Kind { get; init; }

    /// <summary>The id of the target that it came from.</summary>
    public required string Target { get; init; }

    /// <summary>The restore point: its id in a pool, or the day of a plan's.</summary>
    public required string Point { get; init; }
    public required string Workload { get; init; }

    /// <summary>Of when the point is; of a plan's its day's beginning.</summary>
    public required DateTimeOffset Taken { get; init; }

    /// <summary>The path of the point; empty for all of it.</summary>
    public string Under { get; init; } = "";

    /// <summary>The folder; null for nowhere.</summary>
    public string? Into { get; init; }
    public required long Files { get; init; }
    public required double Bytes { get; init; }

    /// <summary>The wait for a tier and the reading.</summary>
    public required double Seconds { get; init; }

    /// <summary>What the provider charged; null where it is part of a bill and not told apart.</summary>
    public double? Money { get; init; }

    /// <summary>What did not come back.</summary>
    public required long Problems { get; init; }

    /// <summary>Why it ended before its end.</summary>
    public string? Error { get; init; }

    /// <summary>Whether every byte of a whole point was compared, and was right.</summary>
    public bool Proves => Kind == RestoreKind.Rehearsal && Under.Length == 0 && Problems == 0 && Error is null;
}

/// <summary>Whether a workload's restore was rehearsed, all of it and lately.</summary>
/// <param name="Workload">Its id.</param>
/// <param name="Verdict">Missed when no rehearsal of the last 90 days proves it.</param>
/// <param name="Newest">The last that did; null for none.</param>
public sealed record WorkloadProof(string Workload, Verdict Verdict, RestoreRecord? Newest)
{
    /// <summary>Of each workload, in their order.</summary>
    /// <param name="workloads">What is judged.</param>
    /// <param name="records">Of any workloads.</param>
    /// <param name="on">The day that is asked for; later rehearsals say nothing of it.</param>
    public static IReadOnlyList<WorkloadProof> On(IReadOnlyList<Workload> workloads, IEnumerable<RestoreRecord> records, DateOnly on)
    {
        var newest = records
            .Where(r => r.Proves && r.Day <= on)
            .GroupBy(r => r.Workload)
            .ToDictionary(w => w.Key, w => w.MaxBy(r => (r.Day, r.At))!);
        return [.. workloads.Select(w => Of(w.Id, newest.GetValueOrDefault(w.Id), on))];
    }

    private static WorkloadProof Of(string workload, RestoreRecord? newest, DateOnly on)
    {
        var isLately = newest is not null && on.DayNumber - newest.Day.DayNumber <= RestoreRecord.ProvesForDays;
        return new WorkloadProof(workload, isLately ? Verdict.Met : Verdict.Missed, newest);
    }
}
