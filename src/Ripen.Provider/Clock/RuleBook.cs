using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Clock;

/// <summary>An entry as rules look at it.</summary>
/// <param name="Key">Or the prefix of a batch.</param>
/// <param name="Tags">As <see cref="TagText"/>; null for none.</param>
/// <param name="Created">Day number.</param>
/// <param name="Superseded">Day number; null for a current version.</param>
/// <param name="Bytes">Of each object.</param>
/// <param name="Tier">Its place from warm to cold.</param>
/// <param name="LastRead">Day number, not before the creation.</param>
/// <param name="CanBeBundled">Whether a step that bundles does so with it: not with objects that have content, nor with packs of plans.</param>
internal readonly record struct Ruled(
    string Key,
    string? Tags,
    int Created,
    int? Superseded,
    long Bytes,
    int Tier,
    int LastRead,
    bool CanBeBundled
);

/// <summary>What becomes of an entry in a night.</summary>
/// <param name="Goes">For good.</param>
/// <param name="Supersedes">It becomes an earlier version.</param>
/// <param name="OverBy">The id of the rule by which it goes or becomes one; null where it is overwritten.</param>
/// <param name="Tier">To which colder tier it moves; null for none.</param>
/// <param name="MovedBy">The id of the rule whose step that is.</param>
/// <param name="BundleTo">Bytes of the bundles that it moves as; 0 for moving as it is.</param>
internal readonly record struct Fate(bool Goes, bool Supersedes, string? OverBy, int? Tier, string? MovedBy, long BundleTo)
{
    public bool IsNothing => this is { Goes: false, Supersedes: false, Tier: null };
}

/// <summary>What a rule with a step by reading does to an entry that rests (model 8.3).</summary>
/// <param name="IsWatched">Whether any watches it.</param>
/// <param name="Back">The id of the rule that brings what is read back to the landing tier; null where it stays.</param>
internal readonly record struct Watching(bool IsWatched, string? Back);

/// <summary>A bucket's lifecycle rules and its reading habit, as they hold on one day.</summary>
internal sealed class RuleBook(BucketTerms bucket, PriceBook prices, DateOnly day)
{
    private readonly Bucket terms = bucket.Bucket;
    private readonly (LifecycleRule Rule, (Step Step, int Tier)[] Steps)[] rules =
    [
        .. bucket.Bucket.Rules.Select(r => (r, r.Steps.Select(s => (s, prices.Coldness(s.Tier))).ToArray())),
    ];
    private readonly Dictionary<string, IReadOnlyDictionary<string, string>?> tags = [];

    public BucketTerms Bucket => bucket;

    /// <summary>Whether any rule looks at keys at all.</summary>
    public bool NeedsKeys { get; } = bucket.Bucket.Rules.Any(r => r.Prefix.Length > 0);

    /// <summary>Whether any rule looks at tags.</summary>
    public bool NeedsTags { get; } = bucket.Bucket.Rules.Any(r => r.Tags is not null);

    /// <summary>Days after which it makes no difference any more how long nobody has read; null where no rule asks.</summary>
    public int? LongestUnread { get; } =
        bucket.Bucket.Rules.SelectMany(r => r.Steps).Where(s => s.Clock == StepClock.Read).Select(s => (int?)s.Age).Max();

    /// <summary>What the night does to an entry: nothing but what is said here.</summary>
    /// <param name="entry">As it lies there.</param>
    /// <param name="isKept">Whether something keeps it on the day.</param>
    /// <param name="isReplaced">Whether a current version is overwritten on the day.</param>
    /// <param name="newer">Of an earlier version: how many earlier versions of its key are newer, when rules want to know, null for a current one;
    /// <see cref="int.MaxValue"/> for those of a key that is overwritten so often that they have gone by.</param>
    public Fate Decide(in Ruled entry, bool isKept, bool isReplaced, Func<int>? newer)
    {
        var over = entry.Superseded is null ? OverBy(entry) : OverBy(entry, newer!);
        var (goes, supersedes) = (false, false);
        if (entry.Superseded is not null)
            goes = over is not null && !isKept;
        else if (isReplaced || over is not null)
        {
            supersedes = terms.Versioning;
            goes = !supersedes && !isKept;
        }
        if (goes)
            return new Fate(true, false, over?.Id, null, null, 0);
        var (tier, by, bundleTo) = Colder(supersedes ? entry with { Superseded = day.DayNumber } : entry);
        return new Fate(
            false,
            supersedes,
            supersedes ? over?.Id : null,
            tier,
            by?.Id,
            entry.CanBeBundled && entry.Bytes < bundleTo ? bundleTo : 0
        );
    }

