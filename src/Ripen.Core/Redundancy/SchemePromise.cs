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

    /// <summary>Mean years until an object is lost to device failures; null where no number can hold them.</summary>
    public required double? MeanYearsToLoss { get; init; }

    /// <summary>The chance of losing an object in a year to device failures; 0 where no number is as small.</summary>
    public required double LossInAYear { get; init; }

    /// <summary>Nines a year against device failures alone.</summary>
    public required double NinesAYear { get; init; }

    /// <summary>The same chance when the destruction of whole zones and regions counts too.</summary>
    public required double LossInAYearWithPlaces { get; init; }

    /// <summary>Nines a year against devices, zones and regions.</summary>
    public required double NinesAYearWithPlaces { get; init; }

    /// <summary>Mean years until one of ten million objects is lost, devices, zones and regions counted: 10^nines / 10^7.</summary>
    public double YearsToLoseOneInTenMillion => Math.Pow(10, Math.Min(NinesAYearWithPlaces, 300)) / 1e7;

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
        var log = Durability.LogMeanHoursToLoss(
            placement.Fragments.Count,
            placement.Spare,
            Durability.FailureRate(hazards.DeviceFailuresPerYear),
            hazards.RepairHours,
            hazards.OneRepairAtATime
        );
        var (years, byDevices) = (Math.Exp(log) / Durability.HoursPerYear, Durability.LogRatePerYear(log));
        var byAll = Tiny.LogSum(byDevices, Math.Log(PlaceLosses.PerYear(placement, hazards)));
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
            MeanYearsToLoss = double.IsFinite(years) ? years : null,
            LossInAYear = Math.Exp(Durability.LogChanceInAYear(byDevices)),
            NinesAYear = Durability.NinesOfLog(Durability.LogChanceInAYear(byDevices)),
            LossInAYearWithPlaces = Math.Exp(Durability.LogChanceInAYear(byAll)),
            NinesAYearWithPlaces = Durability.NinesOfLog(Durability.LogChanceInAYear(byAll)),
            ReadableShare = Readability.ShareOfTime(placement, hazards),
            SecondsOneAfterAnother = WriteTime.OneAfterAnother(placement, fileBytes, lines),
            SecondsFannedOut = WriteTime.FannedOut(placement, fileBytes, lines),
            Doubts = [.. DoubtsOf(scheme, placement)],
        };
    }

    private static IEnumerable<Problem> DoubtsOf(Scheme scheme, Placement placement)
    {
        if (placement.Spare == 0)
            yield return new("no-spare", "$", "The loss of any single device loses data.");
        var levels = new (Spread Level, string Word, int Survived, int Fullest)[]
        {
            (Spread.Rack, "rack", placement.RacksSurvived, Fullest(placement, f => f)),
            (Spread.Zone, "zone", placement.ZonesSurvived, Fullest(placement, f => (f.Region, f.Zone))),
            (Spread.Region, "region", placement.RegionsSurvived, Fullest(placement, f => f.Region)),
        };
        foreach (var (level, word, survived, fullest) in levels)
        {
            var promised = scheme.Spread == level || scheme.Name.Contains(word, StringComparison.OrdinalIgnoreCase);
            if (!promised || survived > 0)
                continue;
            yield return new(
                "spread-too-narrow",
                "$.over",
                $"It is named for its spread over {word}s, but the loss of one {word} takes {fullest} of {placement.Fragments.Count} "
                    + $"fragments where {placement.Spare} may go: data is lost."
            );
        }
    }

    private static int Fullest<T>(Placement placement, Func<FragmentPlace, T> place) =>
        placement.Fragments.GroupBy(place).Max(g => g.Count());
}
