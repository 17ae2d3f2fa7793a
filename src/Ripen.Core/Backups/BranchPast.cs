namespace Ripen.Core.Backups;

/// <summary>What a branch did until now. Equal where days alone are known, and these are the same.</summary>
internal sealed class BranchPast : IEquatable<BranchPast>
{
    private readonly Dictionary<DateOnly, BorneByRun>? borne;

    private BranchPast(IReadOnlyList<DateOnly> days, bool isTodayOver, Dictionary<DateOnly, BorneByRun>? borne) =>
        (Days, IsTodayOver, this.borne) = (days, isTodayOver, borne);

    public static BranchPast Nothing { get; } = new([], false, null);

    /// <summary>Before today, ascending.</summary>
    public IReadOnlyList<DateOnly> Days { get; }

    /// <summary>Whether the run of today is over already.</summary>
    public bool IsTodayOver { get; }

    /// <summary>By workload.</summary>
    /// <param name="past">Of a plan, or of a copy.</param>
    /// <param name="today">The estate's.</param>
    public static Dictionary<string, BranchPast> By(IReadOnlyList<PastRuns> past, DateOnly today) =>
        past.GroupBy(p => p.Workload).ToDictionary(p => p.Key, p => Of([.. p], today));

    private static BranchPast Of(List<PastRuns> past, DateOnly today)
    {
        var borne = past.Where(p => p.Borne is not null)
            .SelectMany(p => p.Days.Zip(p.Borne!))
            .Concat(past.Where(p => p.Today is not null).Select(p => (First: today, Second: p.Today!)))
            .ToDictionary(p => p.First, p => p.Second);
        return new BranchPast([.. past.SelectMany(p => p.Days)], past.Any(p => p.Today is not null), borne.Count == 0 ? null : borne);
    }

    /// <summary>What the run of a day bears; null for what the plan says.</summary>
    public BorneByRun? Borne(DateOnly day) => borne?.GetValueOrDefault(day);

    public bool Equals(BranchPast? other) =>
        ReferenceEquals(this, other)
        || (
            other is not null
            && borne is null
            && other.borne is null
            && !IsTodayOver
            && !other.IsTodayOver
            && Days.SequenceEqual(other.Days)
        );

    public override bool Equals(object? obj) => Equals(obj as BranchPast);

    public override int GetHashCode() => Days.Count == 0 ? 0 : HashCode.Combine(Days.Count, Days[0], Days[^1]);
}
