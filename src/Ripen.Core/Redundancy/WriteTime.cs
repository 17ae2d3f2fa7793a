namespace Ripen.Core.Redundancy;

/// <summary>A line: megabits (10^6 bits) a second, and milliseconds there and back. Both above 0 and finite.</summary>
public sealed record Line(double MegabitsPerSecond, double RoundTripMilliseconds)
{
    /// <summary>Seconds to send <paramref name="bytes"/> bytes and hear that they arrived.</summary>
    public double Seconds(double bytes) => (bytes * 8 / (MegabitsPerSecond * 1e6)) + (RoundTripMilliseconds / 1000);
}

/// <summary>The lines that a write goes over: from the writer to the nearest zone, between zones, and between regions.</summary>
public sealed record Lines(Line Uplink, Line BetweenZones, Line BetweenRegions)
{
    /// <summary>Made-up but ordinary: a 200 Mbit/s uplink, 10 Gbit/s between zones, 1 Gbit/s and 60 ms between regions.</summary>
    public static readonly Lines Ordinary = new(new Line(200, 12), new Line(10_000, 1.5), new Line(1_000, 60));
}

/// <summary>Seconds to write a file, from the first byte sent to the last fragment acknowledged. Devices are taken to keep up with
/// lines.</summary>
public static class WriteTime
{
    /// <summary>The writer sends every fragment itself, one after another, over its own shared uplink.</summary>
    public static double OneAfterAnother(Placement placement, double fileBytes, Lines lines) =>
        placement.Fragments.Sum(f =>
            Onward(f, lines) is { } onward
                ? new Line(
                    Math.Min(lines.Uplink.MegabitsPerSecond, onward.MegabitsPerSecond),
                    lines.Uplink.RoundTripMilliseconds + onward.RoundTripMilliseconds
                ).Seconds(fileBytes / placement.Needed)
                : lines.Uplink.Seconds(fileBytes / placement.Needed)
        );

    /// <summary>The writer sends the file once; the provider sends the fragments on at the same time, those for one place sharing its
    /// line.</summary>
    public static double FannedOut(Placement placement, double fileBytes, Lines lines) =>
        lines.Uplink.Seconds(fileBytes)
        + placement
            .Fragments.GroupBy(f => (f.Region, f.Zone))
            .Max(place => Onward(place.First(), lines)?.Seconds(place.Count() * fileBytes / placement.Needed) ?? 0);

    /// <summary>The line from the zone nearest to the writer to the fragment's; null when it is that zone.</summary>
    private static Line? Onward(FragmentPlace fragment, Lines lines) =>
        fragment.Region > 0 ? lines.BetweenRegions
        : fragment.Zone > 0 ? lines.BetweenZones
        : null;
}
