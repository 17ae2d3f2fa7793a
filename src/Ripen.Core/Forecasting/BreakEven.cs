using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>From which size on it pays to move an object that then stays so long.</summary>
/// <param name="StaysDays">In the colder tier, from 1.</param>
/// <param name="Bytes">The smallest size; null where no size up to 1 TB pays.</param>
public sealed record BreakEvenSize(int StaysDays, long? Bytes);

/// <summary>The same of a pair of tiers, by how long objects stay.</summary>
/// <param name="From">The id of the warmer tier.</param>
/// <param name="To">The id of the colder one.</param>
/// <param name="Sizes">By rising stay.</param>
/// <param name="PaysFromDay">The shortest stay for which an object of 1 GB pays; null where none up to ten years does.</param>
public sealed record BreakEvenCurve(string From, string To, IReadOnlyList<BreakEvenSize> Sizes, int? PaysFromDay);

/// <summary>
/// Break-even sizes of every pair of tiers: what moving costs against what the colder tier saves, for an object that has stayed where it is as
/// long as that tier asks, and is read so often. The weighing is that of <see cref="StepEconomies"/>.
/// </summary>
public static class BreakEven
{
    /// <summary>Days that curves are told for.</summary>
    public static readonly IReadOnlyList<int> Stays =
    [
        1,
        2,
        3,
        5,
        7,
        10,
        14,
        21,
        30,
        45,
        60,
        90,
        120,
        180,
        270,
        365,
        545,
        730,
        1095,
        1825,
        2555,
        3650,
    ];

    private const long Gigabyte = 1_000_000_000;

    /// <param name="prices">Valid.</param>
    /// <param name="region">Its id.</param>
    /// <param name="scheme">Its id.</param>
    /// <param name="landing">The id of the tier where objects land: their index is stored there.</param>
    /// <param name="readsAYear">How often each object is read: at least 0.</param>
    public static IReadOnlyList<BreakEvenCurve> Of(PriceBook prices, string region, string scheme, string landing, double readsAYear)
    {
        var bucket = new Bucket
        {
            Name = "break-even",
            Region = region,
            Scheme = scheme,
            Tier = landing,
            Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = readsAYear / 365 }],
        };
        var offered = Enumerable
            .Range(0, prices.Tiers.Count)
            .Where(t => prices.FindRegion(region)!.PriceOf(prices.Tiers[t].Id) is not null)
            .ToList();
        return
        [
            .. from warm in offered
            from cold in offered
            where cold > warm
            select new BreakEvenCurve(
                prices.Tiers[warm].Id,
                prices.Tiers[cold].Id,
                [.. Stays.Select(days => new BreakEvenSize(days, For(warm, cold, days).BreakEven()))],
                FirstDay(days => For(warm, cold, days).Net(Gigabyte) >= 0)
            ),
        ];

        StepEconomies.Weighing For(int warm, int cold, int days)
        {
            var stayed = prices.Tiers[warm].MinimumStayDays;
            return new(bucket, prices, warm, cold, age: 0, days, stayed, wouldStay: stayed + days, bundleTo: 0);
        }
    }

    /// <summary>The longer an object stays, the more it saves: none of the charges rises with the stay but storage.</summary>
    private static int? FirstDay(Func<int, bool> pays)
    {
        var (loses, gains) = (0, Stays[^1]);
        if (!pays(gains))
            return null;
        while (gains - loses > 1)
        {
            var middle = (loses + gains) / 2;
            (loses, gains) = pays(middle) ? (loses, middle) : (middle, gains);
        }
        return gains;
    }
}
