using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Billing;

/// <summary>What a row of a bill is for. The names in files are these in kebab case.</summary>
public enum Charge
{
    Allowance,
    Commitment,
    Devices,
    Discount,
    EarlyLeave,
    Fixed,
    Moves,
    Reads,
    Recall,
    Storage,
    Transfer,
    Watching,
    Writes,
}

/// <summary>One month's charge of one kind for one bucket in one tier. The amount is money, not rounded.</summary>
public readonly record struct BillRow(int Month, int Bucket, int Tier, Charge Charge, double Quantity, double Amount);

/// <summary>
/// Prices what buckets use. Graduated storage bands apply to the whole estate's unit-months in a region and tier, and each
/// bucket pays its part of them times its scheme's factor; everything else is priced where it is counted. In a month in which prices
/// change, what is counted before that day costs what it cost then; each day's storage has the bands of its day over the whole month.
/// </summary>
public sealed class Bill
{
    private readonly BillingCalendar calendar;
    private readonly double unit;
    private readonly int[] bookOf;
    private readonly Account[] accounts;
    private readonly Dictionary<string, Pool> pools;

    /// <param name="prices">The price book that the buckets refer to.</param>
    /// <param name="calendar">The calendar that the usages were computed on.</param>
    /// <param name="usages">One for each bucket of the estate.</param>
    /// <param name="before">Over the same months: sums of usages that are the very same are taken over from there.</param>
    public Bill(PriceBook prices, BillingCalendar calendar, IReadOnlyList<BucketUsage> usages, Bill? before = null)
        : this(prices, calendar, usages, before, null) { }

    /// <summary>Of some of an estate's buckets: what has no bands costs what it costs in the estate's bill.</summary>
    /// <param name="prices">The estate's price book.</param>
    /// <param name="calendar">The calendar that the usages were computed on.</param>
    /// <param name="usages">Of some buckets.</param>
    /// <param name="regionOf">The region of any bucket of the estate.</param>
    internal static Bill OfSome(
        PriceBook prices,
        BillingCalendar calendar,
        IReadOnlyList<BucketUsage> usages,
        IReadOnlyDictionary<string, string> regionOf
    ) => new(prices, calendar, usages, null, regionOf);

    private Bill(
        PriceBook prices,
        BillingCalendar calendar,
        IReadOnlyList<BucketUsage> usages,
        Bill? before,
        IReadOnlyDictionary<string, string>? known
    )
    {
        this.calendar = calendar;
        unit = prices.Unit.Bytes();
        List<PriceBook> books = [prices, .. prices.Changes.Select(c => prices.AmountsOn(c.From))];
        bookOf =
        [
            .. Enumerable
                .Range(0, calendar.Stretches)
                .Select(s => prices.Changes.Count(c => c.From <= calendar.Today.AddDays(calendar.Start(s)))),
        ];
        var byRegion = usages.ToLookup(u => u.Bucket.Region);
        pools = prices.Regions.ToDictionary(
            r => r.Id,
            r => new Pool(r.Id, books, bookOf, calendar, byRegion[r.Id], before?.pools.GetValueOrDefault(r.Id))
        );
        var regionOf = new Lazy<IReadOnlyDictionary<string, string>>(() =>
            known ?? usages.ToDictionary(u => u.Bucket.Name, u => u.Bucket.Region)
        );
        accounts =
        [
            .. usages.Select(u => new Account(
                u,
                pools[u.Bucket.Region],
                prices.FindScheme(u.Bucket.Scheme)!.StorageFactor,
                prices.Coldness(u.Bucket.Tier),
                [
                    .. books.SelectMany(book =>
                        u.Bucket.CopyTo.Select(c => book.TransferPrice(u.Bucket.Region, regionOf.Value[c.Bucket]))
                            .Concat(u.Received.Select(r => book.TransferPrice(r.Region, u.Bucket.Region)))
                    ),
                ]
            )),
        ];
    }

    /// <summary>
    /// The rows of one bucket in one month, by tier from warm to cold; rows of nothing are left out. Quantities: unit-months for storage
    /// and early leaving, requests, objects moved, units recalled and carried, object-months watched.
    /// </summary>
    public void AddRows(int bucket, int month, List<BillRow> rows)
    {
        var (first, end) = (calendar.First(month), calendar.First(month + 1));
        if (end - first == 1)
        {
            AddRows(bucket, month, first, rows);
            return;
        }
        var all = new List<BillRow>();
        for (var stretch = first; stretch < end; stretch++)
            AddRows(bucket, month, stretch, all);
        foreach (var same in all.GroupBy(r => (r.Tier, r.Charge)).OrderBy(g => g.Key))
            rows.Add(same.First() with { Quantity = same.Sum(r => r.Quantity), Amount = same.Sum(r => r.Amount) });
    }

