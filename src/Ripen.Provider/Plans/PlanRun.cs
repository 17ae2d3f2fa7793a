namespace Ripen.Provider.Plans;

/// <summary>A run of a backup plan as the provider did it, or why it did not.</summary>
/// <param name="Id">Rises.</param>
/// <param name="Plan">Its id.</param>
/// <param name="Target">Its id.</param>
/// <param name="Workload">Its id.</param>
/// <param name="Day">On which it was due.</param>
/// <param name="Missed">Why it took no point; null when it did.</param>
/// <param name="KeptUntil">The first day on which its point is kept no more, as it bears it from birth; the newest is kept in any case.</param>
/// <param name="IsFull">Whether it stored everything, where nothing is stored once.</param>
/// <param name="LogicalBytes">What its point gives back.</param>
/// <param name="StoredBytes">What it stored.</param>
/// <param name="Seconds">How long target and machine took for it; null where neither states a rate.</param>
/// <param name="Share">Of what it stored, the part that points still need.</param>
/// <param name="At">The instant of a workload's with a source; null for a simulated one.</param>
/// <param name="Point">That it made in the target's pool; null for a simulated run and a missed one.</param>
/// <param name="IsSealed">Whether nobody can remove its point before it is kept no more.</param>
public sealed record PlanRun(
    long Id,
    string Plan,
    string Target,
    string Workload,
    DateOnly Day,
    string? Missed,
    DateOnly KeptUntil,
    bool IsFull,
    double LogicalBytes,
    double StoredBytes,
    double? Seconds,
    double Share,
    DateTimeOffset? At = null,
    string? Point = null,
    bool IsSealed = false
)
{
    /// <summary>Whether it read a source and stored what it found; else it is a simulated one.</summary>
    public bool IsReal => Point is not null;
}
