using Ripen.Core.Billing;

namespace Ripen.Core.Advice;

/// <summary>Some of what a year's arrivals cost over their life.</summary>
/// <param name="From">The age, in days, at which they come to the term's tier.</param>
/// <param name="To">The age at which they leave it, or are looked at no longer.</param>
/// <param name="Term">A price on a quantity.</param>
public sealed record ScheduleTerm(int From, int To, PricedTerm Term);

/// <summary>What makes the money of a schedule.</summary>
/// <param name="Schedule">With <see cref="Schedule.AsNow"/> and <see cref="Schedule.AtBest"/>.</param>
/// <param name="Now">Make the first.</param>
/// <param name="Best">Make the second.</param>
public sealed record ScheduleReasons(Schedule Schedule, IReadOnlyList<ScheduleTerm> Now, IReadOnlyList<ScheduleTerm> Best);
