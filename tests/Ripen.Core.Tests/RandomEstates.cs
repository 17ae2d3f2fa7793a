using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>Random valid estates with the awkward things in them: overlapping rules, overdue stock, keep dates, circles of
/// copies.</summary>
internal static class RandomEstates
{
    private static readonly string[] TierIds = ["counter", "pantry", "cellar", "cave"];
    private static readonly string[] RegionIds = ["near", "far"];
    private static readonly string[] PrefixIds = ["", "a/", "a/b/", "c/"];

    public static Gen<Estate> Estate { get; } =
        from today in Gen.Choose(0, 3000).Select(d => new DateOnly(2023, 1, 1).AddDays(d))
        from prices in PriceBook
        from agreed in Gen.Frequency((2, Gen.Constant(new Agreements())), (1, Agreements(today)))
        from devices in Gen.Frequency((3, Gen.Constant(new List<DeviceClass>())), (1, Few(Devices(), 1)))
        from changes in Gen.Frequency((2, Gen.Constant(new List<PriceChange>())), (1, Changes(today, prices)))
        from count in Gen.Choose(1, 3)
        from buckets in Gen.CollectToList(Enumerable.Range(0, count), i => Bucket(i, count, today))
        select new Estate
        {
            Name = "Random",
            Today = today,
            PriceBook = prices with
            {
                Changes = changes,
                Agreements = agreed,
                Regions = [prices.Regions[0] with { Devices = devices }, .. prices.Regions.Skip(1)],
            },
            Buckets = buckets,
        };

    private static Gen<PriceBook> PriceBook { get; } =
        from unit in Gen.Elements(SizeUnit.GB, SizeUnit.GiB)
        from month in Gen.Elements(BillingMonth.Calendar, BillingMonth.ThirtyDays)
        from tiers in Gen.CollectToList(TierIds, Tier)
        from regions in Gen.CollectToList(RegionIds, Region)
        from near in Line
        from far in Line
        from transfers in Gen.Elements<IReadOnlyList<Transfer>>(
            [],
            [
                new Transfer
                {
                    From = "near",
                    To = "far",
                    Price = new(0.02),
                    MegabitsPerSecond = near,
                },
                new Transfer
                {
                    From = "far",
                    To = "far",
                    Price = new(0),
                    MegabitsPerSecond = far,
                },
            ]
        )
        select new PriceBook
        {
            Currency = "EUR",
            Unit = unit,
            Month = month,
            Tiers = tiers,
            Regions = regions,
            Transfers = transfers,
            Schemes =
            [
                new Scheme
                {
                    Id = "plain",
                    Name = "Plain",
                    Copies = 3,
                    Spread = Spread.Rack,
                    StorageFactor = 1,
                },
                new Scheme
                {
                    Id = "wide",
                    Name = "Wide",
                    Copies = 3,
                    Spread = Spread.Zone,
                    StorageFactor = 1.3,
                },
            ],
        };

    /// <summary>Some of them overlap, have not begun or are over.</summary>
    private static Gen<Agreements> Agreements(DateOnly today) =>
        from fixedAmounts in Few(
            from term in Terms(today)
            from amount in Gen.Choose(0, 500)
            select new FixedAmount
            {
                Id = term.Id,
                Name = term.Id,
                From = term.From,
                Through = term.Through,
                Region = term.Region,
                Amount = amount / 10.0,
            },
            2
        )
        from allowances in Few(
            from term in Terms(today)
            from tier in Gen.Elements(TierIds).Select(t => t == "cave" ? null : t)
            from charge in Gen.Elements(Charge.Storage, Charge.Reads, Charge.Writes, Charge.Recall, Charge.Moves, Charge.Transfer)
            from quantity in Gen.Elements(0, 0.7, 300, 20_000)
            select new Allowance
            {
                Id = term.Id,
                Name = term.Id,
                From = term.From,
                Through = term.Through,
                Region = term.Region,
                Tier = tier,
                Charge = charge,
                Quantity = quantity,
            },
            3
        )
        from commitments in Few(
            from term in Terms(today)
            from amount in Gen.Elements(0, 0.5, 40, 3000)
            from discount in Gen.Choose(1, 60)
            select new Commitment
            {
                Id = term.Id,
                Name = term.Id,
                From = term.From,
                Through = term.Through,
                Region = term.Region,
                Amount = amount,
                Discount = discount / 100.0,
            },
            2
        )
        select new Agreements
        {
            Fixed = [.. fixedAmounts.DistinctBy(f => f.Id)],
            Allowances = [.. allowances.DistinctBy(a => a.Id)],
            // Of two that promise an amount for the same use, the second is a discount alone.
            Commitments = [.. commitments.DistinctBy(c => c.Id).Select((c, i) => i == 0 ? c : c with { Amount = 0 })],
        };

