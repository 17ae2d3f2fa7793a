using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Redundancy;

/// <summary>How full the devices of one class are in a region that has its own, and when they are full.</summary>
/// <param name="Region">Its id.</param>
/// <param name="Class">Its id.</param>
/// <param name="Count">Devices.</param>
/// <param name="RawBytes">What they hold together.</param>
/// <param name="UsedRawBytes">Taken today: bytes stored × each bucket's raw bytes per byte.</param>
/// <param name="StoredBytes">Of the buckets that lie on them.</param>
/// <param name="UsableBytes">What could be stored on all of them in the mix of schemes that is stored now; null while nothing is.</param>
/// <param name="FullOn">The day on which the projection needs more than they hold; today when it does so already, null beyond its
/// end.</param>
public sealed record DeviceUse(
    string Region,
    string Class,
    int Count,
    double RawBytes,
    double UsedRawBytes,
    double StoredBytes,
    double? UsableBytes,
    DateOnly? FullOn
)
{
    /// <summary>Of every class in every region that has its own devices, in the price book's order. Room for repairs is not kept free here:
    /// who wants it counts fewer devices.</summary>
    public static IReadOnlyList<DeviceUse> Of(Projection projection)
    {
        var estate = projection.Estate;
        return
        [
            .. estate.PriceBook.Regions.SelectMany(region =>
                region.Devices.Select(devices => Of(projection, region, devices, [.. On(estate, region, devices)]))
            ),
        ];
    }

    /// <summary>The places of the buckets that lie on them, with their raw bytes per byte.</summary>
    private static IEnumerable<(int Bucket, double Raw)> On(Estate estate, Region region, DeviceClass devices)
    {
        for (var i = 0; i < estate.Buckets.Count; i++)
        {
            var scheme = estate.PriceBook.FindScheme(estate.Buckets[i].Scheme)!;
            if (estate.Buckets[i].Region == region.Id && (scheme.DeviceClass ?? region.Devices[0].Id) == devices.Id)
                yield return (i, RawPerByte(scheme));
        }
    }

    private static DeviceUse Of(Projection projection, Region region, DeviceClass devices, List<(int Bucket, double Raw)> on)
    {
        var (estate, calendar) = (projection.Estate, projection.Calendar);
        var stored = on.Select(b => Snapshot.Of(estate.Buckets[b.Bucket], estate, estate.Today, projection.Copies).Bytes).ToList();
        var (used, bytes) = (on.Zip(stored, (b, n) => b.Raw * n).Sum(), stored.Sum());
        return new DeviceUse(
            region.Id,
            devices.Id,
            devices.Count,
            devices.RawBytes,
            used,
            bytes,
            used > 0 ? devices.RawBytes * bytes / used : null,
            FullOnDay()
        );

        // From month's end to month's end in a straight line.
        DateOnly? FullOnDay()
        {
            if (used > devices.RawBytes)
                return estate.Today;
            var (before, since) = (used, 0);
            for (var m = 0; m < calendar.Months; m++)
            {
                var end = calendar.MonthStart(m + 1);
                var then = on.Sum(b => b.Raw * AtEnd(projection.Usages[b.Bucket], m, estate.PriceBook.Tiers.Count));
                if (then > devices.RawBytes)
                    return estate.Today.AddDays(since + (int)Math.Ceiling((end - since) * (devices.RawBytes - before) / (then - before)));
                (before, since) = (then, end);
            }
            return null;
        }
    }

    private static double AtEnd(BucketUsage usage, int month, int tiers) =>
        Enumerable.Range(0, tiers).Sum(tier => usage.BytesAtEnd(tier, month));

    private static double RawPerByte(Scheme scheme)
    {
        var placement = Placement.Of(scheme);
        return (double)placement.Fragments.Count / placement.Needed;
    }
}
