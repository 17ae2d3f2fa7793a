using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Redundancy;

/// <summary>What a redundancy scheme promises, and what it costs in bytes, money and time. Computed, not claimed.</summary>
public sealed record SchemePromise
{
    public required Scheme Scheme { get; init; }
    /// <summary>Fragments of an object, and how many of them give it back.</summary>
    public required int Fragments { get; init; }
    public required int Needed { get; init; }
    /// <summary>Bytes on devices for each byte stored.</summary>
    public required double RawBytesPerByte { get; init; }
    /// <summary>Whole parts that can be lost at once, in the worst case, with nothing lost.</summary>
    public required int DevicesSurvived { get; init; }
    public required int RacksSurvived { get; init; }
    public required int ZonesSurvived { get; init; }
    public required int RegionsSurvived { get; init; }
    /// <summary>Mean years until an object is lost to device failures.</summary>
    public required double MeanYearsToLoss { get; init; }
    public required double LossInAYear { get; init; }
    public required double NinesAYear { get; init; }
    /// <summary>The share of time in which an object can be read, 0 to 1.</summary>
    public required double ReadableShare { get; init; }
    /// <summary>Seconds to write the file when the writer sends every fragment, and when the provider sends them on.</summary>
    public required double SecondsOneAfterAnother { get; init; }
    public required double SecondsFannedOut { get; init; }
    /// <summary>Where the scheme does less than its name or spread makes one believe. Paths begin at the scheme.</summary>
    public required IReadOnlyList<Problem> Doubts { get; init; }

    /// <param name="scheme">A valid scheme.</param>
    /// <param name="fileBytes">The file whose writing is timed; bytes, not negative.</param>
    /// <param name="lines">The lines that it is written over.</param>
    public static SchemePromise Of(Scheme scheme, double fileBytes, Lines lines)
    {
        var placement = Placement.Of(scheme);
        var hazards = scheme.Hazards ?? Hazards.Usual;
        var hours = Durability.MeanHoursToLoss(
            placement.Fragments.Count, placement.Spare, Durability.FailureRate(hazards.DeviceFailuresPerYear), hazards.RepairHours, hazards.OneRepairAtATime);
        return new SchemePromise
        {
            Scheme = scheme,
            Fragments = placement.Fragments.Count,
            Needed = placement.Needed,
            RawBytesPerByte = (double)placement.Fragments.Count / placement.Needed,
            DevicesSurvived = placement.DevicesSurvived,
            RacksSurvived = placement.RacksSurvived,
            ZonesSurvived = placement.ZonesSurvived,
            RegionsSurvived = placement.RegionsSurvived,
            MeanYearsToLoss = hours / Durability.HoursPerYear,
            LossInAYear = Durability.LossInAYear(hours),
            NinesAYear = Durability.Nines(hours),
            ReadableShare = Readability.ShareOfTime(placement, hazards),
            SecondsOneAfterAnother = WriteTime.OneAfterAnother(placement, fileBytes, lines),
            SecondsFannedOut = WriteTime.FannedOut(placement, fileBytes, lines),
            Doubts = [.. DoubtsOf(scheme, placement)],
        };
    }

    private static IEnumerable<Problem> DoubtsOf(Scheme scheme, Placement placement)
    {
        if (placement.Spare == 0) yield return new("no-spare", "$", "The loss of any single device loses data.");
        var levels = new (Spread Level, string Word, int Survived, int Fullest)[]
        {
            (Spread.Rack, "rack", placement.RacksSurvived, Fullest(placement, f => f)),
            (Spread.Zone, "zone", placement.ZonesSurvived, Fullest(placement, f => (f.Region, f.Zone))),
            (Spread.Region, "region", placement.RegionsSurvived, Fullest(placement, f => f.Region)),
        };
        foreach (var (level, word, survived, fullest) in levels)
        {
            var promised = scheme.Spread == level || scheme.Name.Contains(word, StringComparison.OrdinalIgnoreCase);
            if (!promised || survived > 0) continue;
            yield return new("spread-too-narrow", "$.over",
                $"It is named for its spread over {word}s, but the loss of one {word} takes {fullest} of {placement.Fragments.Count} fragments where {placement.Spare} may go: data is lost.");
        }
    }

    private static int Fullest<T>(Placement placement, Func<FragmentPlace, T> place) => placement.Fragments.GroupBy(place).Max(g => g.Count());
}
