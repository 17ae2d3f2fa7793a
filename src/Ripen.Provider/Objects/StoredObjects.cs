using Ripen.Core.Billing;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Objects;

/// <summary>
/// One version of an object, or a batch: alike objects that a simulated workload wrote, which have a declared size and no content.
/// </summary>
/// <param name="Version">Rises with every version; its ETag over HTTP.</param>
/// <param name="Key">The object's key; for a batch, the prefix that its objects share.</param>
/// <param name="Count">1 for an object; expectations in a batch may have fractions.</param>
/// <param name="Bytes">Of one object.</param>
/// <param name="Created">The provider's day on which its age began.</param>
/// <param name="Written">The provider's instant, UTC.</param>
/// <param name="Tier">The tier where it rests, since the day <paramref name="InTierSince"/>.</param>
/// <param name="InTierSince">The day on which it came into the tier.</param>
/// <param name="LastRead">The provider's day; null for never.</param>
/// <param name="IsCurrent">False for a version that was overwritten or deleted.</param>
/// <param name="IsBatch">Whether it stands for weightless objects.</param>
/// <param name="IsDeletion">Whether it is the mark of a deletion.</param>
/// <param name="IsCopy">Whether it came here by a copy rule.</param>
/// <param name="Sha256">Of all bytes, in lower-case hexadecimal digits; null without content, and where only that of the blocks is
/// known.</param>
/// <param name="BlocksSha256">Of the SHA-256 of each block of 1 MiB, the last as long as it is, one behind the other; for what backups
/// write. Null where <paramref name="Sha256"/> is known.</param>
/// <param name="MediaType">As the writer declared it; null when it did not.</param>
/// <param name="Kept">The first day on which it may be deleted, past days too, and how strongly it is kept until then; null when it never
/// was.</param>
/// <param name="ReadyFrom">The provider's instant from which a recalled object can be read; null when it did not have to wait.</param>
/// <param name="Tags">Null for none.</param>
/// <param name="Arrived">The provider's instant at which a copy came here; null for an original.</param>
/// <param name="Root">The original's number, the same wherever a copy lies.</param>
/// <param name="Seal">How its content is encrypted; null without content, and for what was stored before contents were
/// encrypted.</param>
/// <param name="Recalled">The copy that was recalled of what rests where reading takes a wait, there or on its way; null for none.</param>
public sealed record StoredVersion(
    long Version,
    string Key,
    double Count,
    long Bytes,
    DateOnly Created,
    DateTimeOffset Written,
    string Tier,
    DateOnly InTierSince,
    DateOnly? LastRead,
    bool IsCurrent,
    bool IsBatch,
    bool IsDeletion,
    bool IsCopy,
    string? Sha256,
    string? BlocksSha256,
    string? MediaType,
    Kept? Kept,
    DateTimeOffset? ReadyFrom,
    IReadOnlyDictionary<string, string>? Tags,
    DateTimeOffset? Arrived,
    long Root,
    ObjectSeal? Seal,
    RecalledCopy? Recalled
);

/// <summary>The key that wraps a content's own key (AES-256-GCM).</summary>
/// <param name="Key">Its name.</param>
/// <param name="IsBuckets">Whether it is a bucket's own, or the provider's.</param>
/// <param name="IsWithdrawn">Whether its owner took it away, so that nobody can read the content.</param>
public sealed record ObjectSeal(string Key, bool IsBuckets, bool IsWithdrawn);

/// <summary>What a write demands. Nulls demand nothing.</summary>
/// <param name="Allows">Looks at the current version, null for none, in the transaction that writes; throws when it must not be written
/// over.</param>
/// <param name="Sha256">The body must have this SHA-256.</param>
/// <param name="Length">The body must have so many bytes.</param>
/// <param name="MediaType">To be given back with the object.</param>
/// <param name="Tags">To be kept with the object.</param>
/// <param name="SumOfBlocks">The object is known by the SHA-256 of its blocks' SHA-256 instead of that of all bytes, which takes less time;
/// not together with <paramref name="Sha256"/>.</param>
public sealed record WriteConditions(
    Action<StoredVersion?>? Allows = null,
    byte[]? Sha256 = null,
    long? Length = null,
    string? MediaType = null,
    IReadOnlyDictionary<string, string>? Tags = null,
    bool SumOfBlocks = false
)
{
    /// <summary>Allows only what is not there yet.</summary>
    public static void OnlyNew(StoredVersion? current)
    {
        if (current is not null)
            throw new RefusalException(RefusalKind.PreconditionFailed, "exists", $"'{current.Key}' is there already.");
    }
}

/// <summary>Weightless objects of one prefix and tier, together: how many, their bytes, the days of creation from first to last.</summary>
public sealed record BatchSum(string Key, string Tier, double Count, double Bytes, DateOnly Oldest, DateOnly Newest);

/// <summary>
/// A page of a listing, in the order of UTF-8 bytes: keys, below the delimiter only their common prefixes, and batches by prefix and tier.
/// <see cref="Next"/> goes on; null at the end.
/// </summary>
public sealed record ListingPage(
    IReadOnlyList<string> Prefixes,
    IReadOnlyList<BatchSum> Batches,
    IReadOnlyList<StoredVersion> Objects,
    string? Next
)
{
    /// <summary>Keys and prefixes on a page at most.</summary>
    public const int Most = 1000;
}

/// <summary>What deleting did: marked (an earlier version stays), or gone for good.</summary>
public sealed record Deletion(string Key, long? Marker, bool ForGood, double EarlyLeaveCharge);