    private void AddRows(int bucket, int month, int stretch, List<BillRow> rows)
    {
        var account = accounts[bucket];
        var usage = account.Usage;
        var prices = account.Pool.Prices[bookOf[stretch]];
        var unitMonth = unit * calendar.BilledDays(stretch);
        for (var tier = 0; tier < prices.Length; tier++)
        {
            if (prices[tier] is not { } price || (tier != account.Landing && !usage.Uses(tier)))
                continue;
            double Used(Measure measure) => usage.At(tier, measure, stretch);
            var early = Used(Measure.EarlyLeaveByteDays) / unitMonth;
            var moves = Used(Measure.Moves);
            var reads = Used(Measure.Reads);
            var bundled = Used(Measure.BundleReads);
            var recalled = Used(Measure.ReadBytes) / unit;
            var stored = Used(Measure.StoredByteDays) / unitMonth;
            var writes = Used(Measure.Writes);
            if (early != 0)
                Add(Charge.EarlyLeave, early, price.Storage[0].Price.For(early) * account.Factor);
            Add(Charge.Moves, moves, price.MovesIn.For(moves));
            Add(Charge.Reads, reads + bundled, price.Reads.For(reads + bundled));
            Add(Charge.Recall, recalled, price.RecallRequests.For(reads) + price.Recall.For(recalled));
            Add(Charge.Storage, stored, stored * account.Pool.UnitPrice(tier, stretch) * account.Factor);
            if (tier == account.Landing && account.TransferPrices.Length > 0)
            {
                var (units, amount) = Transfer(account, stretch);
                Add(Charge.Transfer, units, amount);
            }
            var watched = Used(Measure.WatchedObjectDays) / calendar.BilledDays(stretch);
            Add(Charge.Watching, watched, price.Watching.For(watched));
            Add(Charge.Writes, writes, price.Writes.For(writes));

            void Add(Charge charge, double quantity, double amount)
            {
                if (quantity != 0 || amount != 0)
                    rows.Add(new BillRow(month, bucket, tier, charge, quantity, amount));
            }
        }
    }

    /// <summary>What holds in a region and tier; null where it is not offered.</summary>
    internal TierPrice? PriceOf(string region, int tier, int stretch) => pools[region].Prices[bookOf[stretch]][tier];

    /// <summary>Money per unit-month in a region and tier that its bands come to, before any scheme's factor; 0 where nothing is stored in the
    /// month.</summary>
    internal double UnitPrice(string region, int tier, int stretch) => pools[region].UnitPrice(tier, stretch);

    /// <summary>Whether a bucket's prices are those that it had in another bill, its storage bands aside.</summary>
    internal bool Costs(int bucket, Bill other, int place)
    {
        var (now, was) = (accounts[bucket], other.accounts[place]);
        return ReferenceEquals(now.Usage, was.Usage)
            && now.Pool.IsOf(was.Pool)
            && now.Factor == was.Factor
            && now.Landing == was.Landing
            && now.TransferPrices.AsSpan().SequenceEqual(was.TransferPrices);
    }

    /// <summary>How the price of a unit-month differs from another bill over the same months, by region, tier and month.</summary>
    internal Shifts PriceShifts(Bill other) => new(this, other);

    /// <summary>What storage costs more because the bands are filled otherwise.</summary>
    internal sealed class Shifts
    {
        private readonly Bill bill;
        private readonly Dictionary<Pool, (int Tier, double[] ByStretch)[]> moved;

        public Shifts(Bill bill, Bill other)
        {
            this.bill = bill;
            moved = bill.pools.Values.ToDictionary(p => p, p => other.pools.TryGetValue(p.Region, out var was) ? p.Difference(was) : []);
        }

        /// <summary>The bucket's money by month, when <paramref name="known"/> is what it was before; the very same where no price
        /// moved.</summary>
        public double[] Of(int bucket, double[] known)
        {
            var account = bill.accounts[bucket];
            if (moved[account.Pool] is not { Length: > 0 } tiers)
                return known;
            var money = (double[])known.Clone();
            foreach (var (tier, byStretch) in tiers)
            {
                var stored = account.Usage.Of(tier, Measure.StoredByteDays);
                for (var s = 0; s < stored.Length; s++)
                    money[bill.calendar.MonthOfStretch(s)] +=
                        stored[s] / (bill.unit * bill.calendar.BilledDays(s)) * byStretch[s] * account.Factor;
            }
            return money;
        }
    }

