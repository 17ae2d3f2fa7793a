namespace Ripen.Core.Estates;

/// <summary>
/// Which objects a rule is for: those whose key begins with the prefix, that carry all of the tags, and that are no smaller than the
/// smallest size. One place decides, for the projection, the daily run, folds, replication and drafts alike.
/// </summary>
/// <param name="Prefix">Compared character by character; empty for every key.</param>
/// <param name="Tags">Null for no such condition.</param>
/// <param name="SmallestBytes">Objects of fewer bytes are outside; 0 for no such condition.</param>
public readonly record struct Scope(string Prefix, IReadOnlyDictionary<string, string>? Tags = null, long SmallestBytes = 0)
{
    /// <summary>Whether it takes an object of this key, or all that lies under a lot's or stream's prefix.</summary>
    public bool TakesKey(string key) => key.StartsWith(Prefix, StringComparison.Ordinal);

    /// <summary>Whether it takes objects of this key (or under this prefix) with these tags, of whatever size.</summary>
    public bool Takes(string key, IReadOnlyDictionary<string, string>? tags) =>
        TakesKey(key) && (Tags is null || Tags.All(t => tags is not null && tags.TryGetValue(t.Key, out var value) && value == t.Value));

    /// <summary>Whether it takes objects of this size.</summary>
    public bool TakesSize(long bytes) => bytes >= SmallestBytes;

    /// <summary>Whether one object can be in both. Sizes have no upper limit, so they never keep two apart.</summary>
    public bool Overlaps(Scope other) =>
        (TakesKey(other.Prefix) || other.TakesKey(Prefix))
        && (Tags is null || other.Tags is not { } theirs || Tags.All(t => !theirs.TryGetValue(t.Key, out var value) || value == t.Value));

    /// <summary>Whether both are for the same objects.</summary>
    public bool IsSame(Scope other) =>
        Prefix == other.Prefix && SmallestBytes == other.SmallestBytes && TagText.Write(Tags) == TagText.Write(other.Tags);
}
