using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>Told what becomes of packs, day by day from the estate's today (day 0), in order of time.</summary>
internal interface IPackWitness
{
    /// <summary>They rest in the tier of this coldness on the days [from, to).</summary>
    void Rest(int from, int to, int tier, double objects, bool watched);

    /// <summary>They leave the tier, in which they were since the day <paramref name="since"/>: moved on, or removed.</summary>
    void Leave(int day, int tier, int since, double objects);

    /// <summary>They come into the tier from a warmer one.</summary>
    void MoveIn(int day, int tier, double objects);
}

/// <summary>
/// The life of packs of one run in one bucket: they age by the bucket's rules, and what no point needs of them leaves, in proportion, from
/// wherever it lies. The days of a day: what is not needed leaves, what expires goes, and the rest moves (model 9.5).
/// </summary>
/// <param name="packs">What the run stored.</param>
/// <param name="objects">How many of them came here.</param>
/// <param name="arrived">On which day; what was there before today has the day of its run.</param>
/// <param name="lifecycle">Of the bucket, for them.</param>
/// <param name="landing">The tier in which they came.</param>
internal sealed class PackLife(PlannedPacks packs, double objects, int arrived, Lifecycle lifecycle, int landing)
{
    /// <summary>What is needed, from each day on; null where everything stays whatever is needed.</summary>
    public IEnumerable<(DateOnly Day, double Share)>? Needed { get; init; }

    /// <summary>What is not needed any more leaves on the first day on which the first of these keeps it no more, then the next.</summary>
    public required IReadOnlyList<Keeping> KeptBy { get; init; }

    /// <summary>Takes over what nothing tells from what earlier runs left; null where every run is told to its end.</summary>
    public SettledPacks? Settled { get; init; }

    /// <summary>What lies there in the morning of today, before its runs and rules: nothing of what is still to arrive.</summary>
    public (int Tier, int SinceAge, double Objects) ThisMorning(DateOnly today)
    {
        if (arrived >= 0)
            return (landing, 0, 0);
        var left = Shares(today).TakeWhile(s => s.Day < 0).Select(s => s.Share).LastOrDefault(1);
        var (_, tier, since) = Beginning();
        return (tier, since, objects * left);
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
        Settled.Take(packs.Run, settles.Day, settles.Stay);
    }

    /// <summary>The first day from which on it lies in its last tier, leaves without a charge and is kept by nothing; null for never.</summary>
    private (int Day, Stay Stay)? SettlesOn(PriceBook prices)
    {
        if (lifecycle.ExpireAt < Lifecycle.Never || KeptBy.Any(k => k.LastDay >= Lifecycle.Never))
            return null;
        var (age, tier, since) = Beginning();
        var stay = Life.Path(lifecycle, new Standing(age, tier, since), Lifecycle.Never)[^1];
        var keptUntil = KeptBy.Max(k => Math.Max(packs.Created + k.Days, k.LastDay));
        var free = packs.Created + stay.Since + prices.Tiers[stay.Tier].MinimumStayDays;
        // It came, moved for the last time, and was kept for the last time on the day before at the latest.
        var settled = Math.Max(Math.Max(arrived, packs.Created + stay.From), keptUntil) + 1;
        return (Math.Max(Math.Max(settled, free), 0), stay);
    }

    /// <param name="today">Day 0.</param>
    /// <param name="days">How far to look.</param>
    /// <param name="witness">Told of it.</param>
    public void Tell(DateOnly today, int days, IPackWitness witness)
    {
        var begin = Math.Max(arrived, 0);
        var (age, tier, since) = Beginning();
        // What is left is what was left of it yesterday: what falls due today leaves today.
        var shares = Shares(today).TakeWhile(s => s.Day < days).ToList();
        var at = 0;
        var count = objects;
        if (arrived < 0)
        {
            for (; at < shares.Count && shares[at].Day < 0; at++)
                count = objects * shares[at].Share;
        }
        foreach (var life in Life.Of(lifecycle, Cohorts.Lot(packs.Created, 1), new Standing(age, tier, since)))
        {
            for (var i = 0; i < life.Stays.Count; i++)
            {
                var stay = life.Stays[i];
                var (from, to) = (Math.Max(begin, packs.Created + stay.From), Math.Min(packs.Created + stay.To, life.GoneOn));
                var entered = packs.Created + stay.Since;
                for (; at < shares.Count && shares[at].Day <= to && shares[at].Day < days; at++)
                {
                    var day = Math.Max(from, shares[at].Day);
                    if (objects * shares[at].Share is var left && left >= count)
                        continue;
                    Rest(from, day, stay);
                    witness.Leave(day, stay.Tier, entered, count - left);
                    (count, from) = (left, day);
                    if (count == 0)
                        return;
                }
                Rest(from, Math.Min(to, days), stay);
                if (to >= days)
                    return;
                var next = i + 1 < life.Stays.Count && to < life.GoneOn ? life.Stays[i + 1].Tier : (int?)null;
                if (next == stay.Tier)
                    continue;
                witness.Leave(to, stay.Tier, entered, count);
                if (next is not { } tierNext)
                    return;
                witness.MoveIn(to, tierNext, count);
            }
        }

        void Rest(int from, int to, Stay stay)
        {
            if (to > from)
                witness.Rest(from, to, stay.Tier, count, stay.IsWatched);
        }
    }

    /// <summary>Age, tier, and the age at which they came into it: as they arrive, or as they lay yesterday had the rules always been these.</summary>
    private (int Age, int Tier, int Since) Beginning()
    {
        if (arrived >= 0)
            return (arrived - packs.Created, landing, arrived - packs.Created);
        var yesterday = -1 - packs.Created;
        var stay = Life.Path(lifecycle, new Standing(0, landing, 0), Lifecycle.Never).Last(s => s.From <= yesterday);
        return (-packs.Created, stay.Tier, stay.Since);
    }

    /// <summary>What is left from each day on, as what keeps them allows; the last of several on one day counts.</summary>
    private IEnumerable<(int Day, double Share)> Shares(DateOnly today)
    {
        (int Day, double Share)? waiting = null;
        foreach (var (day, share) in Needed ?? [])
        {
            var left = KeptBy
                .SkipLast(1)
                .Aggregate(day.DayNumber - today.DayNumber, (from, keeping) => keeping.FirstFree(packs.Created, from));
            // A copy that comes when its original is gone is kept by what its own bucket keeps by then.
            var on = KeptBy[^1].FirstFree(packs.Created, Math.Max(left, arrived));
            if (waiting is { } before && before.Day < on)
                yield return before;
            waiting = (on, share);
        }
        if (waiting is { } last)
            yield return last;
    }
}