    private static Gen<(string Id, Month? From, Month? Through, string? Region)> Terms(DateOnly today) =>
        from id in Gen.Elements("one", "two", "three", "four", "five")
        from begins in Gen.Choose(-4, 2)
        from lasts in Gen.Choose(-1, 5)
        from region in Gen.Elements<string?>(null, null, "near", "far")
        let first = Month.Of(today).Plus(begins)
        select (id, begins < -2 ? (Month?)null : first, lasts < 0 ? (Month?)null : first.Plus(lasts), region);

    private static Gen<DeviceClass> Devices() =>
        from count in Gen.Choose(1, 30)
        from price in Gen.Choose(0, 900)
        from life in Gen.Choose(1, 80)
        select new DeviceClass
        {
            Id = "disk",
            Count = count,
            BytesEach = 1_000_000_000_000,
            Price = price,
            LifeMonths = life,
        };

    /// <summary>On one day or two, within months and at their ends, of some regions and tiers and of a line.</summary>
    private static Gen<List<PriceChange>> Changes(DateOnly today, PriceBook prices) =>
        from start in Gen.Choose(1, 60)
        from later in Gen.Choose(0, 40)
        from changes in Gen.CollectToList(new[] { start, start + later }.Distinct(), day => Change(today.AddDays(day), prices))
        select changes;

    private static Gen<PriceChange> Change(DateOnly begins, PriceBook prices) =>
        from near in Gen.CollectToList(TierIds, TierPrice)
        from far in Gen.CollectToList(TierIds[..2], TierPrice)
        from both in Gen.Elements(true, false)
        from carried in Gen.Choose(0, 9)
        select new PriceChange
        {
            From = begins,
            Regions =
            [
                .. new[]
                {
                    new RegionPrices { Id = "near", Prices = near },
                    new RegionPrices { Id = "far", Prices = far },
                }.Skip(both ? 0 : 1),
            ],
            Transfers =
            [
                .. prices
                    .Transfers.Take(1)
                    .Select(t => new TransferPrice
                    {
                        From = t.From,
                        To = t.To,
                        Price = new(carried / 100.0),
                    }),
            ],
        };

    /// <summary>From one that never keeps up (10 MB a day) to one without a limit.</summary>
    private static Gen<double?> Line { get; } = Gen.Elements<double?>(0.001, 0.3, 5, 700, null);

    private static readonly IReadOnlyDictionary<string, string>?[] TagSets =
    [
        null,
        new Dictionary<string, string> { ["kind"] = "log" },
        new Dictionary<string, string> { ["kind"] = "log", ["voyage"] = "12" },
    ];

    private static Gen<Tier> Tier(string id) =>
        from stay in Gen.Elements(0, 1, 30, 90, 180)
        from least in Gen.Elements(0L, 65536L)
        from overhead in Gen.Elements(0L, 24576L)
        from index in Gen.Elements(0L, 6144L)
        select new Tier
        {
            Id = id,
            Name = id,
            MinimumStayDays = stay,
            MinimumObjectBytes = least,
            OverheadBytes = overhead,
            IndexBytes = index,
            WaitHours = 0,
        };

