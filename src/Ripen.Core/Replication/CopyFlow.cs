using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>A stream's objects that arrive over the line on the day on which they are written, for the days [First, End) counted from
/// today.</summary>
public readonly record struct SameDayCopies(ObjectStream Stream, int First, int End);

/// <summary>Copies of one day of creation that arrive together on a day, both counted from today.</summary>
/// <param name="Packs">The run that stored their originals; null for what no plan stores.</param>
public readonly record struct DatedCopies(
    string Prefix,
    long BytesPerObject,
    int Created,
    int Arrived,
    double Objects,
    PlannedPacks? Packs = null
);

/// <summary>What one copy rule brings over a line with a limit, day by day.</summary>
public sealed record CopyFlow(IReadOnlyList<SameDayCopies> SameDay, IReadOnlyList<DatedCopies> Dated);
