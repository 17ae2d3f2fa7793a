namespace Ripen.Core.Estates;

/// <summary>Buckets by name and by where they copy to, built when first asked for. It follows from the buckets and so is no part of an
/// estate's equality.</summary>
internal sealed class BucketIndex(IReadOnlyList<Bucket> buckets) : IEquatable<BucketIndex>
{
    private readonly Lazy<Dictionary<string, Bucket>> byName = new(() =>
    {
        var found = new Dictionary<string, Bucket>(buckets.Count);
        // A document that is being checked may have gaps, and a name twice: the first counts.
        foreach (var bucket in buckets)
        {
            if (bucket?.Name is { } name)
                found.TryAdd(name, bucket);
        }
        return found;
    });

    private readonly Lazy<ILookup<string, (Bucket, CopyRule)>> byTarget = new(() =>
        buckets.SelectMany(b => b.CopyTo.Select(c => (From: b, Rule: c))).ToLookup(c => c.Rule.Bucket)
    );

    public Bucket? Find(string name) => byName.Value.GetValueOrDefault(name);

    public IEnumerable<(Bucket From, CopyRule Rule)> CopiedInto(string name) => byTarget.Value[name];

    public bool Equals(BucketIndex? other) => other is not null;

    public override bool Equals(object? obj) => Equals(obj as BucketIndex);

    public override int GetHashCode() => 0;
}