    private static Gen<Region> Region(string id) =>
        from prices in Gen.CollectToList(TierIds, TierPrice)
        select new Region
        {
            Id = id,
            Name = id,
            Prices = prices,
        };

    private static Gen<TierPrice> TierPrice(string tier) =>
        from storage in Gen.Elements<IReadOnlyList<StorageBand>>(
            [new() { Price = new(0.02) }],
            [new() { UpTo = 50, Price = new(0.03) }, new() { Price = new(0.01) }],
            [new() { UpTo = 0.5, Price = new(0.05) }, new() { UpTo = 20, Price = new(0.02) }, new() { Price = new(0) }]
        )
        from thousand in Gen.Choose(0, 40).Select(n => new PricePerThousand(n / 100.0))
        from recall in Gen.Choose(0, 3).Select(n => new UnitPrice(n / 100.0))
        from speeds in Gen.Elements<IReadOnlyList<RecallSpeed>>(
            [],
            [
                new()
                {
                    Id = "brisk",
                    Name = "Brisk",
                    WaitHours = 0.5,
                    Recall = new(0.04),
                    RecallRequests = new(3),
                },
            ]
        )
        select new TierPrice
        {
            Tier = tier,
            Storage = storage,
            Writes = thousand,
            Reads = thousand,
            MovesIn = thousand,
            RecallRequests = thousand,
            Recall = recall,
            Watching = thousand,
            RecallSpeeds = speeds,
        };

    private static Gen<Bucket> Bucket(int i, int count, DateOnly today) =>
        from region in Gen.Elements(RegionIds)
        from scheme in Gen.Elements("plain", "wide")
        from tier in Gen.Frequency((4, Gen.Constant("counter")), (1, Gen.Elements(TierIds)))
        from versioning in Gen.Elements(true, false)
        from stock in Few(Lot(today, versioning), 3)
        from keep in Keep(today)
        from streams in Few(Stream(versioning || keep is null), 2)
        from reads in Reads
        from rules in Few(Rule(versioning), 3)
        from holds in Gen.Frequency((2, Gen.Constant(new List<Hold>())), (1, Few(Hold(today), 3)))
        from copies in Few(Copy(i, count, today), count > 1 ? 2 : 0)
        select new Bucket
        {
            Name = $"bucket-{i}",
            Region = region,
            Scheme = scheme,
            Tenant = (i % 3) switch
            {
                0 => "Fleet",
                1 => null,
                _ => "Night & day freight",
            },
            Tier = tier,
            Stock = stock,
            Streams = streams,
            Reads = reads,
            Rules = [.. rules.Select((r, k) => r with { Id = $"rule-{k}" })],
            Keep = keep,
            Versioning = versioning,
            Holds = [.. holds.Select((h, k) => h with { Id = $"hold-{k}" })],
            CopyTo = copies,
        };

    private static Gen<Hold> Hold(DateOnly today) =>
        from prefix in Gen.Elements(PrefixIds)
        from tags in Gen.Elements(TagSets)
        from placed in Gen.Choose(-50, 400)
        from days in Gen.Choose(0, 200)
        from open in Gen.Frequency((3, Gen.Constant(false)), (1, Gen.Constant(true)))
        select new Hold
        {
            Id = "",
            Prefix = prefix,
            Tags = tags,
            Reason = "Claim",
            Placed = today.AddDays(placed),
            Released = open ? null : today.AddDays(placed + days),
        };

