using System.Text.Json.Serialization;

namespace Ripen.Core.Pricing;

/// <summary>What storage costs: access tiers (warm to cold), redundancy schemes, regions with their prices, transfers.</summary>
public sealed record PriceBook
{
    /// <summary>ISO 4217 code of the currency of every price.</summary>
    public required string Currency { get; init; }
    public required SizeUnit Unit { get; init; }
    public required BillingMonth Month { get; init; }

    /// <summary>From warm to cold: a tier's place in the list is its coldness.</summary>
    public required IReadOnlyList<Tier> Tiers { get; init; }
    public required IReadOnlyList<Scheme> Schemes { get; init; }
    public required IReadOnlyList<Region> Regions { get; init; }
    public IReadOnlyList<Transfer> Transfers { get; init; } = [];

    /// <summary>What is agreed beside these prices.</summary>
    public Agreements Agreements { get; init; } = new();

    /// <summary>What takes the place of these amounts on days to come, in their order.</summary>
    public IReadOnlyList<PriceChange> Changes { get; init; } = [];

    /// <summary>What these amounts took the place of, in the order of its last days.</summary>
    public IReadOnlyList<EarlierPrices> Earlier { get; init; } = [];

    /// <summary>The same as it stands on a later day: changes that have begun by then hold.</summary>
    public PriceBook On(DateOnly day)
    {
        var book = this;
        foreach (var change in Changes.Where(c => c.From <= day))
            book = book.With(change) with { Earlier = [.. book.Earlier, book.Before(change)] };
        return ReferenceEquals(book, this) ? this : book with { Changes = [.. Changes.Where(c => c.From > day)] };
    }

    /// <summary>The same with the amounts of a day, to come or gone.</summary>
    public PriceBook AmountsOn(DateOnly day)
    {
        var book = this;
        foreach (var change in Changes.Where(c => c.From <= day))
            book = book.With(change);
        foreach (var earlier in Earlier.Reverse().TakeWhile(e => e.Until > day))
            book = book.With(earlier);
        return book;
    }

    /// <summary>The same with nothing agreed beside its prices, and nothing paid for devices.</summary>
    public PriceBook ListPrices() =>
        this with
        {
            Agreements = new(),
            Regions =
            [
                .. Regions.Select(r =>
                    r.Devices.Any(d => d.MonthlyAmount > 0) ? r with { Devices = [.. r.Devices.Select(d => d with { Price = 0 })] } : r
                ),
            ],
        };

    /// <summary>The same with these amounts in the place of its own.</summary>
    public PriceBook With(PriceList list) =>
        this with
        {
            Regions = [.. Regions.Select(r => list.Regions.FirstOrDefault(o => o.Id == r.Id) is { } other ? r.With(other) : r)],
            Transfers =
            [
                .. Transfers.Select(t =>
                    list.Transfers.FirstOrDefault(o => o.From == t.From && o.To == t.To) is { } other ? t with { Price = other.Price } : t
                ),
            ],
        };

    /// <summary>Whether the same bytes and requests are counted under the other one: tiers ask for the same, months and lines are as long, and
    /// only amounts of money may differ.</summary>
    public bool CountsAs(PriceBook other) =>
        Unit == other.Unit
        && Month == other.Month
        && Tiers.SequenceEqual(other.Tiers)
        && Transfers.Select(t => t with { Price = default }).SequenceEqual(other.Transfers.Select(t => t with { Price = default }));

    /// <summary>The amounts that a change takes the place of.</summary>
    private EarlierPrices Before(PriceChange change) =>
        new()
        {
            Until = change.From,
            Regions = [.. change.Regions.Select(c => FindRegion(c.Id)!.Of(c))],
            Transfers = [.. change.Transfers.Select(c => c with { Price = TransferPrice(c.From, c.To) })],
        };

