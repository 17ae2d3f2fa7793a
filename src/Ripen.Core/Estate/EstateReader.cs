using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Estates;

/// <summary>Which properties the estate document has, their types, ranges and defaults.</summary>
internal static class EstateReader
{
    public static Estate Estate(ObjectReader o, Findings findings)
    {
        var version = o.Whole("ripen", 0);
        findings.Require(
            version == EstateDocument.Version,
            "unknown-version",
            o.At("ripen"),
            $"This program reads version {EstateDocument.Version} of the document; write \"ripen\": {EstateDocument.Version}."
        );
        var name = o.Text("name");
        var today = o.Date("today");
        findings.Require(
            today.Year is >= 1900 and <= 8000,
            "date-out-of-range",
            o.At("today"),
            "'today' must lie between 1900-01-01 and 8000-12-31."
        );
        return new Estate
        {
            Name = name,
            Today = today,
            PriceBook = o.Object("priceBook", PriceBook) ?? Nothing,
            Buckets = o.List("buckets", BucketReader.Bucket),
            Workloads = o.List("workloads", Workload),
            Targets = o.List("targets", Target),
            Plans = o.List("plans", PlanReader.Plan),
            Carriers = o.List("carriers", PlanReader.Carrier),
            RetentionPeriods = o.List("retentionPeriods", PlanReader.Period),
            Arrays = o.List("arrays", ArrayReader.Array),
            Offers = o.List("offers", Offer),
            Scenarios = o.List("scenarios", ScenarioReader.Scenario),
        };
    }

    public static Workload Workload(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Bytes = o.Number("bytes", most: Limits.Whole),
            YearlyGrowth = o.Number("yearlyGrowth", -1, fallback: 0, above: true),
            Changing = o.Number("changing", most: 1, fallback: 1),
            DailyChange = o.Number("dailyChange", most: 1, fallback: 0),
            Unique = o.Number("unique", most: 1, fallback: 1, above: true),
            Compression = o.Number("compression", most: 1, fallback: 1, above: true),
            EncryptedAtSource = o.Flag("encryptedAtSource"),
            Source = o.Object("source", Source, optional: true),
            Region = o.Id("region"),
            RpoHours = o.Optional("rpoHours", n => o.Number(n, 0, Limits.Hours, above: true)),
            RtoHours = o.Optional("rtoHours", n => o.Number(n, 0, Limits.Hours, above: true)),
        };

    private static WorkloadSource Source(ObjectReader o) =>
        new()
        {
            Folder = o.Has("folder") ? o.Text("folder") : null,
            Bucket = o.Has("bucket") ? o.Text("bucket") : null,
            Prefix = o.Has("prefix") ? o.Text("prefix") : null,
            Before = o.Has("before") ? o.Text("before") : null,
            After = o.Has("after") ? o.Text("after") : null,
        };

    public static BackupTarget Target(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Kind = o.Choice(
                "kind",
                ("bucket", TargetKind.Bucket),
                ("directory", TargetKind.Directory),
                ("volume", TargetKind.Volume),
                ("cartridges", TargetKind.Cartridges)
            ),
            Bucket = o.Has("bucket") ? o.Text("bucket") : null,
            Prefix = o.Text("prefix", ""),
            Folder = o.Has("folder") ? o.Text("folder") : null,
            CapacityBytes = o.Optional("capacityBytes", n => o.Whole(n, 1)),
            Local = o.Object(
                "local",
                l => new LocalCache
                {
                    JournalBytes = l.Whole("journalBytes", 1),
                    ReadBytes = l.Whole("readBytes"),
                    Region = l.Has("region") ? l.Id("region") : null,
                },
                optional: true
            ),
            MoreFolders = o.List(
                "moreFolders",
                f => new TargetFolder { Folder = f.Text("folder"), CapacityBytes = f.Optional("capacityBytes", n => f.Whole(n, 1)) }
            ),
            MakeRoom = o.Object(
                "makeRoom",
                r => new RoomRule
                {
                    Above = r.Number("above", 0, 1, above: true),
                    DownTo = r.Number("downTo", 0, 1),
                    By = r.Choice("by", ("remove", RoomBy.Remove), ("move", RoomBy.Move)),
                    To = r.Has("to") ? r.Id("to") : null,
                    Leave = (int)r.Whole("leave", 1, 10_000, 1),
                },
                optional: true
            ),
            Snapshots = o.Object(
                "snapshots",
                s => new SnapshotSchedule
                {
                    EveryHours = s.Number("everyHours", 0, Limits.Hours, above: true),
                    Keep = (int)s.Whole("keep", 1, 10_000),
                },
                optional: true
            ),
            Library = o.Object(
                "library",
                l => new CartridgeLibrary
                {
                    CartridgeBytes = l.Whole("cartridgeBytes", 1_000_000),
                    Slots = (int)l.Whole("slots", 1, 10_000),
                    Drives = (int)l.Whole("drives", 1, 16),
                },
                optional: true
            ),
            PackBytes = o.Whole("packBytes", 1, fallback: BackupTarget.UsualPackBytes),
            Deduplicates = o.Flag("deduplicates", fallback: true),
            Compresses = o.Flag("compresses", fallback: true),
            Encrypts = o.Flag("encrypts", fallback: true),
            OperatedBy = o.Optional("operatedBy", OperatedBy(o)),
            Writers = (int)o.Whole("writers", 1, 1000, 1),
            SpillTo = o.Ids("spillTo"),
            CopyTo = o.Object(
                "copyTo",
                c => new PoolCopySchedule { Target = c.Id("target"), EveryHours = c.Number("everyHours", 0, Limits.Hours, above: true) },
                optional: true
            ),
            Credential = o.Has("credential") ? o.Id("credential") : null,
            Access = o.Has("access")
                ? o.Choice(
                    "access",
                    ("read-write", TargetAccess.ReadWrite),
                    ("read-only", TargetAccess.ReadOnly),
                    ("locked", TargetAccess.Locked)
                )
                : TargetAccess.ReadWrite,
            TestEveryHours = o.Optional("testEveryHours", n => o.Number(n, 1, Limits.Hours)),
            BytesPerSecond = o.Optional("bytesPerSecond", n => o.Number(n, 0, above: true)),
        };

