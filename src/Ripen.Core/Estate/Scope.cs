namespace Ripen.Core.Estates;

/// <summary>
/// Which objects a rule is for: those whose key begins with the prefix, that carry all of the tags, and whose size is within the limits.
/// One place decides, for the projection, the daily run, folds, replication and drafts alike.
/// </summary>
/// <param name="Prefix">Compared character by character; empty for every key.</param>
/// <param name="Tags">Null for no such condition.</param>
/// <param name="SmallestBytes">Objects of fewer bytes are outside.</param>
/// <param name="LargestBytes">Objects of more bytes are outside.</param>
public readonly record struct Scope(
    string Prefix,
    IReadOnlyDictionary<string, string>? Tags = null,
    long SmallestBytes = 0,
    long LargestBytes = long.MaxValue
)
{
    /// <summary>Whether it takes an object of this key, or all that lies under a lot's or stream's prefix, as far as keys say.</summary>
    public bool TakesKey(string key) => key.StartsWith(Prefix, StringComparison.Ordinal);

    /// <summary>Whether it takes objects of this key (or under this prefix) with these tags, of whatever size.</summary>
    public bool Takes(string key, IReadOnlyDictionary<string, string>? tags) =>
        TakesKey(key) && (Tags is null || Tags.All(t => tags is not null && tags.TryGetValue(t.Key, out var value) && value == t.Value));

    /// <summary>Whether it takes objects of this size.</summary>
    public bool TakesSize(long bytes) => bytes >= SmallestBytes && bytes <= LargestBytes;

    /// <summary>Whether one object can be in both.</summary>
    public bool Overlaps(Scope other) =>
        (TakesKey(other.Prefix) || other.TakesKey(Prefix))
        && (Tags is null || other.Tags is not { } theirs || Tags.All(t => !theirs.TryGetValue(t.Key, out var value) || value == t.Value))
        && SmallestBytes <= other.LargestBytes
        && other.SmallestBytes <= LargestBytes;

    /// <summary>Whether both are for the same objects.</summary>
    public bool IsSame(Scope other) =>
        Prefix == other.Prefix
        && (SmallestBytes, LargestBytes) == (other.SmallestBytes, other.LargestBytes)
        && TagText.Write(Tags) == TagText.Write(other.Tags);
}
