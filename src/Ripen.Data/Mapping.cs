using System.Text.Json;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Data;

/// <summary>Between an estate and its rows, both ways.</summary>
internal static class Mapping
{
    public static EstateRow ToRow(Estate estate) =>
        new()
        {
            Name = estate.Name,
            Today = estate.Today,
            Currency = estate.PriceBook.Currency,
            Unit = Name(estate.PriceBook.Unit),
            Month = Name(estate.PriceBook.Month),
            PriceChanges = ToText(estate.PriceBook.Changes),
            EarlierPrices = ToText(estate.PriceBook.Earlier),
            Agreements = ToText(estate.PriceBook.Agreements),
            Carriers = ToText(estate.Carriers),
            Arrays = ToText(estate.Arrays),
            RetentionPeriods = ToText(estate.RetentionPeriods),
            Offers = ToText(estate.Offers),
            Scenarios = ToText(estate.Scenarios),
        };

    /// <summary>A list that nothing asks for one of; null for an empty one.</summary>
    public static string? ToText<T>(IReadOnlyList<T> list) => list.Count == 0 ? null : JsonSerializer.Serialize(list, EstateDocument.Json);

    /// <summary>Null where nothing is agreed.</summary>
    public static string? ToText(Agreements agreed) => agreed.IsEmpty ? null : JsonSerializer.Serialize(agreed, EstateDocument.Json);

    public static IReadOnlyList<T> ToList<T>(string? text) =>
        text is null ? [] : JsonSerializer.Deserialize<T[]>(text, EstateDocument.Json)!;

    public static TierRow ToRow(Tier t, int position) =>
        new()
        {
            Id = t.Id,
            Position = position,
            Name = t.Name,
            MinimumStayDays = t.MinimumStayDays,
            MinimumObjectBytes = t.MinimumObjectBytes,
            OverheadBytes = t.OverheadBytes,
            IndexBytes = t.IndexBytes,
            WaitHours = t.WaitHours,
            LeastAgeCreated = t.LeastAge?.Created,
            LeastAgeRead = t.LeastAge?.Read,
        };

    public static SchemeRow ToRow(Scheme s, int position) =>
        new()
        {
            Id = s.Id,
            Position = position,
            Name = s.Name,
            Copies = s.Copies,
            Spread = Name(s.Spread),
            StorageFactor = s.StorageFactor,
            Layout = s is { Coded: null, Over: null, Hazards: null, DeviceClass: null }
                ? null
                : JsonSerializer.Serialize(new SchemeLayout(s.Coded, s.Over, s.Hazards, s.DeviceClass), EstateDocument.Json),
        };

    private sealed record SchemeLayout(Coding? Coded, Places? Over, Hazards? Hazards, string? DeviceClass = null);

    private static Scheme ToScheme(SchemeRow s)
    {
        var layout = s.Layout is null ? null : JsonSerializer.Deserialize<SchemeLayout>(s.Layout, EstateDocument.Json);
        return new Scheme
        {
            Id = s.Id,
            Name = s.Name,
            Copies = s.Copies,
            Spread = Value<Spread>(s.Spread),
            StorageFactor = s.StorageFactor,
            Coded = layout?.Coded,
            Over = layout?.Over,
            Hazards = layout?.Hazards,
            DeviceClass = layout?.DeviceClass,
        };
    }

    public static RegionRow ToRow(Region r, int position) =>
        new()
        {
            Id = r.Id,
            Position = position,
            Name = r.Name,
            Zones = r.Zones,
            OperatedBy = r.OperatedBy is { } own ? Name(own) : null,
            Devices = ToText(r.Devices),
            TransferOut = ToText(r.TransferOut),
            Prices =
            [
                .. r.Prices.Select(
                    (p, i) =>
                        new TierPriceRow
                        {
                            TierId = p.Tier,
                            Position = i,
                            Writes = p.Writes.PerThousand,
                            Reads = p.Reads.PerThousand,
                            MovesIn = p.MovesIn.PerThousand,
                            RecallRequests = p.RecallRequests.PerThousand,
                            Recall = p.Recall.PerUnit,
                            Watching = p.Watching.PerThousand,
                            RecallSpeeds = p.RecallSpeeds.Count > 0 ? JsonSerializer.Serialize(p.RecallSpeeds, EstateDocument.Json) : null,
                            Bands =
                            [
                                .. p.Storage.Select(
                                    (b, j) =>
                                        new BandRow
                                        {
                                            Position = j,
                                            UpTo = b.UpTo,
                                            Price = b.Price.PerUnit,
                                        }
                                ),
                            ],
                        }
                ),
            ],
        };

