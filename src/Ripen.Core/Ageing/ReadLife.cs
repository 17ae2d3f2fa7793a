using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>What happens at one age in one tier, for each object that came.</summary>
internal enum AgeEvent
{
    /// <summary>Objects at rest.</summary>
    Objects,

    /// <summary>Billed bytes at rest, without the index.</summary>
    BilledBytes,

    /// <summary>Bytes at rest, as they are.</summary>
    Bytes,

    /// <summary>Objects there at the day's end, when what was read has come back.</summary>
    ObjectsAtNight,

    /// <summary>Bytes there at the day's end, as they are.</summary>
    BytesAtNight,

    /// <summary>Objects at rest that are watched for reading.</summary>
    Watched,

    /// <summary>Original objects that are read.</summary>
    Reads,

    /// <summary>Bytes read.</summary>
    ReadBytes,

    /// <summary>Objects moved into the tier.</summary>
    Moves,

    /// <summary>Bundles written in the tier.</summary>
    BundleWrites,

    /// <summary>Objects read in the tier to be bundled.</summary>
    BundleReads,

    /// <summary>Billed byte-days short of the minimum stay, of what moves away.</summary>
    Early,

    /// <summary>The same if all that is there in the morning left.</summary>
    EarlyIfGone,
}

/// <summary>What rules do at one age, for each object that came, by age.</summary>
internal sealed class ReadDeed(int ages)
{
    public double[] Objects { get; } = new double[ages];

    public double[] Bytes { get; } = new double[ages];

    /// <summary>Those of the objects that are bundled, and into how many.</summary>
    public double[] Bundled { get; } = new double[ages];

    public double[] Bundles { get; } = new double[ages];

    /// <summary>Billed byte-days short of the minimum stay.</summary>
    public double[] Early { get; } = new double[ages];
}

/// <summary>
/// What becomes of objects whose steps wait until nobody reads them (model 8.3): every day a share of them is read, counts as read, and may
/// come back to the landing tier. All that arrived on one day is a mixture of histories, the same for every day of arrival, so it is walked
/// through once, age by age. What still matters of a history is the tier and form, the day of entry, and how long nobody has read.
/// </summary>
internal sealed class ReadLife
{
    private static readonly int Events = Enum.GetValues<AgeEvent>().Length;

    /// <summary>An age before all others: an entry so long ago is past every minimum stay.</summary>
    private const int LongAgo = -Lifecycle.Never;

    private readonly record struct Place(int Tier, int Since, Form Form);

    private readonly Lifecycle lifecycle;
    private readonly PriceBook prices;
    private readonly int landing;
    private readonly int firstAge;
    private readonly double[]?[] rows;
    private readonly Dictionary<Place, Unread> mixture = [];
    private readonly Dictionary<(NightDeed Deed, string? Rule, int From, int? To), ReadDeed> deeds = [];
    private readonly Dictionary<(string? Rule, int From), ReadDeed> ends = [];
    private int? superseded;

    /// <param name="lifecycle">Of the objects; some of its steps are by reading.</param>
    /// <param name="reads">The reading habit.</param>
    /// <param name="prices">For the tiers.</param>
    /// <param name="landing">Of the bucket: where what is read comes back to.</param>
    /// <param name="parts">As they arrive or stand today, of one age and overwritten at one; current versions. How large a share of all each is.</param>
    /// <param name="ages">How many ages to look at.</param>
    public ReadLife(
        Lifecycle lifecycle,
        IReadOnlyList<ReadBand> reads,
        PriceBook prices,
        int landing,
        IReadOnlyList<(Standing Standing, double Share)> parts,
        int ages
    )
    {
        (this.lifecycle, this.prices, this.landing, Ages) = (lifecycle, prices, landing, ages);
        firstAge = parts[0].Standing.Age;
        rows = new double[]?[prices.Tiers.Count * Events];
        foreach (var (standing, share) in parts)
        {
            var place = new Place(standing.Tier, standing.Since, new Form(lifecycle.Kind.BytesPerObject));
            At(place).Add(firstAge - standing.LastRead, share);
        }
        var over = lifecycle.Versioned ? Math.Min(lifecycle.ExpireAt, parts[0].Standing.ReplacedAt) : Lifecycle.Never;
        for (var age = firstAge; age < firstAge + ages; age++)
        {
            foreach (var (place, unread) in mixture)
            {
                Add(place.Tier, AgeEvent.EarlyIfGone, age, unread.Total * Short(place, age));
                Ends(place, age, unread.Total);
            }
            if (superseded is null && age >= over)
                superseded = age;
            Move(age);
            var rate = superseded is null ? ShareRead(reads, age) : 0;
            Rest(age, rate);
            if (rate > 0)
                Read(age, 1 - Math.Exp(-rate));
            foreach (var (place, unread) in mixture)
            {
                Add(place.Tier, AgeEvent.ObjectsAtNight, age, unread.Total * place.Form.Count);
                Add(place.Tier, AgeEvent.BytesAtNight, age, unread.Total * lifecycle.Kind.BytesPerObject);
                unread.PassDay();
            }
        }
    }

