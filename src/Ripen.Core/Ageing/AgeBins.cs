namespace Ripen.Core.Ageing;

/// <summary>Ages in days on which histograms of bytes by age are cut: narrow for young data, wide for old, equal steps on a log-like
/// axis.</summary>
public static class AgeBins
{
    /// <summary>How soon the axis turns from linear to logarithmic, in days.</summary>
    public const double Knee = 10;

    /// <summary>The age at the axis's right end: eleven years. Older data counts in the last bin.</summary>
    public const int Oldest = 4015;

    private const int Wanted = 96;

    /// <summary>The first day of each bin, from 0; the last bin has no end.</summary>
    public static IReadOnlyList<int> Starts { get; } = Cut();

    private static List<int> Cut()
    {
        var starts = new List<int>();
        for (var i = 0; i < Wanted; i++)
        {
            var age = (int)Math.Round(Knee * (Math.Pow(1 + (Oldest / Knee), (double)i / Wanted) - 1));
            if (starts.Count == 0 || age > starts[^1])
                starts.Add(age);
        }
        return starts;
    }
}
