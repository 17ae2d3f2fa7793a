using Ripen.Core.Ageing;
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

    /// <param name="volume">Of the array.</param>
    /// <param name="data">Of the volume.</param>
    /// <param name="age">Days since it left; from 0.</param>
    public double StorageAMonth(ArrayVolume volume, ArrayData data, int age) =>
        data.Files * costs.StoredADay(Lies(volume, data, age).Tier, data.BytesPerFile) * costs.DaysAMonth;

    /// <summary>Reading it once at the ordinary speed, and taking it to the array.</summary>
    public double Reading(ArrayVolume volume, ArrayData data, int age) =>
        (data.Files * costs.ReadOnce(Lies(volume, data, age).Tier, data.BytesPerFile))
        + estate.PriceBook.TransferPrice(bucket.Region, array.Region).For(Units(data.Bytes));

    /// <summary>What bringing it home costs beside the reading: leaving its tier early, lying on the array instead of in the bucket until it
    /// leaves again, and the way back.</summary>
    /// <param name="volume">Of the array.</param>
    /// <param name="data">Of the volume.</param>
    /// <param name="age">Days since it left; from 0.</param>
    /// <param name="atHome">Days until it leaves again; null where it stays for good, of which a year is counted.</param>
    public double ComingHome(ArrayVolume volume, ArrayData data, int age, int? atHome)
    {
        var (tier, days) = Lies(volume, data, age);
        var early = data.Files * costs.EarlyLeave(tier, days, data.BytesPerFile);
        var held = array.PricePerUnitMonth.For(Units(data.Bytes)) - StorageAMonth(volume, data, age);
        var back = atHome is null
            ? 0
            : costs.Price(landing).Writes.For(data.Files)
                + estate.PriceBook.TransferPrice(array.Region, bucket.Region).For(Units(data.Bytes));
        return early + (held * (atHome ?? 365) / costs.DaysAMonth) + back;
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
