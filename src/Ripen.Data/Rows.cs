namespace Ripen.Data;

// One class for each table. Lists keep the order of the estate document in Position.

internal sealed class EstateRow
{
    /// <summary>There is one estate in a database.</summary>
    public const int TheOne = 1;

    public int Id { get; set; } = TheOne;
    public required string Name { get; set; }
    public required DateOnly Today { get; set; }
    public required string Currency { get; set; }
    public required string Unit { get; set; }
    public required string Month { get; set; }

    /// <summary>Amounts of the price book for days to come, as JSON; null for none.</summary>
    public string? PriceChanges { get; set; }

    /// <summary>Amounts that held earlier, as JSON; null for none.</summary>
    public string? EarlierPrices { get; set; }

    /// <summary>What is agreed beside the prices, as JSON; null for nothing.</summary>
    public string? Agreements { get; set; }

    /// <summary>Machines that carry, as JSON; null for none.</summary>
    public string? Carriers { get; set; }

    /// <summary>Local arrays, as JSON; null for none.</summary>
    public string? Arrays { get; set; }

    /// <summary>Retention periods, as JSON; null for none.</summary>
    public string? RetentionPeriods { get; set; }

    /// <summary>Price books beside the one in force, as JSON; null for none.</summary>
    public string? Offers { get; set; }

    /// <summary>What if, as JSON; null for none.</summary>
    public string? Scenarios { get; set; }

    /// <summary>Rises with every change to anything in the estate.</summary>
    public long Version { get; set; }

    /// <summary>The version in which the whole estate was replaced.</summary>
    public long ImportVersion { get; set; }

    /// <summary>Random, the database's for life: a provider's folder takes it on.</summary>
    public string Identity { get; set; } = "";

    /// <summary>Random, of this version.</summary>
    public string Mark { get; set; } = "";

    /// <summary>The newest version that a provider's folder is known to have taken up; 0 for none.</summary>
    public long AdoptedVersion { get; set; }
    public string AdoptedMark { get; set; } = "";

    /// <summary>How many steps of the demo's past were done; null when it is whole, or no demo.</summary>
    public int? DemoSteps { get; set; }
}

internal sealed class TierRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }
    public required string Name { get; set; }
    public required int MinimumStayDays { get; set; }
    public required long MinimumObjectBytes { get; set; }
    public required long OverheadBytes { get; set; }
    public required long IndexBytes { get; set; }
    public required double WaitHours { get; set; }
    public int? LeastAgeCreated { get; set; }
    public int? LeastAgeRead { get; set; }
}

internal sealed class SchemeRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }
    public required string Name { get; set; }
    public required int Copies { get; set; }
    public required string Spread { get; set; }
    public required double StorageFactor { get; set; }

    /// <summary>How fragments are cut, dealt and endangered, as JSON; null where the scheme leaves it all open.</summary>
    public string? Layout { get; set; }
}

internal sealed class RegionRow
{
    public required string Id { get; set; }
    public required int Position { get; set; }
    public required string Name { get; set; }
    public int? Zones { get; set; }
    public string? OperatedBy { get; set; }

    /// <summary>Devices by class, as JSON; null for none.</summary>
    public string? Devices { get; set; }

    /// <summary>Bands of what goes out, as JSON; null for none.</summary>
    public string? TransferOut { get; set; }
    public List<TierPriceRow> Prices { get; set; } = [];
}

internal sealed class TierPriceRow
{
    public string RegionId { get; set; } = "";
    public required string TierId { get; set; }
    public required int Position { get; set; }
    public required double Writes { get; set; }
    public required double Reads { get; set; }
    public required double MovesIn { get; set; }
    public required double RecallRequests { get; set; }
    public required double Recall { get; set; }
    public double Watching { get; set; }

    /// <summary>Other speeds, as JSON; null for none.</summary>
    public string? RecallSpeeds { get; set; }
    public List<BandRow> Bands { get; set; } = [];
}

internal sealed class BandRow
{
    public string RegionId { get; set; } = "";
    public string TierId { get; set; } = "";
    public required int Position { get; set; }
    public double? UpTo { get; set; }
    public required double Price { get; set; }
}

internal sealed class TransferRow
{
    public required string FromRegionId { get; set; }
    public required string ToRegionId { get; set; }
    public required int Position { get; set; }
    public required double Price { get; set; }
    public double? MegabitsPerSecond { get; set; }
    public double? RoundTripMilliseconds { get; set; }
}

