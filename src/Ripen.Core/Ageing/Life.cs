using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>
/// A stay in one tier by age in days: resting there from <see cref="From"/> to <see cref="To"/> (exclusive). <see cref="Since"/> is the
/// age at which the objects entered the tier, which is earlier than From when they were there before the first day.
/// A stay of no length is one that a move ends on the day it began.
/// </summary>
internal readonly record struct Stay(int Tier, int From, int To, int Since);

/// <summary>
/// The same life for every day of creation in <see cref="Cohorts"/>: stays one after another by age, then removal, either at the
/// end of the last stay (<see cref="ExpiresByAge"/>) or for all of them together on <see cref="GoneOn"/>.
/// </summary>
internal sealed record Life(Cohorts Cohorts, IReadOnlyList<Stay> Stays, bool ExpiresByAge, int GoneOn)
{
    /// <summary>
    /// The lives of objects that follow <paramref name="lifecycle"/>. The cohorts are in <paramref name="tier"/> at age
    /// <paramref name="age"/> and have been since age <paramref name="since"/>: 0 and 0 for a stream; for a lot its age today.
    /// At most two: a keep rule that ends on a date holds back those who would have expired before it.
    /// </summary>
    public static IEnumerable<Life> Of(Lifecycle lifecycle, Cohorts cohorts, int tier, int age, int since)
    {
        if (lifecycle.ExpireAt == Lifecycle.Never)
        {
            yield return new Life(cohorts, Path(lifecycle, tier, age, since, Lifecycle.Never), false, Lifecycle.Never);
            yield break;
        }
        var firstFree = lifecycle.KeptUntil > 0 ? lifecycle.KeptUntil - lifecycle.ExpireAt : cohorts.First;
        var heldBack = cohorts.Between(cohorts.First, firstFree);
        if (!heldBack.IsEmpty)
        {
            yield return new Life(heldBack, Path(lifecycle, tier, age, since, Lifecycle.Never), false, lifecycle.KeptUntil);
        }
        var free = cohorts.Between(firstFree, cohorts.End);
        if (!free.IsEmpty)
        {
            yield return new Life(free, Path(lifecycle, tier, age, since, Math.Max(age, lifecycle.ExpireAt)), true, Lifecycle.Never);
        }
    }

    /// <summary>Objects of stay <paramref name="i"/> that move on from it on the days [p, q), to stay i + 1.</summary>
    public double MovesOn(int i, int p, int q) => Cohorts.Count(p - Stays[i].To, Math.Min(q, GoneOn) - Stays[i].To);

    /// <summary>Objects that are removed from stay <paramref name="i"/> on the days [p, q).</summary>
    public double Removed(int i, int p, int q)
    {
        if (ExpiresByAge)
            return i == Stays.Count - 1 ? Cohorts.Count(p - Stays[i].To, q - Stays[i].To) : 0;
        return p <= GoneOn && GoneOn < q ? Cohorts.Count(GoneOn - Stays[i].To, GoneOn - Stays[i].From) : 0;
    }

    /// <summary>
    /// Object-days short of the minimum stay for objects that leave stay <paramref name="i"/> on the days [p, q), by moving or by removal.
    /// </summary>
    public double ShortOfMinimum(int i, Tier tier, int p, int q)
    {
        var stay = Stays[i];
        var missing = tier.DaysShort(stay.To - stay.Since);
        var leavesByAge = i < Stays.Count - 1 || ExpiresByAge;
        var byAge = missing > 0 && leavesByAge ? missing * Cohorts.Count(p - stay.To, Math.Min(q, GoneOn) - stay.To) : 0;
        if (p > GoneOn || GoneOn >= q)
            return byAge;
        // All leave on one day, having stayed GoneOn - created - Since days: the younger, the more is missing.
        var first = Math.Max(Math.Max(GoneOn - stay.To, Cohorts.First), GoneOn - stay.Since - tier.MinimumStayDays + 1);
        return byAge + Cohorts.Rising(first, GoneOn - stay.From, tier.MinimumStayDays - GoneOn + stay.Since + first);
    }

    /// <summary>Objects that rest in stay <paramref name="i"/> on <paramref name="day"/>, after that day's rules have run.</summary>
    public double Resting(int i, int day) => Resting(i, day, 0, Lifecycle.Never);

    /// <summary>Those of them whose age on that day is from <paramref name="youngest"/> to <paramref name="oldest"/> (exclusive).</summary>
    public double Resting(int i, int day, int youngest, int oldest)
    {
        if (day >= GoneOn)
            return 0;
        var (from, to) = (Math.Max(youngest, Stays[i].From), Math.Min(oldest, Stays[i].To));
        return to <= from ? 0 : Cohorts.Count(day - to + 1, day - from + 1);
    }

    /// <summary>Object-days of stay <paramref name="i"/> at the ages [from, to) on the days [p, q).</summary>
    public double ObjectDays(int i, int from, int to, int p, int q) =>
        Cohorts.ObjectDays(Math.Max(from, Stays[i].From), Math.Min(to, Stays[i].To), p, Math.Min(q, GoneOn));

    private static List<Stay> Path(Lifecycle lifecycle, int tier, int age, int since, int end)
    {
        var stays = new List<Stay>(lifecycle.Steps.Count + 1);
        var from = age;
        if (age < end)
        {
            foreach (var (next, at) in Ahead(lifecycle, tier, age))
            {
                if (at >= end)
                    break;
                stays.Add(new Stay(tier, from, at, since));
                (tier, from, since) = (next, at, at);
            }
        }
        stays.Add(new Stay(tier, from, end, since));
        return stays;
    }

    /// <summary>The moves still to come, at least at <paramref name="age"/>; steps that are overdue make one move.</summary>
    private static IEnumerable<(int Tier, int Age)> Ahead(Lifecycle lifecycle, int tier, int age)
    {
        var overdue = lifecycle.TierAt(age, tier);
        if (overdue > tier)
            yield return (overdue, age);
        foreach (var step in lifecycle.Steps)
        {
            if (step.Age > age && step.Tier > overdue)
                yield return (step.Tier, step.Age);
        }
    }
}
