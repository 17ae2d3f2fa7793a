namespace Ripen.Backup.Points;

/// <summary>Points that plans keep no more.</summary>
public static class Lapsed
{
    /// <summary>Those that bear a day until which they are kept, on or before <paramref name="today"/>, without the newest of each plan and
    /// workload. Points by hand stay.</summary>
    public static IReadOnlyList<Point> Of(IReadOnlyList<Point> points, DateOnly today) =>
        [
            .. points
                .Where(p => p.Plan is not null)
                .GroupBy(p => (p.Plan, p.Workload))
                .SelectMany(own => own.OrderBy(p => p.Taken).SkipLast(1))
                .Where(p => p.KeptUntil <= today),
        ];
}