    private (double Units, double Amount) Transfer(Account account, int stretch)
    {
        var (units, amount) = (0.0, 0.0);
        var usage = account.Usage;
        var ways = usage.SentBytes.Length + usage.Received.Count;
        for (var i = 0; i < ways; i++)
        {
            var sent = (i < usage.SentBytes.Length ? usage.SentBytes[i] : usage.Received[i - usage.SentBytes.Length].Bytes)[stretch] / unit;
            units += sent;
            amount += account.TransferPrices[(bookOf[stretch] * ways) + i].For(sent);
        }
        return (units, amount);
    }

    /// <summary>A bucket's usage with the prices that hold for it, those of all its ways out and in for each price book in turn.</summary>
    private sealed record Account(BucketUsage Usage, Pool Pool, double Factor, int Landing, UnitPrice[] TransferPrices);

    /// <summary>What all buckets of a region store together, and the price of a unit-month that its bands come to.</summary>
    private sealed class Pool
    {
        private readonly double[] unitPrices;
        private readonly int stretches;
        private readonly StoredSum[] sums;

        public Pool(
            string region,
            List<PriceBook> books,
            int[] bookOf,
            BillingCalendar calendar,
            IEnumerable<BucketUsage> usages,
            Pool? before
        )
        {
            Region = region;
            Prices = [.. books.Select(b => b.Tiers.Select(t => b.FindRegion(region)!.PriceOf(t.Id)).ToArray())];
            stretches = calendar.Stretches;
            var tiers = Prices[0].Length;
            unitPrices = new double[tiers * stretches];
            sums =
            [
                .. usages
                    .Chunk(StoredSum.Buckets)
                    .Select(
                        (some, i) =>
                            before?.sums.ElementAtOrDefault(i) is { } sum && sum.IsOf(some) ? sum : new StoredSum(some, tiers, stretches)
                    ),
            ];
            for (var tier = 0; tier < tiers; tier++)
            {
                var total = unitPrices.AsSpan(tier * stretches, stretches);
                foreach (var sum in sums)
                    Sums.Add(sum.Of(tier), total);
                for (var m = 0; m < calendar.Months; m++)
                    Price(total[calendar.First(m)..calendar.First(m + 1)], tier, calendar.First(m));
            }

            // From byte-days to the price of a unit-month of the whole month's quantity.
            void Price(Span<double> month, int tier, int first)
            {
                var byteDays = 0.0;
                foreach (var part in month)
                    byteDays += part;
                var unitMonths = byteDays / (books[0].Unit.Bytes() * calendar.BilledDays(first));
                for (var s = 0; s < month.Length; s++)
                    month[s] = unitMonths > 0 ? Prices[bookOf[first + s]][tier]!.StorageCost(unitMonths) / unitMonths : 0;
            }
        }

        public string Region { get; }

        /// <summary>Whether this is the same region with the same prices, whatever is stored there.</summary>
        public bool IsOf(Pool other) =>
            Region == other.Region && Prices.Zip(other.Prices).All(p => p.First.AsSpan().SequenceEqual(p.Second));

        /// <summary>The tiers whose price of a unit-month is another in some stretch, with the differences.</summary>
        public (int Tier, double[] ByStretch)[] Difference(Pool other) =>
            [
                .. Enumerable
                    .Range(0, Prices[0].Length)
                    .Select(t => (t, Enumerable.Range(0, stretches).Select(s => UnitPrice(t, s) - other.UnitPrice(t, s)).ToArray()))
                    .Where(d => d.Item2.Any(x => x != 0)),
            ];

        /// <summary>By price book and tier; null where the region does not offer it.</summary>
        public TierPrice?[][] Prices { get; }

        /// <summary>Money per unit-month after bands, before any scheme's factor; 0 where nothing is stored in the month.</summary>
        public double UnitPrice(int tier, int stretch) => unitPrices[(tier * stretches) + stretch];
    }

    /// <summary>Byte-days that some of a region's buckets store, by tier and stretch: a draft changes one of them, and the others' sums
    /// stand.</summary>
    private sealed class StoredSum
    {
        public const int Buckets = 128;

        private readonly BucketUsage[] usages;
        private readonly double[] byTier;
        private readonly int stretches;

        public StoredSum(BucketUsage[] usages, int tiers, int stretches)
        {
            this.usages = usages;
            this.stretches = stretches;
            byTier = new double[tiers * stretches];
            for (var tier = 0; tier < tiers; tier++)
            {
                foreach (var usage in usages)
                    Sums.Add(usage.Of(tier, Measure.StoredByteDays), byTier.AsSpan(tier * stretches, stretches));
            }
        }

        public ReadOnlySpan<double> Of(int tier) => byTier.AsSpan(tier * stretches, stretches);

        public bool IsOf(BucketUsage[] others) => usages.AsSpan().SequenceEqual(others);
    }
}
