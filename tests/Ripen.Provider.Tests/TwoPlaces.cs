using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Tests;

/// <summary>"harbour" in Aldmouth and "far-away" at Kestrel Sound, with versions, and the line between them.</summary>
internal static class TwoPlaces
{
    public static readonly CopyRule Plain = new() { Bucket = "far-away" };

    /// <param name="rule">From "harbour" to "far-away"; null for none.</param>
    /// <param name="megabits">Of the line, both ways; null without a limit.</param>
    /// <param name="back">From "far-away" to "harbour"; null for none.</param>
    /// <param name="roundTrip">Milliseconds.</param>
    /// <param name="harbour">Other settings.</param>
    /// <param name="far">Other settings.</param>
    public static Estate Estate(
        CopyRule? rule,
        double? megabits = null,
        CopyRule? back = null,
        double? roundTrip = null,
        Func<Bucket, Bucket>? harbour = null,
        Func<Bucket, Bucket>? far = null
    )
    {
        var estate = TestProvider.OneBucket(b => (harbour ?? Same)(b with { Versioning = true, CopyTo = rule is null ? [] : [rule] }));
        var other = new Bucket
        {
            Name = "far-away",
            Region = "kestrel-sound",
            Scheme = "one-site",
            Tier = "counter",
            Versioning = true,
            CopyTo = back is null ? [] : [back],
        };
        return estate with
        {
            PriceBook = estate.PriceBook with
            {
                Transfers =
                [
                    new Transfer
                    {
                        From = "aldmouth",
                        To = "kestrel-sound",
                        Price = new UnitPrice(0.02),
                        MegabitsPerSecond = megabits,
                        RoundTripMilliseconds = roundTrip,
                    },
                    new Transfer
                    {
                        From = "kestrel-sound",
                        To = "aldmouth",
                        Price = new UnitPrice(0.02),
                        MegabitsPerSecond = megabits,
                        RoundTripMilliseconds = roundTrip,
                    },
                ],
            },
            Buckets = [.. estate.Buckets, (far ?? Same)(other)],
        };
    }

    public static void PassHours(this TestProvider provider, double hours) =>
        provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddHours(hours), null, CancellationToken.None);

    private static Bucket Same(Bucket bucket) => bucket;
}
