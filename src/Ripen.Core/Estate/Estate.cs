using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Estates;

/// <summary>Everything one organisation keeps: its price book, its buckets, and what is backed up into them, counted on <see cref="Today"/>.</summary>
public sealed record Estate
{
    public required string Name { get; init; }

    /// <summary>The UTC day on which the stock was counted, and the first day of every projection.</summary>
    public required DateOnly Today { get; init; }
    public required PriceBook PriceBook { get; init; }
    public IReadOnlyList<Bucket> Buckets
    {
        get;
        init
        {
            field = value;
            index = new BucketIndex(value);
        }
    } = [];

    public IReadOnlyList<Workload> Workloads { get; init; } = [];
    public IReadOnlyList<BackupTarget> Targets { get; init; } = [];
    public IReadOnlyList<BackupPlan> Plans { get; init; } = [];

    /// <summary>Machines that carry what plans store.</summary>
    public IReadOnlyList<CarrierMachine> Carriers { get; init; } = [];

    /// <summary>How long the organisation has to keep what; taken over into plans by hand, and no rule by itself.</summary>
    public IReadOnlyList<RetentionPeriod> RetentionPeriods { get; init; } = [];

    /// <summary>Storage arrays of one's own, whose data may leave for buckets.</summary>
    public IReadOnlyList<LocalArray> Arrays { get; init; } = [];

    /// <summary>Price books beside the one in force.</summary>
    public IReadOnlyList<Offer> Offers { get; init; } = [];

    /// <summary>What if; nothing in the estate follows from them.</summary>
    public IReadOnlyList<Scenario> Scenarios { get; init; } = [];

    private readonly BucketIndex index = new([]);

    public Bucket? Find(string bucket) => index.Find(bucket);

    /// <summary>The replication rules that bring copies into a bucket, with their sources, in the estate's order.</summary>
    public IEnumerable<(Bucket From, CopyRule Rule)> CopiedInto(string bucket) => index.CopiedInto(bucket);

    /// <summary>The estate if another price book were in force from its today on, not looked over.</summary>
    internal Estate Priced(PriceBook other) => this with { PriceBook = other.On(Today) with { Earlier = [] } };

    /// <summary>The estate with <paramref name="bucket"/> in the place of <paramref name="replaces"/>, or added last when that is
    /// null.</summary>
    /// <exception cref="ArgumentException">No bucket has the name to replace.</exception>
    public Estate With(Bucket bucket, string? replaces)
    {
        var buckets = Buckets.ToList();
        if (replaces is null)
        {
            buckets.Add(bucket);
        }
        else
        {
            var at = buckets.FindIndex(b => b.Name == replaces);
            if (at < 0)
                throw new ArgumentException($"There is no bucket '{replaces}'.", nameof(replaces));
            buckets[at] = bucket;
        }
        return this with { Buckets = buckets };
    }

    /// <summary>One bucket by itself at list prices: nothing is copied, backed up or shipped to or from anywhere.</summary>
    public Estate Alone(Bucket bucket) =>
        this with
        {
            PriceBook = PriceBook.ListPrices(),
            Buckets = [bucket with { CopyTo = [] }],
            Targets = [],
            Workloads = [],
            Plans = [],
            Arrays = [],
        };
}