    /// <summary>From the youngest age on, for the tier of this coldness; empty where nothing of the kind happens.</summary>
    public ReadOnlySpan<double> Of(int tier, AgeEvent what) => rows[(tier * Events) + (int)what];

    /// <summary>What rules do but let objects go, by age; of all that came.</summary>
    public IReadOnlyDictionary<(NightDeed Deed, string? Rule, int From, int? To), ReadDeed> Deeds => deeds;

    /// <summary>By the rule that would do it: what goes where all that is there in the morning goes.</summary>
    public IReadOnlyDictionary<(string? Rule, int From), ReadDeed> EndsIfGone => ends;

    public int FirstAge => firstAge;

    public int Ages { get; }

    /// <summary>Objects by how many days nobody has read them; the last entry holds all who waited at least so long.</summary>
    private sealed class Unread(int longest)
    {
        private readonly double[] byDays = new double[longest + 1];

        public double Total { get; private set; }

        public int Longest => longest;

        public double this[int days] => byDays[days];

        public void Add(int days, double share)
        {
            byDays[Math.Min(days, longest)] += share;
            Total += share;
        }

        public double TakeAll(int days)
        {
            var share = byDays[days];
            byDays[days] = 0;
            Total = byDays.Sum();
            return share;
        }

        /// <summary>Takes this part of everyone.</summary>
        public double Take(double part)
        {
            var taken = Total * part;
            for (var i = 0; i < byDays.Length; i++)
                byDays[i] *= 1 - part;
            Total = byDays.Sum();
            return taken;
        }

        public void PassDay()
        {
            if (longest == 0)
                return;
            var waited = byDays[longest];
            Array.Copy(byDays, 0, byDays, 1, longest);
            byDays[longest] += waited;
            byDays[0] = 0;
        }
    }

    private static double ShareRead(IReadOnlyList<ReadBand> reads, int age)
    {
        var share = 0.0;
        foreach (var band in reads)
        {
            if (band.FromAge > age)
                break;
            share = band.ShareOfObjectsPerDay;
        }
        return share;
    }

    private void Move(int age)
    {
        foreach (var (place, unread) in mixture.ToList())
        {
            for (var days = unread.Longest; days >= 0; days--)
            {
                // Those who waited less are no nearer to a step than those who waited longer.
                if (ColdestDue(place, days, age) is not { } step)
                    break;
                if (unread[days] > 0)
                    Move(place, step, age, days, unread.TakeAll(days));
            }
            if (superseded == age)
                Tell(NightDeed.StepsBack, lifecycle.OverBy(age, earlier: false), place, null, age, unread.Total, 0, 0);
            var now = place with { Since = prices.Tiers[place.Tier].DaysShort(age - place.Since) == 0 ? LongAgo : place.Since };
            if (unread.Total > 0 && now == place)
                continue;
            mixture.Remove(place);
            for (var days = 0; unread.Total > 0 && days <= unread.Longest; days++)
                At(now).Add(days, unread[days]);
        }
    }

    private void Move(Place from, DueStep step, int age, int unreadDays, double share)
    {
        var form = from.Form.Bundled(step.BundleTo);
        var (deed, by) = superseded == age ? (NightDeed.StepsBack, lifecycle.OverBy(age, earlier: false)) : (NightDeed.Moves, step.Rule);
        Tell(deed, by, from, step.Tier, age, share, form == from.Form ? 0 : share * form.Count, Short(from, age));
        Add(from.Tier, AgeEvent.Early, age, share * Short(from, age));
        if (form == from.Form)
        {
            Add(step.Tier, AgeEvent.Moves, age, share * form.Count);
        }
        else
        {
            Add(from.Tier, AgeEvent.BundleReads, age, share * from.Form.Count);
            Add(step.Tier, AgeEvent.BundleWrites, age, share * form.Count);
        }
        At(new Place(step.Tier, age, form)).Add(unreadDays, share);
    }

