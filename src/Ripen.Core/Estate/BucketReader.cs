namespace Ripen.Core.Estates;

/// <summary>Which properties a bucket has in the estate document, with its stock, rules, retention and copies: types, ranges, defaults.</summary>
internal static class BucketReader
{
    public static Bucket Bucket(ObjectReader o) =>
        new()
        {
            Name = o.Text("name"),
            Region = o.Id("region"),
            Scheme = o.Id("scheme"),
            Tenant = o.Has("tenant") ? o.Text("tenant") : null,
            Tier = o.Id("tier"),
            Stock = o.List("stock", Lot),
            Streams = o.List("streams", Stream),
            Reads = o.List(
                "reads",
                r => new ReadBand { FromAge = r.Days("fromAge"), ShareOfObjectsPerDay = r.Number("shareOfObjectsPerDay") }
            ),
            Rules = o.List("rules", Rule),
            Keep = o.Object("keep", Keep, optional: true),
            Holds = o.List("holds", Hold),
            Versioning = o.Flag("versioning"),
            OwnKey = o.Flag("ownKey"),
            CopyTo = o.List("copyTo", Copy),
            UnfinishedUploadDays = o.Optional("unfinishedUploadDays", n => o.Days(n, 1)),
        };

    public static CopyOrder CopyOrder(ObjectReader o) =>
        new()
        {
            Source = o.Text("source"),
            Rule = o.Object("rule", Copy) ?? new CopyRule { Bucket = "" },
            NewBucket = o.Object("newBucket", Bucket, optional: true),
            SwitchVersioningOn = o.Flag("switchVersioningOn"),
        };

    private static CopyRule Copy(ObjectReader o) =>
        new()
        {
            Bucket = o.Text("bucket"),
            Prefix = o.Text("prefix", ""),
            Tags = o.Tags("tags"),
            Tier = o.Has("tier") ? o.Id("tier") : null,
            CatchUp = o.Flag("catchUp"),
            FollowDeletions = o.Flag("followDeletions"),
            AllowedLagHours = o.Optional("allowedLagHours", n => o.Number(n, 0, Limits.Hours, above: true)),
            Waiting = o.List("waiting", Waiting),
        };

    private static WaitingLot Waiting(ObjectReader o)
    {
        var created = o.Date("created");
        return new WaitingLot
        {
            Prefix = o.Text("prefix", ""),
            Created = created,
            Since = o.Date("since", created),
            Objects = o.Whole("objects"),
            Fraction = o.Optional("fraction", n => o.Number(n, most: Limits.Below1)),
            BytesPerObject = o.Whole("bytesPerObject"),
        };
    }

    private static Lot Lot(ObjectReader o)
    {
        var created = o.Date("created");
        return new Lot
        {
            Prefix = o.Text("prefix", ""),
            Tags = o.Tags("tags"),
            Created = created,
            Tier = o.Id("tier"),
            InTierSince = o.Date("inTierSince", created),
            Objects = o.Whole("objects"),
            Fraction = o.Optional("fraction", n => o.Number(n, most: Limits.Below1)),
            BytesPerObject = o.Whole("bytesPerObject"),
            LastRead = o.Optional("lastRead", n => o.Date(n)),
            Originals = o.Optional("originals", n => o.Number(n)),
            Earlier = o.Flag("earlier"),
            SupersededOn = o.Optional("supersededOn", n => o.Date(n)),
            ReplacedOn = o.Optional("replacedOn", n => o.Date(n)),
            RewriteEvery = o.Optional("rewriteEvery", n => o.Days(n, least: 1)),
            KeptUntil = o.Optional("keptUntil", n => o.Date(n)),
        };
    }

    private static ObjectStream Stream(ObjectReader o) =>
        new()
        {
            Prefix = o.Text("prefix", ""),
            Tags = o.Tags("tags"),
            ObjectsPerDay = o.Number("objectsPerDay"),
            BytesPerObject = o.Whole("bytesPerObject"),
            YearlyGrowth = o.Number("yearlyGrowth", -1, Limits.YearlyGrowth, fallback: 0, above: true),
            ReplacedAfterDays = o.Optional("replacedAfterDays", n => o.Days(n, least: 1)),
        };

    public static IReadOnlyList<Step> Steps(ObjectReader o) =>
        o.List(
            "steps",
            s => new Step
            {
                Age = s.Days("age"),
                Tier = s.Id("tier"),
                Clock = s.Has("clock") ? s.Choice("clock", ("created", StepClock.Created), ("read", StepClock.Read)) : default,
                BundleTo = s.Optional("bundleTo", n => s.Whole(n, 1)),
            }
        );

    private static LifecycleRule Rule(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Prefix = o.Text("prefix", ""),
            Tags = o.Tags("tags"),
            Applies = o.Has("applies") ? o.Choice("applies", ("current", VersionKind.Current), ("earlier", VersionKind.Earlier)) : default,
            SmallestBytes = o.Whole("smallestBytes", fallback: 0),
            LargestBytes = o.Optional("largestBytes", n => o.Whole(n)),
            Steps = Steps(o),
            BackOnRead = o.Flag("backOnRead"),
            ExpireAt = o.Optional("expireAt", n => o.Days(n, least: 1)),
            KeepNewest = o.Has("keepNewest") ? (int)o.Whole("keepNewest", 0, 1_000_000) : 0,
        };

    public static Hold Hold(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Prefix = o.Text("prefix", ""),
            Tags = o.Tags("tags"),
            Reason = o.Text("reason"),
            Placed = o.Date("placed"),
            PlacedBy = o.Has("placedBy") ? o.Text("placedBy") : null,
            Released = o.Optional("released", n => o.Date(n)),
            ReleasedBy = o.Has("releasedBy") ? o.Text("releasedBy") : null,
            ReleasedBecause = o.Has("releasedBecause") ? o.Text("releasedBecause") : null,
        };

    public static KeepRule Keep(ObjectReader o) =>
        new()
        {
            Days = o.Optional("days", n => o.Days(n)),
            Until = o.Optional("until", n => o.Date(n)),
            Strength = o.Choice("strength", ("sealed", KeepStrength.Sealed), ("liftable", KeepStrength.Liftable)),
        };
}
