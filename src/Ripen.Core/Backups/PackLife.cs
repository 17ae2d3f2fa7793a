using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>Packs of one run, as far as a point needs them: what becomes of them is the same whatever the run stored.</summary>
/// <param name="Run">Its place in the branch.</param>
/// <param name="Point">Which needs them; <see cref="PointTimes.Nobody"/> for nothing.</param>
/// <param name="Part">Of all that the run stored: less than 1 where a line carried some of it.</param>
internal readonly record struct NeededPacks(int Run, int Point, double Part)
{
    public double Objects(Branch branch) => branch.Packs(Run, Point) * Part;
}

/// <summary>Told what becomes of packs, day by day from the estate's today (day 0), in order of time.</summary>
internal interface IPackWitness
{
    /// <summary>They rest in the tier of this coldness on the days [from, to).</summary>
    void Rest(int from, int to, int tier, NeededPacks packs, bool watched);

    /// <summary>They leave the tier, in which they were since the day <paramref name="since"/>: moved on, or removed. What
    /// <paramref name="next"/> still needs of them stays.</summary>
    void Leave(int day, int tier, int since, NeededPacks packs, int next);

    /// <summary>They come into the tier from a warmer one.</summary>
    void MoveIn(int day, int tier, NeededPacks packs);

    /// <summary>Their stay of this number ends by their bucket's rules: in the next one, or for good.</summary>
    void EndStay(int day, NeededPacks packs, Stay[] stays, int stay, bool forGood);
}

/// <summary>
/// The life of packs of one run in one bucket: they age by the bucket's rules, and what no point needs of them leaves, in proportion, from
/// wherever it lies. The days of a day: what is not needed leaves, what expires goes, and the rest moves (model 9.5).
/// </summary>
/// <param name="Run">Its place in the branch.</param>
/// <param name="Created">The day of the run.</param>
/// <param name="Arrived">On which day they came; what was there before today has the day of its run.</param>
/// <param name="Landing">The tier in which they came.</param>
internal sealed record PackLife(int Run, int Created, int Arrived, int Landing)
{
    /// <summary>Of the bucket, for them.</summary>
    public required PackPaths Paths { get; init; }

    /// <summary>Of all that the run stored.</summary>
    public double Part { get; init; } = 1;

    /// <summary>Which point needs them, from each day on; null where everything stays whatever is needed.</summary>
    public IEnumerable<(DateOnly Day, int Point)>? Needs { get; init; }

    /// <summary>What is not needed any more leaves on the first day on which the first of these keeps it no more, then the next.</summary>
    public required IReadOnlyList<Keeping> KeptBy { get; init; }

    /// <summary>Takes over what nothing tells from what earlier runs left; null where every run is told to its end.</summary>
    public SettledPacks? Settled { get; init; }

    private Lifecycle Lifecycle => Paths.Lifecycle;

    /// <summary>What lies there in the morning of today, before its runs and rules; null for what is still to arrive.</summary>
    public (int Tier, int SinceAge, NeededPacks Packs)? ThisMorning(DateOnly today)
    {
        if (Arrived >= 0)
            return null;
        var point = NeedsByDay(today).TakeWhile(n => n.Day < 0).Select(n => n.Point).LastOrDefault(Run);
        var (_, tier, since) = Beginning();
        return (tier, since, Of(point));
    }

    /// <summary>Tells what becomes of it, until <see cref="Settled"/> takes over what is left.</summary>
    public void TellUntilSettled(DateOnly today, int days, PriceBook prices, IPackWitness witness)
    {
        if (Settled is null || SettlesOn(prices) is not { } settles || settles.Day >= days)
        {
            Tell(today, days, witness);
            return;
        }
        Tell(today, settles.Day, witness);
        Settled.Take(Run, settles.Day, settles.Stay);
    }

    /// <summary>The first day from which on it lies in its last tier, leaves without a charge and is kept by nothing; null for never.</summary>
    private (int Day, Stay Stay)? SettlesOn(PriceBook prices)
    {
        if (Lifecycle.ExpireAt < Lifecycle.Never)
            return null;
        var keptUntil = int.MinValue;
        foreach (var keeping in KeptBy)
        {
            if (keeping.LastDay >= Lifecycle.Never)
                return null;
            keptUntil = Math.Max(keptUntil, Math.Max(Created + keeping.Days, keeping.LastDay));
        }
        var (age, tier, since) = Beginning();
        var stay = Paths.From(new Standing(age, tier, since), Lifecycle.Never)[^1];
        var free = Created + stay.Since + prices.Tiers[stay.Tier].MinimumStayDays;
        // It came, moved for the last time, and was kept for the last time on the day before at the latest.
        var settled = Math.Max(Math.Max(Arrived, Created + stay.From), keptUntil) + 1;
        return (Math.Max(Math.Max(settled, free), 0), stay);
    }

