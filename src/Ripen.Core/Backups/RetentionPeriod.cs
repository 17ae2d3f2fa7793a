namespace Ripen.Core.Backups;

/// <summary>How long something has to be kept, by a law or by the organisation's own rule: exactly one of days and months.</summary>
public sealed record RetentionPeriod
{
    /// <summary>What it is for.</summary>
    public required string Name { get; init; }
    public int? Days { get; init; }

    /// <summary>Calendar months; twelve for each year.</summary>
    public int? Months { get; init; }

    /// <summary>Which rule says so; null where nobody wrote it down.</summary>
    public string? Because { get; init; }
}
