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
/// come back to the landing tier. All that arrived on one day is a mixture of histories, walked through once, age by age. What still matters
/// of a history is the tier and form, how long ago it came there, and how long nobody has read.
/// </summary>
internal sealed class ReadLife
{
    private static readonly int Events = Enum.GetValues<AgeEvent>().Length;

    private readonly Lifecycle lifecycle;
    private readonly PriceBook prices;
    private readonly int landing;
    private readonly int firstAge;
    private readonly double[]?[] rows;
    private readonly List<ReadShelf> shelves = [];
    private readonly List<(int Tier, Form Form, int Unread, double Share)> moved = [];
    private readonly List<(Form Form, double Share)> back = [];
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
            At(standing.Tier, new Form(lifecycle.Kind.BytesPerObject)).Put(firstAge - standing.Since, firstAge - standing.LastRead, share);
        var over = lifecycle.Versioned ? Math.Min(lifecycle.ExpireAt, parts[0].Standing.ReplacedAt) : Lifecycle.Never;
        for (var age = firstAge; age < firstAge + ages; age++)
        {
            foreach (var shelf in shelves)
                End(shelf, age);
            if (superseded is null && age >= over)
                superseded = age;
            Move(age);
            var rate = superseded is null ? ShareRead(reads, age) : 0;
            foreach (var shelf in shelves)
                Rest(shelf, age, rate);
            if (rate > 0)
                Read(age, 1 - Math.Exp(-rate));
            foreach (var shelf in shelves)
            {
                Add(shelf.Tier, AgeEvent.ObjectsAtNight, age, shelf.Total * shelf.Form.Count);
                Add(shelf.Tier, AgeEvent.BytesAtNight, age, shelf.Total * lifecycle.Kind.BytesPerObject);
                shelf.PassDay();
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

    /// <summary>What the day's steps move lies in its new place only when all of them have run: an object moves once a day.</summary>
    private void Move(int age)
    {
        moved.Clear();
        var over = superseded == age ? lifecycle.OverBy(age, earlier: false) : null;
        foreach (var shelf in shelves)
        {
            if (shelf.Total == 0)
                continue;
            var steps = superseded is null ? shelf.Rules.Current : shelf.Rules.Earlier;
            for (var days = shelf.LongestUnread; days >= 0; days--)
            {
                // Those who waited less are no nearer to a step than those who waited longer.
                var due = ColdestDue(steps, days, age);
                if (due < 0)
                    break;
                var (share, missing) = shelf.TakeUnread(days);
                if (share == 0)
                    continue;
                var step = steps[due];
                var form = shelf.Form.Bundled(step.BundleTo);
                moved.Add((step.Tier, form, days, share));
                Moved(shelf, step, form, age, share, missing, over);
            }
            if (superseded == age && shelf.Total is not 0.0 and var stays)
                Tell(NightDeed.StepsBack, over, shelf, null, age, stays, 0, 0);
        }
        foreach (var (tier, form, unread, share) in moved)
            At(tier, form).Put(0, unread, share);
    }

    private void Moved(ReadShelf from, DueStep step, Form form, int age, double share, double daysShort, string? over)
    {
        var (deed, by) = superseded == age ? (NightDeed.StepsBack, over) : (NightDeed.Moves, step.Rule);
        var bundles = form == from.Form ? 0 : share * form.Count;
        Tell(deed, by, from, step.Tier, age, share, bundles, daysShort);
        Add(from.Tier, AgeEvent.Early, age, daysShort * from.Billed);
        if (form == from.Form)
        {
            Add(step.Tier, AgeEvent.Moves, age, share * form.Count);
            return;
        }
        Add(from.Tier, AgeEvent.BundleReads, age, share * from.Form.Count);
        Add(step.Tier, AgeEvent.BundleWrites, age, bundles);
    }

    private void Rest(ReadShelf shelf, int age, double rate)
    {
        var share = shelf.Total;
        if (share == 0)
            return;
        var objects = share * shelf.Form.Count;
        Add(shelf.Tier, AgeEvent.Objects, age, objects);
        Add(shelf.Tier, AgeEvent.BilledBytes, age, share * shelf.Billed);
        Add(shelf.Tier, AgeEvent.Bytes, age, share * lifecycle.Kind.BytesPerObject);
        if (superseded is null && shelf.Rules.IsWatched)
            Add(shelf.Tier, AgeEvent.Watched, age, objects);
        Add(shelf.Tier, AgeEvent.Reads, age, share * rate * lifecycle.Kind.OriginalsPerObject);
        Add(shelf.Tier, AgeEvent.ReadBytes, age, share * rate * lifecycle.Kind.BytesPerObject);
    }

    private void Read(int age, double chance)
    {
        back.Clear();
        foreach (var shelf in shelves)
        {
            if (shelf.Total == 0 || !shelf.Rules.IsWatched)
                continue;
            if (shelf.Tier <= landing || shelf.Rules.BackBy is not { } rule)
            {
                shelf.Read(chance);
                continue;
            }
            var (share, missing) = shelf.Take(chance);
            Tell(NightDeed.ComesBack, rule, shelf, landing, age, share, 0, missing);
            Add(shelf.Tier, AgeEvent.Early, age, missing * shelf.Billed);
            Add(landing, AgeEvent.Moves, age, share * shelf.Form.Count);
            back.Add((shelf.Form, share));
        }
        foreach (var (form, share) in back)
            At(landing, form).Put(0, 0, share);
    }

    private void End(ReadShelf shelf, int age)
    {
        if (shelf.Total is not (not 0.0 and var share))
            return;
        var missing = shelf.DaysShort;
        Add(shelf.Tier, AgeEvent.EarlyIfGone, age, missing * shelf.Billed);
        var rule = superseded is { } on ? lifecycle.OverBy(age - on, earlier: true) : lifecycle.OverBy(age, earlier: false);
        if (!ends.TryGetValue((rule, shelf.Tier), out var told))
            ends[(rule, shelf.Tier)] = told = new ReadDeed(Ages);
        Add(told, shelf, age, share, missing);
    }

    private void Tell(NightDeed deed, string? rule, ReadShelf from, int? to, int age, double share, double bundles, double daysShort)
    {
        if (!deeds.TryGetValue((deed, rule, from.Tier, to), out var told))
            deeds[(deed, rule, from.Tier, to)] = told = new ReadDeed(Ages);
        Add(told, from, age, share, daysShort);
        told.Bundled[age - firstAge] += bundles > 0 ? share * from.Form.Count : 0;
        told.Bundles[age - firstAge] += bundles;
    }

    private void Add(ReadDeed told, ReadShelf shelf, int age, double share, double daysShort)
    {
        told.Objects[age - firstAge] += share * shelf.Form.Count;
        told.Bytes[age - firstAge] += share * lifecycle.Kind.BytesPerObject;
        told.Early[age - firstAge] += daysShort * shelf.Billed;
    }

    private ReadShelf At(int tier, Form form)
    {
        foreach (var shelf in shelves)
        {
            if (shelf.Tier == tier && shelf.Form == form)
                return shelf;
        }
        var billed = form.Count * prices.Tiers[tier].BilledBytes(form.BytesPerObject);
        shelves.Add(
            new ReadShelf(tier, form, billed, prices.Tiers[tier].MinimumStayDays, ShelfRules.Of(lifecycle, tier, form.BytesPerObject))
        );
        return shelves[^1];
    }

    /// <returns>Its place; -1 for none.</returns>
    private int ColdestDue(DueStep[] steps, int unreadDays, int age)
    {
        var coldest = -1;
        for (var i = 0; i < steps.Length; i++)
        {
            ref readonly var step = ref steps[i];
            var waited =
                superseded is { } on ? age - on
                : step.ByReading ? unreadDays
                : age;
            if (waited >= step.Age && (coldest < 0 || step.Tier > steps[coldest].Tier))
                coldest = i;
        }
        return coldest;
    }

    private void Add(int tier, AgeEvent what, int age, double amount)
    {
        if (amount == 0)
            return;
        var row = rows[(tier * Events) + (int)what] ??= new double[Ages];
        row[age - firstAge] += amount;
    }
}