internal sealed class BucketRow
{
    public required string Name { get; set; }
    public required int Position { get; set; }
    public required string RegionId { get; set; }
    public required string SchemeId { get; set; }
    public required string TierId { get; set; }
    public int? KeepDays { get; set; }
    public DateOnly? KeepUntil { get; set; }
    public string? KeepStrength { get; set; }
    public bool Versioning { get; set; }
    public bool OwnKey { get; set; }
    public string? Tenant { get; set; }
    public int? UnfinishedUploadDays { get; set; }

    /// <summary>Legal holds, as JSON; null for none.</summary>
    public string? Holds { get; set; }

    /// <summary>The day on which the streams' rates hold.</summary>
    public DateOnly StatedOn { get; set; }

    /// <summary>The version of the estate in which the lots here were put down, to be handed to the provider.</summary>
    public long StockVersion { get; set; }

    /// <summary>The version of the estate in which its liftable keep rule was last lifted; 0 for never.</summary>
    public long LiftVersion { get; set; }

    /// <summary>Rises with every change to the bucket; the concurrency token.</summary>
    public long Version { get; set; } = 1;
    public List<LotRow> Stock { get; set; } = [];
    public List<StreamRow> Streams { get; set; } = [];
    public List<ReadBandRow> Reads { get; set; } = [];
    public List<RuleRow> Rules { get; set; } = [];
    public List<CopyRow> Copies { get; set; } = [];
}

internal sealed class LotRow
{
    public long Id { get; set; }
    public required int Position { get; set; }
    public required string Prefix { get; set; }

    /// <summary>In the form of <see cref="Ripen.Core.Estates.TagText"/>.</summary>
    public string? Tags { get; set; }
    public required DateOnly Created { get; set; }
    public required string TierId { get; set; }
    public required DateOnly InTierSince { get; set; }
    public required long Objects { get; set; }
    public double? Fraction { get; set; }
    public required long BytesPerObject { get; set; }
    public DateOnly? LastRead { get; set; }
    public double? Originals { get; set; }

    /// <summary>Null for current versions.</summary>
    public DateOnly? SupersededOn { get; set; }
    public DateOnly? ReplacedOn { get; set; }
    public int? RewriteEvery { get; set; }
    public DateOnly? KeptUntil { get; set; }
}

internal sealed class StreamRow
{
    public long Id { get; set; }
    public required int Position { get; set; }
    public required string Prefix { get; set; }
    public string? Tags { get; set; }
    public required double ObjectsPerDay { get; set; }
    public required long BytesPerObject { get; set; }
    public required double YearlyGrowth { get; set; }
    public int? ReplacedAfterDays { get; set; }
}

internal sealed class ReadBandRow
{
    public long Id { get; set; }
    public required int FromAge { get; set; }
    public required double ShareOfObjectsPerDay { get; set; }
}

internal sealed class RuleRow
{
    public long Id { get; set; }
    public required int Position { get; set; }
    public required string RuleId { get; set; }
    public required string Prefix { get; set; }
    public string? Tags { get; set; }

    /// <summary>Whether it is for earlier versions.</summary>
    public bool Earlier { get; set; }
    public required long SmallestBytes { get; set; }
    public long? LargestBytes { get; set; }
    public bool BackOnRead { get; set; }
    public int? ExpireAt { get; set; }
    public int KeepNewest { get; set; }
    public List<StepRow> Steps { get; set; } = [];
}

internal sealed class StepRow
{
    public long Id { get; set; }
    public required int Position { get; set; }
    public required int Age { get; set; }
    public required string TierId { get; set; }

    /// <summary>Whether the age counts from the last reading.</summary>
    public bool ByReading { get; set; }
    public long? BundleTo { get; set; }
}

internal sealed class CopyRow
{
    public long Id { get; set; }
    public required int Position { get; set; }
    public required string ToBucket { get; set; }
    public required string Prefix { get; set; }
    public string? Tags { get; set; }
    public string? TierId { get; set; }
    public required bool CatchUp { get; set; }
    public required bool FollowDeletions { get; set; }
    public double? AllowedLagHours { get; set; }

    /// <summary>What waits to be copied, as JSON, until it is handed to the provider.</summary>
    public string? Waiting { get; set; }
}

internal sealed class ChangeRow
{
    public long Id { get; set; }
    public required DateTimeOffset At { get; set; }
    public required string Kind { get; set; }

    /// <summary>Who did it.</summary>
    public required string Actor { get; set; }

    /// <summary>Why, where a reason was asked for.</summary>
    public string? Reason { get; set; }
    public required string Subject { get; set; }

    /// <summary>The bucket or estate as a document, before and after; what a change log is read for.</summary>
    public string? Before { get; set; }
    public string? After { get; set; }

    /// <summary>The cost by year that was shown before it was applied, as JSON.</summary>
    public string? Shown { get; set; }
}
