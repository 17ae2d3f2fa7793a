using Ripen.Core.Billing;

namespace Ripen.Core.Advice;

/// <summary>A price put on a quantity of what a year's arrivals cost over their life: <see cref="Quantity"/> / <see cref="Per"/> ×
/// <see cref="Price"/> × <see cref="Factor"/>.</summary>
/// <param name="Tier">The id of the tier in which they stay.</param>
/// <param name="From">The age, in days, at which they come there.</param>
/// <param name="To">The age at which they leave it, or are looked at no longer.</param>
/// <param name="Charge">For what.</param>
/// <param name="What">Is priced.</param>
/// <param name="Quantity">Of it.</param>
/// <param name="Unit">Of the quantity.</param>
/// <param name="Price">Of one, or of 1,000.</param>
/// <param name="Per">1, or 1,000.</param>
/// <param name="Factor">The scheme's, for storage; else 1.</param>
public sealed record ScheduleTerm(
    string Tier,
    int From,
    int To,
    Charge Charge,
    string What,
    double Quantity,
    string Unit,
    double Price,
    int Per,
    double Factor
)
{
    /// <summary>Money.</summary>
    public double Amount => Quantity / Per * Price * Factor;
}

/// <summary>What makes the money of a schedule.</summary>
/// <param name="Schedule">With <see cref="Schedule.AsNow"/> and <see cref="Schedule.AtBest"/>.</param>
/// <param name="Now">Make the first.</param>
/// <param name="Best">Make the second.</param>
public sealed record ScheduleReasons(Schedule Schedule, IReadOnlyList<ScheduleTerm> Now, IReadOnlyList<ScheduleTerm> Best);