    private static Func<string, Operator> OperatedBy(ObjectReader o) =>
        name => o.Choice(name, ("provider", Operator.Provider), ("own", Operator.Own));

    private static readonly PriceBook Nothing = new()
    {
        Currency = "",
        Unit = default,
        Month = default,
        Tiers = [],
        Schemes = [],
        Regions = [],
    };

    public static Offer Offer(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Prices = (o.Object("prices", PriceBook) ?? Nothing) with { Earlier = [] },
        };

    public static PriceBook PriceBook(ObjectReader o) =>
        new()
        {
            Currency = o.Text("currency"),
            Unit = o.Choice("unit", ("GB", SizeUnit.GB), ("GiB", SizeUnit.GiB)),
            Month = o.Choice("month", ("calendar", BillingMonth.Calendar), ("thirty-days", BillingMonth.ThirtyDays)),
            Tiers = o.List("tiers", Tier, optional: false),
            Schemes = o.List("schemes", Scheme, optional: false),
            Regions = o.List("regions", Region, optional: false),
            Transfers = o.List(
                "transfers",
                t => new Transfer
                {
                    From = t.Id("from"),
                    To = t.Id("to"),
                    Price = Unit(t, "price"),
                    MegabitsPerSecond = t.Optional("megabitsPerSecond", n => t.Number(n, 0, 1e9, above: true)),
                    RoundTripMilliseconds = t.Optional("roundTripMilliseconds", n => t.Number(n, 0, 1e6)),
                }
            ),
            Agreements = o.Object("agreements", Agreements, optional: true) ?? new(),
            Changes = o.List(
                "changes",
                c => new PriceChange
                {
                    From = c.Date("from"),
                    Regions = RegionPrices(c),
                    Transfers = TransferPrices(c),
                }
            ),
            Earlier = o.List(
                "earlier",
                c => new EarlierPrices
                {
                    Until = c.Date("until"),
                    Regions = RegionPrices(c),
                    Transfers = TransferPrices(c),
                }
            ),
        };

    private static Agreements Agreements(ObjectReader o) =>
        new()
        {
            Fixed = o.List(
                "fixed",
                f => new FixedAmount
                {
                    Id = f.Id("id"),
                    Name = f.Text("name"),
                    From = f.Month("from"),
                    Through = f.Month("through"),
                    Region = f.Has("region") ? f.Id("region") : null,
                    Amount = f.Number("amount"),
                }
            ),
            Allowances = o.List(
                "allowances",
                a => new Allowance
                {
                    Id = a.Id("id"),
                    Name = a.Text("name"),
                    From = a.Month("from"),
                    Through = a.Month("through"),
                    Region = a.Has("region") ? a.Id("region") : null,
                    Tier = a.Has("tier") ? a.Id("tier") : null,
                    Charge = a.Choice("charge", AllowedCharges),
                    Quantity = a.Number("quantity"),
                }
            ),
            Commitments = o.List(
                "commitments",
                c => new Commitment
                {
                    Id = c.Id("id"),
                    Name = c.Text("name"),
                    From = c.Month("from"),
                    Through = c.Month("through"),
                    Region = c.Has("region") ? c.Id("region") : null,
                    Amount = c.Number("amount"),
                    Discount = c.Number("discount", 0, Limits.Below1, 0),
                }
            ),
        };

    private static readonly (string, Charge)[] AllowedCharges =
    [
        .. Enum.GetValues<Charge>().Where(c => !c.IsAgreed() && c != Charge.EarlyLeave).Select(c => (c.Name(), c)),
    ];

    private static IReadOnlyList<RegionPrices> RegionPrices(ObjectReader o) =>
        o.List(
            "regions",
            r => new RegionPrices
            {
                Id = r.Id("id"),
                Prices = r.List("prices", TierPrice),
                TransferOut = r.List("transferOut", Band),
            }
        );

