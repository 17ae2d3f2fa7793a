using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>At this age (days), to the tier of this coldness, in bundles of so many bytes where there are any; an age by reading is that of
/// what nobody reads.</summary>
public readonly record struct AgeStep(int Age, int Tier, bool ByReading = false, long BundleTo = 0);

/// <summary>A step of a rule that matches, as far as prefix and tags say.</summary>
/// <param name="Rule">Its rule's id.</param>
/// <param name="Age">In days, by the step's clock.</param>
/// <param name="Tier">Its coldness.</param>
/// <param name="ByReading">Whether the age counts from the last reading.</param>
/// <param name="BackOnRead">Whether its rule brings back what is read.</param>
/// <param name="BundleTo">Bytes; 0 for no bundling.</param>
/// <param name="Scope">With the sizes that it takes.</param>
internal readonly record struct DueStep(string Rule, int Age, int Tier, bool ByReading, bool BackOnRead, long BundleTo, Scope Scope);

/// <summary>
/// What a bucket's rules together do to objects that are alike: steps that only get colder, the age at which a current version is over,
/// how long an earlier one stays after that, and what is kept meanwhile.
/// </summary>
internal sealed record Lifecycle
{
    /// <summary>An age or day that never comes; far beyond every horizon, and small enough to add to.</summary>
    public const int Never = 1 << 29;

    /// <summary>Of rules for current versions, in the document's order.</summary>
    public required DueStep[] Current { get; init; }

    /// <summary>Of rules for earlier versions; their ages count from the day on which they were superseded.</summary>
    public required DueStep[] Earlier { get; init; }

    /// <summary>Whether what expires or is overwritten stays as an earlier version.</summary>
    public required bool Versioned { get; init; }

    /// <summary>By rules' ids: at which age current versions expire, in the document's order.</summary>
    public required IReadOnlyList<(string Rule, int Age)> Expiries { get; init; }

    /// <summary>The same of earlier versions, in days since they were superseded.</summary>
    public required IReadOnlyList<(string Rule, int Age)> EarlierExpiries { get; init; }

    /// <summary>The earliest expiry of current versions, whatever keeps them; <see cref="Never"/> for none.</summary>
    public int ExpireAt => First(Expiries);

    /// <summary>Days from being superseded to the expiry of earlier versions, whatever keeps them; <see cref="Never"/> for none.</summary>
    public int EarlierExpireAt => First(EarlierExpiries);

    /// <summary>The first rule by which objects of this age (days) have expired; null for none. The age of earlier versions is that since they
    /// were superseded.</summary>
    public string? OverBy(int age, bool earlier)
    {
        foreach (var (rule, at) in earlier ? EarlierExpiries : Expiries)
        {
            if (at <= age)
                return rule;
        }
        return null;
    }

    private static int First(IReadOnlyList<(string Rule, int Age)> expiries)
    {
        var first = Never;
        foreach (var (_, age) in expiries)
            first = Math.Min(first, age);
        return first;
    }

    public required Keeping Keeping { get; init; }

    public required ObjectKind Kind { get; init; }

    /// <summary>The rules of <paramref name="bucket"/> for objects of this kind.</summary>
    /// <param name="bucket">With its rules, retention and holds.</param>
    /// <param name="kind">Of the objects.</param>
    /// <param name="prices">For the tiers' order.</param>
    /// <param name="today">Day 0.</param>
    /// <param name="own">The objects' own retention; null for none.</param>
    public static Lifecycle Of(Bucket bucket, ObjectKind kind, PriceBook prices, DateOnly today, DateOnly? own = null)
    {
        var (current, earlier) = (new List<DueStep>(), new List<DueStep>());
        var (expiries, earlierExpiries) = (new List<(string, int)>(), new List<(string, int)>());
        foreach (var rule in bucket.Rules)
        {
            if (!rule.Scope.Takes(kind.Prefix, kind.Tags))
                continue;
            if (rule.ExpireAt is { } age)
            {
                if (rule.Applies == VersionKind.Current)
                    expiries.Add((rule.Id, age));
                else
                    earlierExpiries.Add((rule.Id, Math.Max(age, Spared(rule.KeepNewest, kind.RewriteEvery))));
            }
            foreach (var step in rule.Steps)
            {
                (rule.Applies == VersionKind.Current ? current : earlier).Add(
                    new DueStep(
                        rule.Id,
                        step.Age,
                        prices.Coldness(step.Tier),
                        step.Clock == StepClock.Read,
                        rule.BackOnRead,
                        step.BundleTo ?? 0,
                        rule.StepScope
                    )
                );
            }
        }
        return new Lifecycle
        {
            Current = [.. current],
            Earlier = [.. earlier],
            Versioned = bucket.Versioning,
            Expiries = expiries,
            EarlierExpiries = earlierExpiries,
            Keeping = Keeping.Of(bucket, kind.Prefix, kind.Tags, today, own),
            Kind = kind,
        };
    }

    /// <summary>The same without bundling: what plans store is never bundled.</summary>
    public Lifecycle Unbundled() =>
        this with
        {
            Current = [.. Current.Select(s => s with { BundleTo = 0 })],
            Earlier = [.. Earlier.Select(s => s with { BundleTo = 0 })],
        };

    /// <summary>How long the newest <paramref name="newest"/> earlier versions of a key are spared (model 8.2): until so many later ones were
    /// superseded.</summary>
    private static int Spared(int newest, int? rewriteEvery) =>
        newest == 0 ? 0
        : rewriteEvery is { } every ? (int)Math.Min((long)newest * every, Never)
        : Never;

    /// <summary>The steps that move current versions of this kind that nobody reads: ages rise, and every tier is colder than the one
    /// before.</summary>
    public IReadOnlyList<AgeStep> Steps => Stairs(Current);

    /// <summary>The same of earlier versions.</summary>
    public IReadOnlyList<AgeStep> EarlierSteps => Stairs(Earlier);

    private List<AgeStep> Stairs(IReadOnlyList<DueStep> steps)
    {
        var stairs = new List<AgeStep>();
        foreach (var step in steps.Where(s => s.Scope.TakesSize(Kind.BytesPerObject)).OrderBy(s => s.Age).ThenByDescending(s => s.Tier))
        {
            if (stairs.Count == 0 || step.Tier > stairs[^1].Tier)
                stairs.Add(new AgeStep(step.Age, step.Tier, step.ByReading, step.BundleTo));
        }
        return stairs;
    }

    /// <summary>The age at which current versions go or become earlier ones, waiting for a keep rule in days where they go.</summary>
    public int OverAt => Versioned || ExpireAt == Never ? ExpireAt : Math.Max(ExpireAt, Keeping.Days);

    /// <summary>Whether reading changes what becomes of current versions.</summary>
    public bool WatchesReading => Current.Any(s => s.ByReading);

    /// <summary>Whether current versions of this size are watched for reading.</summary>
    public bool Watches(long bytesPerObject) => Current.Any(s => s.ByReading && s.Scope.TakesSize(bytesPerObject));
}
