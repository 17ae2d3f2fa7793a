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
        };

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
            Layout = s is { Coded: null, Over: null, Hazards: null }
                ? null
                : JsonSerializer.Serialize(new SchemeLayout(s.Coded, s.Over, s.Hazards), EstateDocument.Json),
        };

    private sealed record SchemeLayout(Coding? Coded, Places? Over, Hazards? Hazards);

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
        };
    }

    public static RegionRow ToRow(Region r, int position) =>
        new()
        {
            Id = r.Id,
            Position = position,
            Name = r.Name,
            Zones = r.Zones,
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

    /// <param name="bucket">A new bucket; its lots are to be handed to the provider.</param>
    /// <param name="position">Its place in the estate.</param>
    /// <param name="today">The day on which its streams' rates hold.</param>
    /// <param name="version">The version of the estate that brings it.</param>
    public static BucketRow ToRow(Bucket bucket, int position, DateOnly today, long version)
    {
        var row = Fill(
            new BucketRow
            {
                Name = bucket.Name,
                Position = position,
                RegionId = bucket.Region,
                SchemeId = bucket.Scheme,
                TierId = bucket.Tier,
            },
            bucket,
            today
        );
        row.StockVersion = version;
        row.Stock =
        [
            .. bucket.Stock.Select(
                (l, i) =>
                    new LotRow
                    {
                        Position = i,
                        Prefix = l.Prefix,
                        Tags = TagText.Write(l.Tags),
                        Created = l.Created,
                        TierId = l.Tier,
                        InTierSince = l.InTierSince,
                        Objects = l.Objects,
                        Fraction = l.Fraction,
                        BytesPerObject = l.BytesPerObject,
                    }
            ),
        ];
        foreach (var (copy, rule) in row.Copies.Zip(bucket.CopyTo))
            copy.Waiting = rule.Waiting.Count == 0 ? null : JsonSerializer.Serialize(rule.Waiting, EstateDocument.Json);
        return row;
    }

    /// <summary>Writes everything but name, position, stock and waiting copies of <paramref name="bucket"/> into the row; its former parts
    /// are replaced.</summary>
    public static BucketRow Fill(BucketRow row, Bucket bucket, DateOnly today)
    {
        (row.Versioning, row.StatedOn) = (bucket.Versioning, today);
        (row.RegionId, row.SchemeId, row.TierId) = (bucket.Region, bucket.Scheme, bucket.Tier);
        (row.KeepDays, row.KeepUntil) = (bucket.Keep?.Days, bucket.Keep?.Until);
        row.KeepStrength = bucket.Keep is { } keep ? Name(keep.Strength) : null;
        row.Streams =
        [
            .. bucket.Streams.Select(
                (s, i) =>
                    new StreamRow
                    {
                        Position = i,
                        Prefix = s.Prefix,
                        Tags = TagText.Write(s.Tags),
                        ObjectsPerDay = s.ObjectsPerDay,
                        BytesPerObject = s.BytesPerObject,
                        YearlyGrowth = s.YearlyGrowth,
                    }
            ),
        ];
        row.Reads = [.. bucket.Reads.Select(r => new ReadBandRow { FromAge = r.FromAge, ShareOfObjectsPerDay = r.ShareOfObjectsPerDay })];
        row.Rules =
        [
            .. bucket.Rules.Select(
                (r, i) =>
                    new RuleRow
                    {
                        Position = i,
                        RuleId = r.Id,
                        Prefix = r.Prefix,
                        SmallestBytes = r.SmallestBytes,
                        ExpireAt = r.ExpireAt,
                        Steps =
                        [
                            .. r.Steps.Select(
                                (s, j) =>
                                    new StepRow
                                    {
                                        Position = j,
                                        Age = s.Age,
                                        TierId = s.Tier,
                                    }
                            ),
                        ],
                    }
            ),
        ];
        row.Copies =
        [
            .. bucket.CopyTo.Select(
                (c, i) =>
                    new CopyRow
                    {
                        Position = i,
                        ToBucket = c.Bucket,
                        Prefix = c.Prefix,
                        Tags = TagText.Write(c.Tags),
                        TierId = c.Tier,
                        CatchUp = c.CatchUp,
                        FollowDeletions = c.FollowDeletions,
                        AllowedLagHours = c.AllowedLagHours,
                    }
            ),
        ];
        return row;
    }

    public static Estate ToEstate(
        EstateRow estate,
        IEnumerable<TierRow> tiers,
        IEnumerable<SchemeRow> schemes,
        IEnumerable<RegionRow> regions,
        IEnumerable<TransferRow> transfers,
        IEnumerable<BucketRow> buckets
    ) =>
        new()
        {
            Name = estate.Name,
            Today = estate.Today,
            PriceBook = new PriceBook
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
            },
            Buckets = [.. buckets.Select(ToBucket)],
        };

    public static KeepRule? ToKeep(BucketRow b) =>
        b.KeepStrength is null
            ? null
            : new KeepRule
            {
                Days = b.KeepDays,
                Until = b.KeepUntil,
                Strength = Value<KeepStrength>(b.KeepStrength),
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
            Storage = [.. p.Bands.OrderBy(b => b.Position).Select(b => new StorageBand { UpTo = b.UpTo, Price = new(b.Price) })],
        };

    private static Bucket ToBucket(BucketRow b) =>
        new()
        {
            Name = b.Name,
            Region = b.RegionId,
            Scheme = b.SchemeId,
            Tier = b.TierId,
            Stock =
            [
                .. b
                    .Stock.OrderBy(l => l.Position)
                    .Select(l => new Lot
                    {
                        Prefix = l.Prefix,
                        Tags = TagText.Read(l.Tags),
                        Created = l.Created,
                        Tier = l.TierId,
                        InTierSince = l.InTierSince,
                        Objects = l.Objects,
                        Fraction = l.Fraction,
                        BytesPerObject = l.BytesPerObject,
                    }),
            ],
            Streams =
            [
                .. b
                    .Streams.OrderBy(s => s.Position)
                    .Select(s => new ObjectStream
                    {
                        Prefix = s.Prefix,
                        Tags = TagText.Read(s.Tags),
                        ObjectsPerDay = s.ObjectsPerDay,
                        BytesPerObject = s.BytesPerObject,
                        YearlyGrowth = s.YearlyGrowth,
                    }),
            ],
            Reads =
            [
                .. b
                    .Reads.OrderBy(r => r.FromAge)
                    .Select(r => new ReadBand { FromAge = r.FromAge, ShareOfObjectsPerDay = r.ShareOfObjectsPerDay }),
            ],
            Rules =
            [
                .. b
                    .Rules.OrderBy(r => r.Position)
                    .Select(r => new LifecycleRule
                    {
                        Id = r.RuleId,
                        Prefix = r.Prefix,
                        SmallestBytes = r.SmallestBytes,
                        ExpireAt = r.ExpireAt,
                        Steps = [.. r.Steps.OrderBy(s => s.Position).Select(s => new Step { Age = s.Age, Tier = s.TierId })],
                    }),
            ],
            Versioning = b.Versioning,
            Keep = ToKeep(b),
            CopyTo =
            [
                .. b
                    .Copies.OrderBy(c => c.Position)
                    .Select(c => new CopyRule
                    {
                        Bucket = c.ToBucket,
                        Prefix = c.Prefix,
                        Tags = TagText.Read(c.Tags),
                        Tier = c.TierId,
                        CatchUp = c.CatchUp,
                        FollowDeletions = c.FollowDeletions,
                        AllowedLagHours = c.AllowedLagHours,
                        Waiting = c.Waiting is null ? [] : JsonSerializer.Deserialize<WaitingLot[]>(c.Waiting, EstateDocument.Json)!,
                    }),
            ],
        };

    private static string Name<T>(T value)
        where T : struct, Enum => JsonSerializer.SerializeToElement(value, EstateDocument.Json).GetString()!;

    private static T Value<T>(string name)
        where T : struct, Enum => JsonSerializer.SerializeToElement(name).Deserialize<T>(EstateDocument.Json);
}