    /// <summary>The tier's place from warm (0) to cold, or -1 when there is none of that id.</summary>
    public int Coldness(string tier)
    {
        for (var i = 0; i < Tiers.Count; i++)
        {
            if (Tiers[i].Id == tier)
                return i;
        }
        return -1;
    }

    public Region? FindRegion(string id) => Regions.FirstOrDefault(r => r.Id == id);

    /// <summary>For people; the id of a region that is not listed.</summary>
    public string RegionName(string id) => FindRegion(id)?.Name ?? id;

    public Scheme? FindScheme(string id) => Schemes.FirstOrDefault(s => s.Id == id);

    /// <summary>Every speed of a recall beside the ordinary one that is offered somewhere, once.</summary>
    public IEnumerable<RecallSpeed> RecallSpeeds() =>
        Regions.SelectMany(r => r.Prices).SelectMany(p => p.RecallSpeeds).DistinctBy(s => s.Id);

    /// <summary>The price of a transfer between two regions; free where none is listed.</summary>
    public UnitPrice TransferPrice(string from, string to) => FindTransfer(from, to)?.Price ?? default;

    /// <summary>The line from one region to another as the price book states it; null where it states none: free, at once and without a
    /// limit.</summary>
    public Transfer? FindTransfer(string from, string to) => Transfers.FirstOrDefault(t => t.From == from && t.To == to);

    /// <summary>The same with this line in the place of the one between its regions, or as one more.</summary>
    public PriceBook With(Transfer line) =>
        this with
        {
            Transfers = FindTransfer(line.From, line.To) is { } old
                ? [.. Transfers.Select(t => t == old ? line : t)]
                : [.. Transfers, line],
        };
}

/// <summary>A way to keep objects. Sizes are whole bytes per object.</summary>
public sealed record Tier
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>Days for which the tier charges even when an object leaves earlier; 0 for none.</summary>
    public required int MinimumStayDays { get; init; }

    /// <summary>Smaller objects are billed as this many bytes.</summary>
    public required long MinimumObjectBytes { get; init; }

    /// <summary>Bytes billed in this tier in addition to each object.</summary>
    public required long OverheadBytes { get; init; }

    /// <summary>Bytes billed for each object in the bucket's landing tier, so that it can be listed.</summary>
    public required long IndexBytes { get; init; }

    /// <summary>Hours before the first byte of a recall.</summary>
    public required double WaitHours { get; init; }

    /// <summary>The ages before which no step may go into the tier; null where any age will do.</summary>
    public LeastAge? LeastAge { get; init; }

    /// <summary>Days of the minimum stay that are missing, and charged, when objects leave after so many days in the tier; 0 when they
    /// stayed long enough.</summary>
    public int DaysShort(int stayedDays) => Math.Max(0, MinimumStayDays - stayedDays);

    /// <summary>Bytes that this tier bills for one object of <paramref name="bytesPerObject"/> bytes, without the index.</summary>
    public double BilledBytes(long bytesPerObject) => (double)Math.Max(bytesPerObject, MinimumObjectBytes) + OverheadBytes;
}

/// <summary>Ages in days, by each clock, before which a step into a tier is refused.</summary>
public sealed record LeastAge
{
    public int Created { get; init; }
    public int Read { get; init; }
}

/// <summary>How far apart the copies of a scheme lie.</summary>
public enum Spread
{
    Device,
    Rack,
    Zone,
    Region,
}

/// <summary>A redundancy scheme, as priced: <see cref="StorageFactor"/> multiplies every storage price.</summary>
public sealed record Scheme
{
    public required string Id { get; init; }
    public required string Name { get; init; }
    public required int Copies { get; init; }
    public required Spread Spread { get; init; }
    public required double StorageFactor { get; init; }

    /// <summary>How an object is cut when it is coded instead of copied; null for copies. A coded scheme has one copy.</summary>
    public Coding? Coded { get; init; }