    private static IReadOnlyList<TransferPrice> TransferPrices(ObjectReader o) =>
        o.List(
            "transfers",
            t => new TransferPrice
            {
                From = t.Id("from"),
                To = t.Id("to"),
                Price = Unit(t, "price"),
            }
        );

    private static Tier Tier(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            MinimumStayDays = o.Days("minimumStayDays"),
            MinimumObjectBytes = o.Whole("minimumObjectBytes"),
            OverheadBytes = o.Whole("overheadBytes"),
            IndexBytes = o.Whole("indexBytes"),
            WaitHours = o.Number("waitHours"),
            LeastAge = o.Object(
                "leastAge",
                a => new LeastAge { Created = a.Has("created") ? a.Days("created") : 0, Read = a.Has("read") ? a.Days("read") : 0 },
                optional: true
            ),
        };

    public static Scheme Scheme(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Copies = (int)o.Whole("copies", 1, 1000),
            Spread = o.Choice("spread", ("device", Spread.Device), ("rack", Spread.Rack), ("zone", Spread.Zone), ("region", Spread.Region)),
            StorageFactor = o.Number("storageFactor"),
            DeviceClass = o.Has("deviceClass") ? o.Id("deviceClass") : null,
            Coded = o.Object(
                "coded",
                c => new Coding { Data = (int)c.Whole("data", 1, 1000), Parity = (int)c.Whole("parity", 0, 1000) },
                optional: true
            ),
            Over = o.Object(
                "over",
                p => new Places
                {
                    Regions = (int)p.Whole("regions", 1, 1000, 1),
                    Zones = (int)p.Whole("zones", 1, 1000, 1),
                    Racks = (int)p.Whole("racks", 1, 1000, 1),
                },
                optional: true
            ),
            Hazards = o.Object("hazards", Hazards, optional: true),
        };

    private static Hazards Hazards(ObjectReader o) =>
        new()
        {
            DeviceFailuresPerYear = o.Number(
                "deviceFailuresPerYear",
                0,
                Limits.Below1,
                Pricing.Hazards.Usual.DeviceFailuresPerYear,
                above: true
            ),
            RepairHours = o.Number("repairHours", 0, 1e6, Pricing.Hazards.Usual.RepairHours, above: true),
            OneRepairAtATime = o.Flag("oneRepairAtATime"),
            ZoneOutagesPerYear = o.Number("zoneOutagesPerYear", 0, 1000, Pricing.Hazards.Usual.ZoneOutagesPerYear),
            ZoneOutageHours = o.Number("zoneOutageHours", 0, 8766, Pricing.Hazards.Usual.ZoneOutageHours),
            RegionOutagesPerYear = o.Number("regionOutagesPerYear", 0, 1000, Pricing.Hazards.Usual.RegionOutagesPerYear),
            RegionOutageHours = o.Number("regionOutageHours", 0, 8766, Pricing.Hazards.Usual.RegionOutageHours),
            ZonesDestroyedPerYear = o.Number("zonesDestroyedPerYear", 0, 1000, Pricing.Hazards.Usual.ZonesDestroyedPerYear),
            RegionsDestroyedPerYear = o.Number("regionsDestroyedPerYear", 0, 1000, Pricing.Hazards.Usual.RegionsDestroyedPerYear),
        };

    private static Region Region(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Zones = o.Optional("zones", n => (int)o.Whole(n, 1, 1000)),
            OperatedBy = o.Optional("operatedBy", OperatedBy(o)),
            Prices = o.List("prices", TierPrice, optional: false),
            Devices = o.List(
                "devices",
                d => new DeviceClass
                {
                    Id = d.Id("id"),
                    Count = (int)d.Whole("count", 1, 1_000_000),
                    BytesEach = d.Whole("bytesEach", 1),
                    Price = d.Number("price", fallback: 0),
                    LifeMonths = (int)d.Whole("lifeMonths", 1, 1200, 0),
                }
            ),
            TransferOut = o.List("transferOut", Band),
        };

    private static StorageBand Band(ObjectReader o) => new() { UpTo = o.Optional("upTo", n => o.Number(n)), Price = Unit(o, "price") };

    private static TierPrice TierPrice(ObjectReader o) =>
        new()
        {
            Tier = o.Id("tier"),
            Storage = o.List("storage", Band, optional: false),
            Writes = Thousand(o, "writes"),
            Reads = Thousand(o, "reads"),
            MovesIn = Thousand(o, "movesIn"),
            RecallRequests = Thousand(o, "recallRequests"),
            Recall = Unit(o, "recall"),
            Watching = new PricePerThousand(o.Number("watching", fallback: 0)),
            RecallSpeeds = o.List(
                "recallSpeeds",
                s => new RecallSpeed
                {
                    Id = s.Id("id"),
                    Name = s.Text("name"),
                    WaitHours = s.Number("waitHours"),
                    Recall = Unit(s, "recall"),
                    RecallRequests = Thousand(s, "recallRequests"),
                }
            ),
        };

    private static UnitPrice Unit(ObjectReader o, string name) => new(o.Number(name));

    private static PricePerThousand Thousand(ObjectReader o, string name) => new(o.Number(name));
}