    /// <param name="today">Day 0.</param>
    /// <param name="days">How far to look.</param>
    /// <param name="witness">Told of it.</param>
    public void Tell(DateOnly today, int days, IPackWitness witness)
    {
        var begin = Math.Max(Arrived, 0);
        var (age, tier, since) = Beginning();
        using var needs = NeedsByDay(today).GetEnumerator();
        var more = needs.MoveNext();
        // What is left is what was left of it yesterday: what falls due today leaves today.
        var point = Run;
        for (; Arrived < 0 && more && needs.Current.Day < 0; more = needs.MoveNext())
            point = needs.Current.Point;
        if (point == PointTimes.Nobody)
            return;
        foreach (var (stays, goneOn) in Paths.Lives(Created, new Standing(age, tier, since)))
        {
            for (var i = 0; i < stays.Length; i++)
            {
                var stay = stays[i];
                var (from, to) = (Math.Max(begin, Created + stay.From), Math.Min(Created + stay.To, goneOn));
                var entered = Created + stay.Since;
                for (; more && needs.Current.Day <= to && needs.Current.Day < days; more = needs.MoveNext())
                {
                    var (day, needed) = (Math.Max(from, needs.Current.Day), needs.Current.Point);
                    if (needed == point)
                        continue;
                    Rest(from, day, stay);
                    witness.Leave(day, stay.Tier, entered, Of(point), needed);
                    (point, from) = (needed, day);
                    if (point == PointTimes.Nobody)
                        return;
                }
                Rest(from, Math.Min(to, days), stay);
                if (to >= days)
                    return;
                var next = i + 1 < stays.Length && to < goneOn ? stays[i + 1] : (Stay?)null;
                witness.EndStay(to, Of(point), stays, i, next is null);
                if (next?.Tier == stay.Tier)
                    continue;
                witness.Leave(to, stay.Tier, entered, Of(point), PointTimes.Nobody);
                if (next is not { } into)
                    return;
                witness.MoveIn(to, into.Tier, Of(point));
            }
        }

        void Rest(int from, int to, Stay stay)
        {
            if (to > from)
                witness.Rest(from, to, stay.Tier, Of(point), stay.IsWatched);
        }
    }

    private NeededPacks Of(int point) => new(Run, point, Part);

    /// <summary>Age, tier, and the age at which they came into it: as they arrive, or as they lay yesterday had the rules always been these.</summary>
    private (int Age, int Tier, int Since) Beginning()
    {
        if (Arrived >= 0)
            return (Arrived - Created, Landing, Arrived - Created);
        var yesterday = -1 - Created;
        var stay = Paths.From(new Standing(0, Landing, 0), Lifecycle.Never).Last(s => s.From <= yesterday);
        return (-Created, stay.Tier, stay.Since);
    }

    /// <summary>Which point needs it from each day on, as what keeps it allows; the last of several on one day counts.</summary>
    private IEnumerable<(int Day, int Point)> NeedsByDay(DateOnly today)
    {
        (int Day, int Point)? waiting = null;
        foreach (var (day, point) in Needs ?? [])
        {
            var left = day.DayNumber - today.DayNumber;
            for (var i = 0; i + 1 < KeptBy.Count; i++)
                left = KeptBy[i].FirstFree(Created, left);
            // A copy that comes when its original is gone is kept by what its own bucket keeps by then.
            var on = KeptBy[^1].FirstFree(Created, Math.Max(left, Arrived));
            if (waiting is { } before && before.Day < on)
                yield return before;
            waiting = (on, point);
        }
        if (waiting is { } last)
            yield return last;
    }
}

/// <summary>The ways of packs through a bucket's tiers; those that begin alike are one.</summary>
/// <param name="lifecycle">Of the bucket, for them.</param>
internal sealed class PackPaths(Lifecycle lifecycle)
{
    private readonly Dictionary<(Standing, int), Stay[]> known = [];

    public Lifecycle Lifecycle => lifecycle;

    /// <summary>Stays to the age <paramref name="end"/>, of packs that stand so.</summary>
    public Stay[] From(Standing standing, int end)
    {
        if (!known.TryGetValue((standing, end), out var stays))
            known[(standing, end)] = stays = Life.Path(lifecycle, standing, end);
        return stays;
    }

    /// <summary>Of what was created on a day and stands so: stays by age, and the day on which it goes whatever its age.</summary>
    public IEnumerable<(Stay[] Stays, int GoneOn)> Lives(int created, Standing standing)
    {
        foreach (var (_, endsAt, goneOn) in Life.Parted(lifecycle, Cohorts.Lot(created, 1), standing))
            yield return (From(standing, endsAt), goneOn);
    }
}