    /// <summary>Over how many places the fragments are dealt; null for one place of the spread for each fragment.</summary>
    public Places? Over { get; init; }

    /// <summary>On which class of a region's own devices fragments lie; null for the region's only one.</summary>
    public string? DeviceClass { get; init; }

    /// <summary>What can go wrong, and how often; null for <see cref="Pricing.Hazards.Usual"/>.</summary>
    public Hazards? Hazards { get; init; }
}

/// <summary>An erasure code: <see cref="Data"/> + <see cref="Parity"/> fragments, any <see cref="Data"/> of which give the object
/// back.</summary>
public sealed record Coding
{
    public required int Data { get; init; }
    public required int Parity { get; init; }
}

/// <summary>Regions, zones in each of them, and racks in each zone; all at least 1.</summary>
public sealed record Places
{
    public int Regions { get; init; } = 1;
    public int Zones { get; init; } = 1;
    public int Racks { get; init; } = 1;
}

/// <summary>How often parts fail and for how long. Rates are per year, durations in hours.</summary>
public sealed record Hazards
{
    /// <summary>Orders of magnitude that are common practice (from memory, no published source); a price book should state its
    /// own.</summary>
    public static readonly Hazards Usual = new();

    /// <summary>The share of devices that fail in a year (AFR): above 0, below 1.</summary>
    public double DeviceFailuresPerYear { get; init; } = 0.015;

    /// <summary>Mean hours until a lost fragment is whole again elsewhere; above 0.</summary>
    public double RepairHours { get; init; } = 24;

    /// <summary>Whether lost fragments are repaired one after another instead of all at once.</summary>
    public bool OneRepairAtATime { get; init; }
    public double ZoneOutagesPerYear { get; init; } = 0.5;
    public double ZoneOutageHours { get; init; } = 4;
    public double RegionOutagesPerYear { get; init; } = 0.1;
    public double RegionOutageHours { get; init; } = 6;

    /// <summary>How often a year a whole zone is destroyed, with all that lies in it: a fire, a flood. At least 0.</summary>
    public double ZonesDestroyedPerYear { get; init; } = 1e-4;

    /// <summary>How often a year a whole region is destroyed. At least 0.</summary>
    public double RegionsDestroyedPerYear { get; init; } = 1e-5;
}

/// <summary>Who runs a place: a provider, or the organisation itself.</summary>
public enum Operator
{
    Provider,
    Own,
}

/// <summary>A place far from the others, with one price entry for each tier offered there.</summary>
public sealed record Region
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>Separate buildings in it, at least 1; null when the price book does not say.</summary>
    public int? Zones { get; init; }

    /// <summary>Who runs it, wherever it stands; null when the price book does not say: a provider.</summary>
    public Operator? OperatedBy { get; init; }
    public required IReadOnlyList<TierPrice> Prices { get; init; }

    /// <summary>In a place of one's own: what there is to lie on, by class. Empty where that is somebody else's care.</summary>
    public IReadOnlyList<DeviceClass> Devices { get; init; } = [];

    /// <summary>Graduated bands per unit that leaves for no other region; empty where the price book does not say.</summary>
    public IReadOnlyList<StorageBand> TransferOut { get; init; } = [];

    public TierPrice? PriceOf(string tier) => Prices.FirstOrDefault(p => p.Tier == tier);

    /// <summary>The same with these amounts in the place of its own.</summary>
    public Region With(RegionPrices other) =>
        this with
        {
            Prices = [.. Prices.Select(p => other.Prices.FirstOrDefault(o => o.Tier == p.Tier) ?? p)],
            TransferOut = other.TransferOut.Count > 0 ? other.TransferOut : TransferOut,
        };

    /// <summary>Its own amounts for what the other names.</summary>
    public RegionPrices Of(RegionPrices other) =>
        new()
        {
            Id = Id,
            Prices = [.. other.Prices.Select(p => PriceOf(p.Tier)!)],
            TransferOut = other.TransferOut.Count > 0 ? TransferOut : [],
        };
}