    private static Gen<Lot> Lot(DateOnly today, bool versioning) =>
        from prefix in Gen.Elements(PrefixIds)
        from age in Gen.OneOf(Gen.Constant(0), Gen.Choose(0, 600))
        from inTier in Gen.Choose(0, age)
        from tier in Gen.Elements(TierIds)
        from objects in Gen.Choose(0, 500)
        from bytes in Bytes
        from tags in Gen.Elements(TagSets)
        from earlier in Gen.Elements(versioning, false)
        from superseded in Gen.Choose(0, age)
        from rewritten in Gen.Elements<int?>(null, 1, 7, 40)
        from replaced in Gen.OneOf(Gen.Constant<int?>(null), Gen.Choose(-5, 40).Select(d => (int?)d))
        from kept in Gen.Frequency((3, Gen.Constant<int?>(null)), (1, Gen.Choose(-10, 300).Select(d => (int?)d)))
        from originals in Gen.Frequency((3, Gen.Constant(1)), (1, Gen.Choose(2, 400)))
        from read in Gen.Frequency((2, Gen.Constant<int?>(null)), (1, Gen.Choose(0, age).Select(d => (int?)d)))
        select new Lot
        {
            LastRead = read is { } ago ? today.AddDays(-ago) : null,
            Earlier = earlier,
            SupersededOn = earlier ? today.AddDays(-superseded) : null,
            RewriteEvery = rewritten,
            ReplacedOn = rewritten is null || replaced is null || earlier ? null : today.AddDays(replaced.Value),
            KeptUntil = kept is { } days ? today.AddDays(days) : null,
            Originals = originals == 1 ? null : objects * originals,
            Prefix = prefix,
            Tags = tags,
            Created = today.AddDays(-age),
            Tier = tier,
            InTierSince = today.AddDays(-inTier),
            Objects = objects,
            BytesPerObject = bytes,
        };

    private static Gen<ObjectStream> Stream(bool mayBeReplaced) =>
        from prefix in Gen.Elements(PrefixIds)
        from perDay in Gen.Elements(0, 0.5, 1, 7.25, 900)
        from bytes in Bytes
        from growth in Gen.Elements(0, 0.1, 0.9, -0.3, -0.95)
        from tags in Gen.Elements(TagSets)
        from replaced in Gen.Frequency((2, Gen.Constant<int?>(null)), (1, Gen.Elements<int?>(1, 5, 33)))
        select new ObjectStream
        {
            ReplacedAfterDays = mayBeReplaced ? replaced : null,
            Prefix = prefix,
            Tags = tags,
            ObjectsPerDay = perDay,
            BytesPerObject = bytes,
            YearlyGrowth = growth,
        };

    private static Gen<long> Bytes { get; } = Gen.Elements(0L, 900L, 20_000L, 65_536L, 3_000_000L, 7_000_000_000L);

    private static Gen<List<ReadBand>> Reads { get; } =
        from ages in Few(Gen.Choose(0, 120), 3)
        from share in Gen.Elements(0, 0.01, 1.5)
        select ages.Distinct().Order().Select((age, i) => new ReadBand { FromAge = age, ShareOfObjectsPerDay = share / (i + 1) }).ToList();