    private void Rest(int age, double rate)
    {
        foreach (var (place, unread) in mixture)
        {
            var (tier, share) = (prices.Tiers[place.Tier], unread.Total);
            var objects = share * place.Form.Count;
            Add(place.Tier, AgeEvent.Objects, age, objects);
            Add(place.Tier, AgeEvent.BilledBytes, age, objects * tier.BilledBytes(place.Form.BytesPerObject));
            Add(place.Tier, AgeEvent.Bytes, age, share * lifecycle.Kind.BytesPerObject);
            if (superseded is null && lifecycle.Watches(place.Form.BytesPerObject))
                Add(place.Tier, AgeEvent.Watched, age, objects);
            Add(place.Tier, AgeEvent.Reads, age, share * rate * lifecycle.Kind.OriginalsPerObject);
            Add(place.Tier, AgeEvent.ReadBytes, age, share * rate * lifecycle.Kind.BytesPerObject);
        }
    }

    private void Read(int age, double chance)
    {
        foreach (var (place, unread) in mixture.Where(m => lifecycle.Watches(m.Key.Form.BytesPerObject)).ToList())
        {
            var share = unread.Take(chance);
            if (place.Tier <= landing || BackBy(place.Form.BytesPerObject) is not { } rule)
            {
                unread.Add(0, share);
                continue;
            }
            Tell(NightDeed.ComesBack, rule, place, landing, age, share, 0, Short(place, age));
            Add(place.Tier, AgeEvent.Early, age, share * Short(place, age));
            Add(landing, AgeEvent.Moves, age, share * place.Form.Count);
            At(place with { Tier = landing, Since = age }).Add(0, share);
        }
    }

    /// <summary>The rule that brings back what is read; null for none.</summary>
    private string? BackBy(long bytes)
    {
        foreach (var step in lifecycle.Current)
        {
            if (step.ByReading && step.BackOnRead && step.Scope.TakesSize(bytes))
                return step.Rule;
        }
        return null;
    }

    private void Tell(NightDeed deed, string? rule, Place from, int? to, int age, double share, double bundles, double early)
    {
        if (share == 0)
            return;
        if (!deeds.TryGetValue((deed, rule, from.Tier, to), out var told))
            deeds[(deed, rule, from.Tier, to)] = told = new ReadDeed(Ages);
        Add(told, from, age, share, early);
        told.Bundled[age - firstAge] += bundles > 0 ? share * from.Form.Count : 0;
        told.Bundles[age - firstAge] += bundles;
    }

    private void Ends(Place place, int age, double share)
    {
        var rule = superseded is { } on ? lifecycle.OverBy(age - on, earlier: true) : lifecycle.OverBy(age, earlier: false);
        if (!ends.TryGetValue((rule, place.Tier), out var told))
            ends[(rule, place.Tier)] = told = new ReadDeed(Ages);
        Add(told, place, age, share, Short(place, age));
    }

    private void Add(ReadDeed told, Place place, int age, double share, double early)
    {
        told.Objects[age - firstAge] += share * place.Form.Count;
        told.Bytes[age - firstAge] += share * lifecycle.Kind.BytesPerObject;
        told.Early[age - firstAge] += share * early;
    }

    private Unread At(Place place)
    {
        if (!mixture.TryGetValue(place, out var unread))
        {
            var longest = lifecycle.Current.Where(s => s.ByReading && s.Tier > place.Tier).Select(s => s.Age).DefaultIfEmpty(0).Max();
            mixture[place] = unread = new Unread(longest);
        }
        return unread;
    }

    private DueStep? ColdestDue(Place place, int unreadDays, int age)
    {
        DueStep? coldest = null;
        foreach (var step in superseded is null ? lifecycle.Current : lifecycle.Earlier)
        {
            var waited =
                superseded is { } on ? age - on
                : step.ByReading ? unreadDays
                : age;
            if (step.Tier > (coldest?.Tier ?? place.Tier) && waited >= step.Age && step.Scope.TakesSize(place.Form.BytesPerObject))
                coldest = step;
        }
        return coldest;
    }

    /// <summary>Billed byte-days short of the minimum stay, for each object that came, when it leaves its place at this age.</summary>
    private double Short(Place place, int age)
    {
        var tier = prices.Tiers[place.Tier];
        return tier.DaysShort(age - place.Since) * place.Form.Count * tier.BilledBytes(place.Form.BytesPerObject);
    }

    private void Add(int tier, AgeEvent what, int age, double amount)
    {
        if (amount == 0)
            return;
        var row = rows[(tier * Events) + (int)what] ??= new double[Ages];
        row[age - firstAge] += amount;
    }
}
