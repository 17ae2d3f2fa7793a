using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;

namespace Ripen.Core.Forecasting;

/// <summary>What an estate costs, without what it uses: a fraction of a projection, to be held of many.</summary>
/// <param name="Estate">That was projected.</param>
/// <param name="Calendar">Its months.</param>
/// <param name="ByBucket">Money by month, in the order of the estate's buckets.</param>
/// <param name="Agreed">For the estate as a whole, by month.</param>
/// <param name="InAll">Money by month.</param>
/// <param name="Table">The same in other ways.</param>
/// <param name="Years">Twelve months each.</param>
public sealed record ProjectedMoney(
    Estate Estate,
    BillingCalendar Calendar,
    IReadOnlyList<double[]> ByBucket,
    double[] Agreed,
    double[] InAll,
    MoneyTable Table,
    IReadOnlyList<ForecastYear> Years
)
{
    public static ProjectedMoney Of(Projection projection) =>
        new(
            projection.Estate,
            projection.Calendar,
            projection.Money,
            [.. Enumerable.Range(0, projection.Calendar.Months).Select(m => projection.AgreedMoney(m))],
            projection.MoneyInAll,
            MoneyTable.Of(projection),
            ForecastYear.Of(projection)
        );
}
