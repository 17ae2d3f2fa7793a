using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>A stream's objects that arrive over the line on the day on which they are written, for the days [First, End) counted from
/// today.</summary>
public readonly record struct SameDayCopies(ObjectStream Stream, int First, int End);

/// <summary>Copies of one day of creation that arrive together on a day, both counted from today.</summary>
/// <param name="Packs">The run that stored their originals; null for what no plan stores.</param>
public readonly record struct DatedCopies(ObjectKind Kind, int Created, int Arrived, double Objects, PlannedPacks? Packs = null);

/// <summary>What one copy rule brings over a line with a limit, day by day.</summary>
public sealed record CopyFlow(IReadOnlyList<SameDayCopies> SameDay, IReadOnlyList<DatedCopies> Dated);

internal static class CopiesOfToday
{
    /// <summary>What a rule has to bring besides what arrives: what waits on the estate's today, and with catch-up the current versions in its
    /// scope. Without a limit on its line it arrives today.</summary>
    public static IEnumerable<DatedCopies> ToCopyToday(this CopyRule rule, Bucket from, DateOnly today)
    {
        foreach (var lot in rule.Waiting)
            yield return new DatedCopies(lot.Kind, lot.Created.DayNumber - today.DayNumber, 0, lot.Count);
        if (!rule.CatchUp)
            yield break;
        foreach (var lot in from.Stock.Where(l => !l.Earlier && rule.Scope.Takes(l.Prefix, l.Tags)))
        {
            var kind = lot.Kind with { ReplacedAfter = lot.ReplacedOn is null ? null : lot.RewriteEvery };
            yield return new DatedCopies(kind, lot.Created.DayNumber - today.DayNumber, 0, lot.Count);
        }
    }
}
