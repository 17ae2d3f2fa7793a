using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Provider;

/// <summary>A plan in force, with the index's own numbers for buckets and tiers.</summary>
internal sealed class Terms
{
    private readonly Dictionary<string, BucketTerms> byName;
    private readonly Dictionary<long, BucketTerms> byId;
    private readonly long[] tierIds;
    private readonly Dictionary<long, int> coldness;
    private readonly Lazy<Terms> afterNextChange;

    public Terms(ProviderPlan plan, Func<string, long> tierId, Func<string, long> bucketId)
    {
        Plan = plan;
        tierIds = [.. plan.Estate.PriceBook.Tiers.Select(t => tierId(t.Id))];
        coldness = tierIds.Select((id, place) => (id, place)).ToDictionary(t => t.id, t => t.place);
        var targets = plan.Estate.Targets.ToLookup(t => t.Bucket ?? "");
        Buckets =
        [
            .. plan.Estate.Buckets.Select(b => new BucketTerms(
                bucketId(b.Name),
                b,
                plan.Buckets[b.Name].StatedOn,
                plan.Estate.PriceBook,
                [.. targets[b.Name]]
            )),
        ];
        byName = Buckets.ToDictionary(b => b.Bucket.Name);
        byId = Buckets.ToDictionary(b => b.Id);
        afterNextChange = new(() =>
            new Terms(plan with { Estate = plan.Estate with { PriceBook = Prices.On(Prices.Changes[0].From) } }, tierId, bucketId)
        );
    }

    /// <summary>The same on a day, with the prices that hold then.</summary>
    public Terms On(DateOnly day) => Prices.Changes is [var next, ..] && next.From <= day ? afterNextChange.Value.On(day) : this;

    public ProviderPlan Plan { get; }

    public PriceBook Prices => Plan.Estate.PriceBook;

    public IReadOnlyList<BucketTerms> Buckets { get; }

    /// <summary>The bucket with the index's number; null when it is gone.</summary>
    public BucketTerms? Find(long id) => byId.GetValueOrDefault(id);

    public bool Has(string bucket) => byName.ContainsKey(bucket);

    /// <exception cref="RefusalException">There is no such bucket.</exception>
    public BucketTerms this[string bucket] => byName.GetValueOrDefault(bucket) ?? throw RefusalException.NoBucket(bucket);

    /// <summary>The index's number of the tier at this place from warm (0) to cold.</summary>
    public long TierId(int place) => tierIds[place];

    /// <summary>The place from warm to cold of the tier with this number.</summary>
    public int Place(long tierId) => coldness[tierId];

    public string TierName(long tierId) => Prices.Tiers[Place(tierId)].Id;

    /// <summary>Bytes × days in a unit-month of the month that holds <paramref name="day"/>.</summary>
    public double UnitMonth(DateOnly day) => Prices.Unit.Bytes() * BilledDays(day);

    /// <summary>Days that the month of <paramref name="day"/> counts in prices.</summary>
    public int BilledDays(DateOnly day) => Prices.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(day.Year, day.Month);
}

/// <summary>One bucket of a plan, with its prices by place from warm to cold; null where its region does not offer a tier.</summary>
internal sealed class BucketTerms(long id, Bucket bucket, DateOnly statedOn, PriceBook prices, BackupTarget[] targets)
{
    public bool HasTargets => targets.Length > 0;

    /// <summary>The id of the backup target whose object this is; null for none.</summary>
    public string? TargetOf(string key) => Array.Find(targets, t => key.StartsWith(t.Prefix, StringComparison.Ordinal))?.Id;

    public long Id => id;

    public Bucket Bucket => bucket;

    public DateOnly StatedOn => statedOn;

    public TierPrice?[] Prices { get; } = [.. prices.Tiers.Select(t => prices.FindRegion(bucket.Region)!.PriceOf(t.Id))];

    public double Factor { get; } = prices.FindScheme(bucket.Scheme)!.StorageFactor;

    public int Landing { get; } = prices.Coldness(bucket.Tier);

    /// <summary>Until when an object that is created here on this day would be kept; null when no rule of the bucket keeps it.</summary>
    public DateOnly? WouldKeepUntil(DateOnly created) => bucket.Keep.KeptUntil(created);
}
