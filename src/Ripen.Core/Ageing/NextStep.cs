using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>A sensible step to go on with when somebody asks for one more.</summary>
public static class NextStep
{
    /// <summary>Days that data rests in a tier before a suggested step, where the tier demands no more.</summary>
    private const int LeastDays = 30;

    /// <summary>
    /// To the next colder tier that the bucket's region offers, once the minimum stay of the coldest tier so far is over;
    /// null when there is no colder one.
    /// </summary>
    public static Step? After(IReadOnlyList<Step> steps, Bucket bucket, PriceBook prices)
    {
        var last = steps.Append(new Step { Age = 0, Tier = bucket.Tier }).MaxBy(s => prices.Coldness(s.Tier))!;
        var region = prices.FindRegion(bucket.Region)!;
        var coldness = prices.Coldness(last.Tier);
        var next = prices.Tiers.Skip(coldness + 1).FirstOrDefault(t => region.PriceOf(t.Id) is not null);
        return next is null
            ? null
            : new Step { Age = last.Age + Math.Max(LeastDays, prices.Tiers[coldness].MinimumStayDays), Tier = next.Id };
    }
}