/// <summary>Devices that are alike.</summary>
public sealed record DeviceClass
{
    /// <summary>Of the class: disk, flash, whatever one calls them.</summary>
    public required string Id { get; init; }

    /// <summary>How many there are, at least 1.</summary>
    public required int Count { get; init; }

    /// <summary>What one of them holds, raw.</summary>
    public required long BytesEach { get; init; }

    /// <summary>Money for one of them, with what it stands in.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public double Price { get; init; }

    /// <summary>Months for which one serves until another takes its place, at least 1; 0 where no price is known.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public int LifeMonths { get; init; }

    [JsonIgnore]
    public double RawBytes => (double)Count * BytesEach;

    /// <summary>Money of all of them, spread evenly over their life (straight-line depreciation, common practice).</summary>
    [JsonIgnore]
    public double MonthlyAmount => LifeMonths > 0 ? Count * Price / LifeMonths : 0;
}

/// <summary>What one tier costs in one region.</summary>
public sealed record TierPrice
{
    public required string Tier { get; init; }

    /// <summary>Graduated bands per unit-month; limits rise, the last has none.</summary>
    public required IReadOnlyList<StorageBand> Storage { get; init; }
    public required PricePerThousand Writes { get; init; }
    public required PricePerThousand Reads { get; init; }
    public required PricePerThousand MovesIn { get; init; }
    public required PricePerThousand RecallRequests { get; init; }
    public required UnitPrice Recall { get; init; }

    /// <summary>For objects watched for reading, a month.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public PricePerThousand Watching { get; init; }

    /// <summary>Other speeds of a recall than the ordinary one, which is the tier's wait and the prices above: for restores and recalls by
    /// hand.</summary>
    public IReadOnlyList<RecallSpeed> RecallSpeeds { get; init; } = [];

    /// <summary>Money for so many unit-months through the graduated bands, before any scheme's factor.</summary>
    public double StorageCost(double quantity) => StorageBand.Cost(Storage, quantity);
}

/// <summary>How long the first byte of a recall takes when it is asked for so, and what that costs.</summary>
public sealed record RecallSpeed
{
    public required string Id { get; init; }
    public required string Name { get; init; }
    public required double WaitHours { get; init; }
    public required UnitPrice Recall { get; init; }
    public required PricePerThousand RecallRequests { get; init; }
}

/// <summary>A price that holds for unit-months up to <see cref="UpTo"/>, or for all the rest when that is null.</summary>
public sealed record StorageBand
{
    public double? UpTo { get; init; }
    public required UnitPrice Price { get; init; }

    /// <summary>Money for <paramref name="units"/> through graduated bands.</summary>
    public static double Cost(IReadOnlyList<StorageBand> bands, double units)
    {
        var cost = 0.0;
        var from = 0.0;
        for (var i = 0; i < bands.Count; i++)
        {
            var band = bands[i];
            var to = band.UpTo ?? double.PositiveInfinity;
            if (units <= to)
                return cost + band.Price.For(units - from);
            cost += band.Price.For(to - from);
            from = to;
        }
        return cost;
    }
}

/// <summary>The line from one region to another: what it carries, how fast, and the price per unit carried.</summary>
public sealed record Transfer
{
    public required string From { get; init; }
    public required string To { get; init; }
    public required UnitPrice Price { get; init; }

    /// <summary>Bandwidth in 10^6 bits a second, above 0; null for no limit.</summary>
    public double? MegabitsPerSecond { get; init; }

    /// <summary>Latency there and back, at least 0; null for none.</summary>
    public double? RoundTripMilliseconds { get; init; }

    /// <summary>Bytes a second; infinite without a limit.</summary>
    [JsonIgnore]
    public double BytesPerSecond => MegabitsPerSecond * 1e6 / 8 ?? double.PositiveInfinity;
}