/// <summary>A version opened for reading: <see cref="Send"/> gives checked bytes, and reading is charged when something was sent.</summary>
public interface IOpenedObject : IDisposable
{
    StoredVersion Version { get; }

    /// <summary>Sends the bytes [from, to).</summary>
    /// <exception cref="RefusalException">What lies on the disk is not what was stored.</exception>
    Task Send(long from, long to, Stream target, CancellationToken cancel);
}

/// <summary>
/// Objects in buckets, as a provider keeps them. The stand-in implements it on the local disk; a real provider could as well. Every call
/// that changes something is whole when it returns and has left nothing when it throws.
/// </summary>
public interface IObjectStore
{
    /// <exception cref="RefusalException">A wrong key, checksum or length, a condition that does not hold, a keep rule, a full
    /// disk.</exception>
    Task<StoredVersion> Write(string bucket, string key, Stream body, WriteConditions conditions, CancellationToken cancel);

    /// <param name="bucket">Its name.</param>
    /// <param name="key">Of the object.</param>
    /// <param name="version">Null for the current one.</param>
    /// <exception cref="RefusalException">There is none, or its content is damaged.</exception>
    IOpenedObject Open(string bucket, string key, long? version);

    /// <summary>Current objects bear from now on that nobody can remove them before a day. Never shorter than before.</summary>
    /// <exception cref="RefusalException">There is none of a key; then none is sealed.</exception>
    void Seal(string bucket, IReadOnlyCollection<string> keys, DateOnly until);

    /// <summary>Null when there is none.</summary>
    StoredVersion? Find(string bucket, string key, long? version);

    /// <summary>The versions of a key, newest first, marks of deletions among them.</summary>
    IReadOnlyList<StoredVersion> Versions(string bucket, string key);

    /// <param name="bucket">Its name.</param>
    /// <param name="prefix">Only what begins so.</param>
    /// <param name="delimiter">Keys that hold it after the prefix are summed up by what comes before; null for none.</param>
    /// <param name="after">A page's <see cref="ListingPage.Next"/>.</param>
    /// <param name="most">From 1 to 1,000.</param>
    /// <param name="from">Begins at this text after the prefix; null for the first.</param>
    /// <param name="contains">Only keys that hold this text, whatever the case of its letters A to Z; null for all.</param>
    ListingPage List(
        string bucket,
        string prefix,
        string? delimiter,
        string? after,
        int most,
        string? from = null,
        string? contains = null
    );

    /// <summary>Of these keys, those that have a current object with content.</summary>
    IReadOnlyList<string> Taken(string bucket, IReadOnlyCollection<string> keys);

    /// <summary>Marks of deletions that can be undone, under the prefix, in the order of keys; at most <paramref name="most"/>.</summary>
    IReadOnlyList<StoredVersion> Deletions(string bucket, string prefix, int most);

    /// <summary>
    /// Deletes the current version, which with versioning leaves a mark and stays as an earlier one; or, with <paramref name="version"/>,
    /// that version for good. Deleting a mark brings the version before it back.
    /// </summary>
    /// <param name="bucket">Its name.</param>
    /// <param name="key">Of the object.</param>
    /// <param name="version">Null for the current one.</param>
    /// <param name="allows">As in <see cref="WriteConditions"/>, of what would be deleted.</param>
    Deletion Delete(string bucket, string key, long? version, Action<StoredVersion?>? allows = null);

    /// <summary>Moves current objects to a tier: one key, or everything under a prefix.</summary>
    TierMove Move(string bucket, string scope, bool wholePrefix, string tier);

    /// <summary>What <see cref="Move"/> would do.</summary>
    TierMove ForeseeMove(string bucket, string scope, bool wholePrefix, string tier);
}

/// <summary>Objects moved by hand from one tier to another, and what that costs once. Warming is a recall: the reading tier charges for
/// it.</summary>
/// <param name="Parts">By tier left, warm to cold.</param>
/// <param name="ToTier">The tier moved to.</param>
/// <param name="Unmoved">Objects that are there already.</param>
/// <param name="MonthlyBefore">Storage a month of what moves, at the first band's price.</param>
/// <param name="MonthlyAfter">The same in the new tier.</param>
/// <param name="WaitHours">Hours before the first byte from the new tier.</param>
/// <param name="WaitBefore">The longest wait for what moves, as it is now: how long a recall takes.</param>
/// <param name="RulesUndo">Rules whose next run takes some of it back to a colder tier.</param>
public sealed record TierMove(
    IReadOnlyList<TierMovePart> Parts,
    string ToTier,
    double Unmoved,
    double MonthlyBefore,
    double MonthlyAfter,
    double WaitHours,
    double WaitBefore,
    IReadOnlyList<string> RulesUndo
)
{
    /// <summary>What the move costs once, all parts together.</summary>
    public double OnceCharge => Parts.Sum(p => p.Terms.Sum(t => t.Amount));
}

/// <param name="FromTier">The tier left.</param>
/// <param name="Objects">That leave it.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Terms">All that costs something once.</param>
public sealed record TierMovePart(string FromTier, double Objects, double Bytes, IReadOnlyList<PricedTerm> Terms)
{
    public double MoveCharge => Terms.Where(t => t.Charge == Charge.Moves).Sum(t => t.Amount);

    /// <summary>With the reading.</summary>
    public double RecallCharge => Terms.Where(t => t.Charge is Charge.Recall or Charge.Reads).Sum(t => t.Amount);

    public double EarlyLeaveCharge => Terms.Where(t => t.Charge == Charge.EarlyLeave).Sum(t => t.Amount);
}
