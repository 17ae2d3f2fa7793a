using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>
/// Whether one step pays for the objects of one stream. Money per object over its stay in the colder tier, at the first storage band's
/// price and the reading habit's share; a year's figures are for today's arrivals.
/// </summary>
/// <param name="Prefix">Of the stream.</param>
/// <param name="BytesPerObject">Of the stream.</param>
/// <param name="FromTier">The tier left.</param>
/// <param name="ToTier">The tier moved to.</param>
/// <param name="Age">Age at the step, in days.</param>
/// <param name="ByReading">Whether it waits so long for nobody to read; then this is of what nobody reads until then.</param>
/// <param name="BundleTo">Bytes of the bundles that it makes; 0 for none.</param>
/// <param name="StaysDays">Days in the colder tier; no more than <see cref="StepEconomies.LongestStayDays"/>.</param>
/// <param name="MovePerObject">The one-off charge for the move, or for reading the object and its part of writing a bundle.</param>
/// <param name="SavedPerObject">Storage saved over the stay, less dearer reading and leaving either tier early; negative when the colder
/// tier costs more.</param>
/// <param name="NetPerYear">(saved − move) × objects in a year.</param>
/// <param name="BreakEvenBytes">The smallest object for which the step pays; null when none does.</param>
/// <param name="NetPerYearBundled">The same bytes in a year, bundled into objects of <see cref="StepEconomies.BundleBytes"/> first; null where
/// the step bundles.</param>
public sealed record StepEconomy(
    string Prefix,
    long BytesPerObject,
    string FromTier,
    string ToTier,
    int Age,
    bool ByReading,
    long BundleTo,
    int StaysDays,
    double MovePerObject,
    double SavedPerObject,
    double NetPerYear,
    long? BreakEvenBytes,
    double? NetPerYearBundled
);

public static class StepEconomies
{
    /// <summary>Objects that never leave a tier are weighed over ten years.</summary>
    public const int LongestStayDays = 3650;

    /// <summary>What small objects are bundled into, for comparison: 128 MB.</summary>
    public const long BundleBytes = 128_000_000;

    /// <summary>One entry for each step of each stream that arrives in the bucket or is copied into it.</summary>
    public static IReadOnlyList<StepEconomy> Of(Bucket bucket, Estate estate)
    {
        var copied = estate
            .CopiedInto(bucket.Name)
            .SelectMany(c =>
                c.From.Streams.Where(s => c.Rule.Scope.Takes(s.Prefix, s.Tags))
                    .Select(s => (Stream: s, Landing: c.Rule.Tier ?? bucket.Tier))
            );
        return
        [
            .. bucket
                .Streams.Select(s => (Stream: s, Landing: bucket.Tier))
                .Concat(copied)
                .Where(s => s.Stream.ObjectsPerDay > 0)
                .SelectMany(s => Of(s.Stream, s.Landing, bucket, estate)),
        ];
    }

    private static IEnumerable<StepEconomy> Of(ObjectStream stream, string landsIn, Bucket bucket, Estate estate)
    {
        var prices = estate.PriceBook;
        var lifecycle = Lifecycle.Of(bucket, stream.Kind, prices, estate.Today);
        var landing = prices.Coldness(landsIn);
        var steps = lifecycle.Steps.Where(s => s.Tier > landing && s.Age < lifecycle.OverAt).ToList();
        for (var i = 0; i < steps.Count; i++)
        {
            var from = i == 0 ? landing : steps[i - 1].Tier;
            var leaves = i + 1 < steps.Count ? steps[i + 1].Age : lifecycle.OverAt;
            var days = Math.Min(leaves - steps[i].Age, LongestStayDays);
            var came = i == 0 ? 0 : steps[i - 1].Age;
            var step = new Weighing(
                bucket,
                prices,
                from,
                steps[i].Tier,
                steps[i].Age,
                days,
                steps[i].Age - came,
                leaves < Lifecycle.Never ? leaves - came : null,
                steps[i].BundleTo
            );
            var bundles = stream.BytesPerObject < steps[i].BundleTo;
            var perYear = stream.ObjectsPerDay * 365;
            var bundledPerYear = perYear * stream.BytesPerObject / BundleBytes;
            yield return new StepEconomy(
                stream.Prefix,
                stream.BytesPerObject,
                prices.Tiers[from].Id,
                prices.Tiers[steps[i].Tier].Id,
                steps[i].Age,
                steps[i].ByReading,
                bundles ? steps[i].BundleTo : 0,
                days,
                step.Move(stream.BytesPerObject),
                step.Saved(stream.BytesPerObject),
                step.Net(stream.BytesPerObject) * perYear,
                step.BreakEven(),
                bundles ? null : step.Net(BundleBytes) * bundledPerYear
            );
        }
    }

    /// <summary>One step: from a tier after so many days in it, where objects would otherwise stay that many (null for ever), to another
    /// for some days.</summary>
    internal sealed class Weighing(
        Bucket bucket,
        PriceBook prices,
        int from,
        int to,
        int age,
        int days,
        int stayed,
        int? wouldStay,
        long bundleTo
    )
    {
        private readonly ObjectCosts costs = new(bucket, prices);

        public double Move(long bytes) =>
            bytes < bundleTo ? costs.Price(from).Reads.For(1) + costs.Price(to).Writes.For(Bundled(bytes).Count) : costs.MoveInto(to);

        public double Net(long bytes) => Saved(bytes) - Move(bytes);

        private Form Bundled(long bytes) => new Form(bytes).Bundled(bundleTo);

        public double Saved(long bytes)
        {
            var becomes = Bundled(bytes);
            // Leaving the tier that is left too early costs the step; what leaving it would cost later anyway does not.
            var early =
                costs.EarlyLeave(from, stayed, bytes)
                - (wouldStay is { } later ? costs.EarlyLeave(from, later, bytes) : 0)
                + (wouldStay is null ? 0 : becomes.Count * costs.EarlyLeave(to, days, becomes.BytesPerObject));
            return (costs.StoredADay(from, bytes) - (becomes.Count * costs.StoredADay(to, becomes.BytesPerObject))) * days
                - (costs.Read(to, bytes, age, age + days) - costs.Read(from, bytes, age, age + days))
                - early;
        }

        /// <summary>Bisection over whole bytes up to 1 TB: larger objects save more wherever the colder tier is cheaper at all.</summary>
        public long? BreakEven()
        {
            const long largest = 1_000_000_000_000;
            if (Net(0) >= 0)
                return 0;
            if (Net(largest) < 0)
                return null;
            var (loses, pays) = (0L, largest);
            while (pays - loses > 1)
            {
                var middle = loses + ((pays - loses) / 2);
                if (Net(middle) >= 0)
                    pays = middle;
                else
                    loses = middle;
            }
            return pays;
        }
    }
}
