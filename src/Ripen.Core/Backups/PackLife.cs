using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>Told what becomes of packs, day by day from the estate's today (day 0), in order of time.</summary>
internal interface IPackWitness
{
    /// <summary>They rest in the tier of this coldness on the days [from, to).</summary>
    void Rest(int from, int to, int tier, double objects);

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

    /// <summary>Nothing leaves before this day because it is not needed any more.</summary>
    public DateOnly KeptUntil { get; init; }

    /// <summary>What lies there in the morning of today, before its runs and rules: nothing of what is still to arrive.</summary>
    public (int Tier, double Objects) ThisMorning(DateOnly today)
    {
        if (arrived >= 0)
            return (landing, 0);
        var left = Shares(today).TakeWhile(s => s.Day < 0).Select(s => s.Share).LastOrDefault(1);
        return (Beginning().Tier, objects * left);
    }

    /// <param name="today">Day 0.</param>
    /// <param name="days">How far to look.</param>
    /// <param name="witness">Told of it.</param>
    public void Tell(DateOnly today, int days, IPackWitness witness)
    {
        var begin = Math.Max(arrived, 0);
        var (age, tier, since) = Beginning();
        // What is left is what was left of it yesterday: what falls due today leaves today.
        var shares = Shares(today).ToList();
        var at = 0;
        var count = objects;
        if (arrived < 0)
        {
            for (; at < shares.Count && shares[at].Day < 0; at++)
                count = objects * shares[at].Share;
        }
        foreach (var life in Life.Of(lifecycle, Cohorts.Lot(packs.Created, 1), tier, age, since))
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
                    Rest(from, day, stay.Tier);
                    witness.Leave(day, stay.Tier, entered, count - left);
                    (count, from) = (left, day);
                    if (count == 0)
                        return;
                }
                Rest(from, Math.Min(to, days), stay.Tier);
                if (to >= days)
                    return;
                witness.Leave(to, stay.Tier, entered, count);
                if (i + 1 < life.Stays.Count && to < life.GoneOn)
                    witness.MoveIn(to, life.Stays[i + 1].Tier, count);
                else
                    return;
            }
        }

        void Rest(int from, int to, int tier)
        {
            if (to > from)
                witness.Rest(from, to, tier, count);
        }
    }

    /// <summary>Age, tier, and the age at which they came into it: as they arrive, or as they lay yesterday had the rules always been these.</summary>
    private (int Age, int Tier, int Since) Beginning()
    {
        if (arrived >= 0)
            return (arrived - packs.Created, landing, arrived - packs.Created);
        var yesterday = -1 - packs.Created;
        var (tier, since) = (landing, 0);
        foreach (var step in lifecycle.Steps.Where(s => s.Age <= yesterday && s.Tier > landing))
            (tier, since) = (step.Tier, step.Age);
        return (-packs.Created, tier, since);
    }

    /// <summary>What is left from each day on, as what keeps them allows.</summary>
    private IEnumerable<(int Day, double Share)> Shares(DateOnly today)
    {
        var kept = KeptUntil.DayNumber - today.DayNumber;
        var waiting = (double?)null;
        foreach (var (day, share) in Needed ?? [])
        {
            var on = day.DayNumber - today.DayNumber;
            if (on <= kept)
            {
                waiting = share;
                continue;
            }
            if (waiting is { } held)
                yield return (kept, held);
            waiting = null;
            yield return (on, share);
        }
        if (waiting is { } last)
            yield return (kept, last);
    }
}
