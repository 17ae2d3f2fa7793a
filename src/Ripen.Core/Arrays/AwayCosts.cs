using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Arrays;

/// <summary>What an array's data costs in its bucket, by that bucket's steps from creation and at the first bands' prices. Money.</summary>
internal sealed class AwayCosts(LocalArray array, Bucket bucket, Estate estate)
{
    private readonly ObjectCosts costs = new(bucket, estate.PriceBook);
    private readonly int landing = estate.PriceBook.Coldness(bucket.Tier);

    private double Units(double bytes) => bytes / estate.PriceBook.Unit.Bytes();

    private string TierAt(int place) => estate.PriceBook.Tiers[place].Id;

    /// <summary>A month in the bucket instead of on the array: what is not held there, taken off.</summary>
    /// <param name="volume">Of the array.</param>
    /// <param name="data">Of the volume.</param>
    /// <param name="age">Days since it left; from 0.</param>
    public IEnumerable<PricedTerm> SavedAMonth(ArrayVolume volume, ArrayData data, int age) =>
        Storage(data, Lies(volume, data, age).Tier, -1, "in the bucket");

    /// <summary>Reading it once at the ordinary speed, and taking it to the array.</summary>
    public IEnumerable<PricedTerm> Reading(ArrayVolume volume, ArrayData data, int age) =>
        [
            .. PricedTerm.OfReading(
                estate.PriceBook,
                bucket.Region,
                TierAt(Lies(volume, data, age).Tier),
                null,
                data.Files,
                data.Files * data.BytesPerFile
            ),
            .. PricedTerm.OfCarrying(estate.PriceBook, bucket.Region, array.Region, data.Bytes),
        ];

    /// <summary>What bringing it home costs beside the reading: leaving its tier early, lying on the array instead of in the bucket until it
    /// leaves again, and the way back.</summary>
    /// <param name="volume">Of the array.</param>
    /// <param name="data">Of the volume.</param>
    /// <param name="age">Days since it left; from 0.</param>
    /// <param name="atHome">Days until it leaves again; null where it stays for good, of which a year is counted.</param>
    public IEnumerable<PricedTerm> ComingHome(ArrayVolume volume, ArrayData data, int age, int? atHome)
    {
        var (prices, (tier, days)) = (estate.PriceBook, Lies(volume, data, age));
        var (from, months) = (prices.Tiers[tier], (atHome ?? 365) / costs.DaysAMonth);
        var early = data.Files * Units(from.BilledBytes(data.BytesPerFile)) * from.DaysShort(days) / costs.DaysAMonth;
        return
        [
            .. PricedTerm.OfLeaving(prices, bucket, from.Id, null, data.Files, 0, 0, early),
            PricedTerm.OfHolding(array, prices, Units(data.Bytes) * months),
            .. Storage(data, tier, -months, "not in the bucket meanwhile"),
            .. atHome is null
                ? []
                : PricedTerm
                    .OfWriting(prices, bucket.Region, TierAt(landing), data.Files)
                    .Concat(PricedTerm.OfCarrying(prices, array.Region, bucket.Region, data.Bytes)),
        ];
    }

    private IEnumerable<PricedTerm> Storage(ArrayData data, int tier, double months, string what)
    {
        var of = estate.PriceBook.Tiers[tier];
        yield return Rests(tier, of.BilledBytes(data.BytesPerFile), what);
        if (of.IndexBytes > 0)
            yield return Rests(landing, of.IndexBytes, $"{what}, index");

        PricedTerm Rests(int at, double bytes, string what) =>
            PricedTerm.OfResting(estate.PriceBook, bucket, TierAt(at), data.Files * Units(bytes) * months, what);
    }

    private (int Tier, int Days) Lies(ArrayVolume volume, ArrayData data, int age)
    {
        var kind = new ObjectKind(array.KeyOf(volume, data), null, data.BytesPerFile);
        var (tier, since) = Lifecycle
            .Of(bucket, kind, estate.PriceBook, estate.Today)
            .Steps.Where(s => s.Age <= age && !s.ByReading)
            .Select(s => (s.Tier, s.Age))
            .Append((Tier: landing, Age: 0))
            .MaxBy(s => s.Tier);
        return (tier, age - since);
    }
}
