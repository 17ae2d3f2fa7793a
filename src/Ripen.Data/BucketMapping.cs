using System.Text.Json;
using Ripen.Core.Estates;
using static Ripen.Data.Mapping;

namespace Ripen.Data;

/// <summary>Between a bucket and its rows, both ways.</summary>
internal static class BucketMapping
{
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
                        LastRead = l.LastRead,
                        Originals = l.Originals,
                        SupersededOn = l.SupersededOn,
                        ReplacedOn = l.ReplacedOn,
                        RewriteEvery = l.RewriteEvery,
                        KeptUntil = l.KeptUntil,
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
        (row.Versioning, row.OwnKey, row.StatedOn) = (bucket.Versioning, bucket.OwnKey, today);
        (row.RegionId, row.SchemeId, row.TierId) = (bucket.Region, bucket.Scheme, bucket.Tier);
        row.Tenant = bucket.Tenant;
        row.UnfinishedUploadDays = bucket.UnfinishedUploadDays;
        (row.KeepDays, row.KeepUntil) = (bucket.Keep?.Days, bucket.Keep?.Until);
        row.Holds = bucket.Holds.Count == 0 ? null : JsonSerializer.Serialize(bucket.Holds, EstateDocument.Json);
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
                        ReplacedAfterDays = s.ReplacedAfterDays,
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
                        Tags = TagText.Write(r.Tags),
                        Earlier = r.Applies == VersionKind.Earlier,
                        SmallestBytes = r.SmallestBytes,
                        LargestBytes = r.LargestBytes,
                        BackOnRead = r.BackOnRead,
                        ExpireAt = r.ExpireAt,
                        KeepNewest = r.KeepNewest,
                        Steps =
                        [
                            .. r.Steps.Select(
                                (s, j) =>
                                    new StepRow
                                    {
                                        Position = j,
                                        Age = s.Age,
                                        TierId = s.Tier,
                                        ByReading = s.Clock == StepClock.Read,
                                        BundleTo = s.BundleTo,
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

    public static KeepRule? ToKeep(BucketRow b) =>
        b.KeepStrength is null
            ? null
            : new KeepRule
            {
                Days = b.KeepDays,
                Until = b.KeepUntil,
                Strength = Value<KeepStrength>(b.KeepStrength),
            };

    public static Bucket ToBucket(BucketRow b) =>
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
                        LastRead = l.LastRead,
                        Originals = l.Originals,
                        Earlier = l.SupersededOn is not null,
                        SupersededOn = l.SupersededOn,
                        ReplacedOn = l.ReplacedOn,
                        RewriteEvery = l.RewriteEvery,
                        KeptUntil = l.KeptUntil,
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
                        ReplacedAfterDays = s.ReplacedAfterDays,
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
                        Tags = TagText.Read(r.Tags),
                        Applies = r.Earlier ? VersionKind.Earlier : VersionKind.Current,
                        SmallestBytes = r.SmallestBytes,
                        LargestBytes = r.LargestBytes,
                        BackOnRead = r.BackOnRead,
                        ExpireAt = r.ExpireAt,
                        KeepNewest = r.KeepNewest,
                        Steps =
                        [
                            .. r
                                .Steps.OrderBy(s => s.Position)
                                .Select(s => new Step
                                {
                                    Age = s.Age,
                                    Tier = s.TierId,
                                    Clock = s.ByReading ? StepClock.Read : StepClock.Created,
                                    BundleTo = s.BundleTo,
                                }),
                        ],
                    }),
            ],
            Holds = b.Holds is null ? [] : JsonSerializer.Deserialize<Hold[]>(b.Holds, EstateDocument.Json)!,
            Versioning = b.Versioning,
            OwnKey = b.OwnKey,
            Tenant = b.Tenant,
            UnfinishedUploadDays = b.UnfinishedUploadDays,
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
}