    public static TransferRow ToRow(Transfer t, int position) =>
        new()
        {
            FromRegionId = t.From,
            ToRegionId = t.To,
            Position = position,
            Price = t.Price.PerUnit,
            MegabitsPerSecond = t.MegabitsPerSecond,
            RoundTripMilliseconds = t.RoundTripMilliseconds,
        };

    public static PriceBook ToPriceBook(
        EstateRow estate,
        IEnumerable<TierRow> tiers,
        IEnumerable<SchemeRow> schemes,
        IEnumerable<RegionRow> regions,
        IEnumerable<TransferRow> transfers
    ) =>
        new()
        {
            Currency = estate.Currency,
            Unit = Value<SizeUnit>(estate.Unit),
            Month = Value<BillingMonth>(estate.Month),
            Tiers =
            [
                .. tiers.Select(t => new Tier
                {
                    Id = t.Id,
                    Name = t.Name,
                    MinimumStayDays = t.MinimumStayDays,
                    MinimumObjectBytes = t.MinimumObjectBytes,
                    OverheadBytes = t.OverheadBytes,
                    IndexBytes = t.IndexBytes,
                    WaitHours = t.WaitHours,
                    LeastAge = t.LeastAgeCreated is { } created ? new LeastAge { Created = created, Read = t.LeastAgeRead ?? 0 } : null,
                }),
            ],
            Schemes = [.. schemes.Select(ToScheme)],
            Regions =
            [
                .. regions.Select(r => new Region
                {
                    Id = r.Id,
                    Name = r.Name,
                    Zones = r.Zones,
                    OperatedBy = r.OperatedBy is { } own ? Value<Operator>(own) : null,
                    Devices = ToList<DeviceClass>(r.Devices),
                    TransferOut = ToList<StorageBand>(r.TransferOut),
                    Prices = [.. r.Prices.OrderBy(p => p.Position).Select(ToPrice)],
                }),
            ],
            Transfers =
            [
                .. transfers.Select(t => new Transfer
                {
                    From = t.FromRegionId,
                    To = t.ToRegionId,
                    Price = new(t.Price),
                    MegabitsPerSecond = t.MegabitsPerSecond,
                    RoundTripMilliseconds = t.RoundTripMilliseconds,
                }),
            ],
            Changes = ToList<PriceChange>(estate.PriceChanges),
            Earlier = ToList<EarlierPrices>(estate.EarlierPrices),
            Agreements = estate.Agreements is { } agreed ? JsonSerializer.Deserialize<Agreements>(agreed, EstateDocument.Json)! : new(),
        };

    private static TierPrice ToPrice(TierPriceRow p) =>
        new()
        {
            Tier = p.TierId,
            Writes = new(p.Writes),
            Reads = new(p.Reads),
            MovesIn = new(p.MovesIn),
            RecallRequests = new(p.RecallRequests),
            Recall = new(p.Recall),
            Watching = new(p.Watching),
            RecallSpeeds = p.RecallSpeeds is { } speeds
                ? JsonSerializer.Deserialize<IReadOnlyList<RecallSpeed>>(speeds, EstateDocument.Json)!
                : [],
            Storage = [.. p.Bands.OrderBy(b => b.Position).Select(b => new StorageBand { UpTo = b.UpTo, Price = new(b.Price) })],
        };

    public static string Name<T>(T value)
        where T : struct, Enum => JsonSerializer.SerializeToElement(value, EstateDocument.Json).GetString()!;

    public static T Value<T>(string name)
        where T : struct, Enum => JsonSerializer.SerializeToElement(name).Deserialize<T>(EstateDocument.Json);
}