    private static Gen<LifecycleRule> Rule(bool versioning) =>
        from prefix in Gen.Elements(PrefixIds)
        from smallest in Gen.Elements(0L, 1000L, 65_536L)
        from ages in Few(Gen.OneOf(Gen.Choose(0, 3), Gen.Choose(0, 400)), 3)
        from skip in Gen.Choose(0, 1)
        from backwards in Gen.Elements(true, false)
        from expires in Gen.Elements(true, false)
        from expireAt in Gen.OneOf(Gen.Choose(1, 3), Gen.Choose(1, 500))
        from earlier in Gen.Elements(versioning, false)
        from newest in Gen.Elements(0, 0, 1, 3)
        from tags in Gen.Frequency((2, Gen.Constant(TagSets[0])), (1, Gen.Elements(TagSets)))
        from largest in Gen.Frequency((3, Gen.Constant<long?>(null)), (1, Gen.Elements<long?>(65_536L, 3_000_000L)))
        from reading in Gen.Frequency((5, Gen.Constant(false)), (1, Gen.Constant(!earlier)))
        from back in Gen.Elements(true, false)
        from bundle in Gen.Frequency((2, Gen.Constant<long?>(null)), (1, Gen.Elements<long?>(100_000L, 64_000_000L)))
        let steps = ages.Select(a => reading ? a % 15 : a)
            .Distinct()
            .Order()
            .Take(4 - skip)
            .Select(
                (age, i) =>
                    new Step
                    {
                        Age = age,
                        Tier = TierIds[i + skip],
                        Clock = reading && (age + i) % 3 > 0 ? StepClock.Read : StepClock.Created,
                        BundleTo = i == 1 ? bundle : null,
                    }
            )
        select new LifecycleRule
        {
            Tags = tags,
            Applies = earlier ? VersionKind.Earlier : VersionKind.Current,
            KeepNewest = earlier ? newest : 0,
            LargestBytes = largest >= smallest ? largest : null,
            BackOnRead = back && steps.Any(s => s.Clock == StepClock.Read),
            Id = "",
            Prefix = prefix,
            SmallestBytes = smallest,
            Steps = [.. backwards ? steps.Reverse() : steps],
            ExpireAt = expires || ages.Count == 0 ? expireAt : null,
        };

    private static Gen<KeepRule?> Keep(DateOnly today) =>
        Gen.Frequency(
            (2, Gen.Constant<KeepRule?>(null)),
            (1, Gen.Choose(0, 300).Select<int, KeepRule?>(d => new KeepRule { Days = d, Strength = KeepStrength.Sealed })),
            (
                2,
                Gen.Choose(-100, 500)
                    .Select<int, KeepRule?>(d => new KeepRule { Until = today.AddDays(d), Strength = KeepStrength.Liftable })
            )
        );

    private static Gen<CopyRule> Copy(int i, int count, DateOnly today) =>
        from to in Gen.Choose(1, Math.Max(1, count - 1))
        from prefix in Gen.Elements(PrefixIds)
        from tags in Gen.Frequency((3, Gen.Constant(TagSets[0])), (1, Gen.Elements(TagSets)))
        from tier in Gen.Frequency((2, Gen.Constant<string?>(null)), (1, Gen.Elements<string?>(TierIds)))
        from catchUp in Gen.Elements(true, false)
        from waiting in Few(Waiting(prefix, today), 2)
        select new CopyRule
        {
            Bucket = $"bucket-{(i + to) % count}",
            Prefix = prefix,
            Tags = tags,
            Tier = tier,
            CatchUp = catchUp,
            Waiting = waiting,
        };

    private static Gen<WaitingLot> Waiting(string prefix, DateOnly today) =>
        from age in Gen.Choose(0, 400)
        from since in Gen.Choose(0, age)
        from objects in Gen.Choose(0, 50)
        from bytes in Bytes
        select new WaitingLot
        {
            Prefix = prefix,
            Created = today.AddDays(-age),
            Since = today.AddDays(-since),
            Objects = objects,
            BytesPerObject = bytes,
        };

    private static Gen<List<T>> Few<T>(Gen<T> item, int most) =>
        from n in Gen.Choose(0, most)
        from items in Gen.ListOf(item, n)
        select items.ToList();

    /// <summary>How many months a plain day loop is asked for: where reading divides what is there day by day, it has much to do.</summary>
    public static int Months(Estate estate, int wanted) =>
        estate.Buckets.Any(b => b.Rules.Any(r => r.WatchesReading)) ? Math.Min(wanted, 4) : wanted;

    /// <summary>Holds the property against random estates: null, or what is wrong. FsCheck's seed is in the message of a failure.</summary>
    public static void Check(int times, Func<Estate, string?> difference) =>
        Prop.ForAll(
                Arb.From(Estate),
                estate =>
                {
                    if (difference(estate) is { } found)
                        Assert.Fail(found + Environment.NewLine + EstateDocument.Write(estate));
                }
            )
            .Check(Randomly.Draws(times));
}