    /// <param name="rests">A current version, after what the night did to it.</param>
    public Watching WatchingOf(in Ruled rests)
    {
        var (watched, back) = (false, (string?)null);
        foreach (var (rule, _) in rules)
        {
            if (
                !rule.WatchesReading
                || rule.Applies == VersionKind.Earlier
                || !rule.StepScope.TakesSize(rests.Bytes)
                || !Takes(rule, rests)
            )
                continue;
            watched = true;
            back ??= rule.BackOnRead && rests.Tier > bucket.Landing ? rule.Id : null;
        }
        return new Watching(watched, back);
    }

    /// <summary>The first rule by which a current version expires, whatever keeps it; null for none.</summary>
    private LifecycleRule? OverBy(in Ruled entry)
    {
        var age = day.DayNumber - entry.Created;
        foreach (var (rule, _) in rules)
        {
            if (rule.Applies == VersionKind.Current && rule.ExpireAt <= age && Takes(rule, entry))
                return rule;
        }
        return null;
    }

    /// <summary>The first rule by which an earlier version expires, whatever keeps it; null for none.</summary>
    private LifecycleRule? OverBy(in Ruled entry, Func<int> newer)
    {
        var age = day.DayNumber - entry.Superseded!.Value;
        if (age < 1)
            return null;
        foreach (var (rule, _) in rules)
        {
            if (
                rule.Applies == VersionKind.Earlier
                && rule.ExpireAt <= age
                && Takes(rule, entry)
                && (rule.KeepNewest == 0 || newer() >= rule.KeepNewest)
            )
                return rule;
        }
        return null;
    }

    /// <summary>The coldest tier of all steps that are due, when it is colder than the entry's, whose step that is, and what it bundles to.</summary>
    private (int? Tier, LifecycleRule? By, long BundleTo) Colder(in Ruled entry)
    {
        var (age, coldest, by, bundleTo) = (day.DayNumber - (entry.Superseded ?? entry.Created), entry.Tier, (LifecycleRule?)null, 0L);
        var unread = day.DayNumber - entry.LastRead;
        foreach (var (rule, steps) in rules)
        {
            if (rule.Applies == VersionKind.Earlier != entry.Superseded is not null)
                continue;
            if (!rule.StepScope.TakesSize(entry.Bytes) || !Takes(rule, entry))
                continue;
            foreach (var (step, tier) in steps)
            {
                if (step.Age <= (step.Clock == StepClock.Read ? unread : age) && tier > coldest)
                    (coldest, by, bundleTo) = (tier, rule, step.BundleTo ?? 0);
            }
        }
        return by is null ? (null, null, 0) : (coldest, by, bundleTo);
    }

    /// <summary>Which entries of the bucket the night may do something to, as a condition of the index: all of those, and some more.</summary>
    /// <param name="tierId">The index's number of a tier, by its place from warm to cold.</param>
    public string MayAct(Func<int, long> tierId)
    {
        var today = day.DayNumber;
        var warm = Tiers(0, bucket.Landing + 1);
        List<string> conditions = [$"replaced_on <= {today}", "superseded IS NOT NULL"];
        foreach (var (rule, steps) in rules.Where(r => r.Rule.Applies == VersionKind.Current))
        {
            if (rule.ExpireAt is { } over)
                conditions.Add($"created <= {today - over}");
            foreach (var (step, tier) in steps)
            {
                var since = step.Clock == StepClock.Read ? "max(created, coalesce(touched, 0))" : "created";
                conditions.Add($"({since} <= {today - step.Age} AND tier IN ({Tiers(0, tier)}))");
            }
            if (rule.BackOnRead)
                conditions.Add($"(tier NOT IN ({warm}) AND (kind = {EntryRows.Batch} OR touched = {today}))");
        }
        return $"(bucket = {bucket.Id} AND ({string.Join(" OR ", conditions)}))";

        string Tiers(int from, int to) => string.Join(", ", Enumerable.Range(from, to - from).Select(tierId));
    }

    /// <summary>The share of current objects of this age that is read on the day.</summary>
    public double ReadShare(int created)
    {
        var share = 0.0;
        foreach (var band in terms.Reads)
        {
            if (band.FromAge > day.DayNumber - created)
                break;
            share = band.ShareOfObjectsPerDay;
        }
        return share;
    }

    private bool Takes(LifecycleRule rule, in Ruled entry) =>
        rule.Tags is null ? rule.Scope.TakesKey(entry.Key) : rule.Scope.Takes(entry.Key, Read(entry.Tags));

    private IReadOnlyDictionary<string, string>? Read(string? text)
    {
        if (text is null)
            return null;
        if (!tags.TryGetValue(text, out var known))
            tags[text] = known = TagText.Read(text);
        return known;
    }
}
