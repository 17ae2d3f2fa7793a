namespace Ripen.Core.Estates;

/// <summary>One change that is made to many buckets alike. What is not named stays as it is in each of them.</summary>
public sealed record BucketChange
{
    public string? Scheme { get; init; }

    /// <summary>The name of a tenant, or <see cref="Tenants.None"/> for nobody in particular.</summary>
    public string? Tenant { get; init; }

    /// <summary>The landing tier.</summary>
    public string? Tier { get; init; }
    public bool? Versioning { get; init; }

    /// <inheritdoc cref="Bucket.OwnKey"/>
    public bool? OwnKey { get; init; }

    /// <inheritdoc cref="Bucket.UnfinishedUploadDays"/>
    public int? UnfinishedUploadDays { get; init; }

    /// <summary>The retention from now on; a bucket whose own may not be weakened refuses it.</summary>
    public KeepRule? Keep { get; init; }

    /// <summary>A lifecycle rule that takes the place of the one with its id, or comes last.</summary>
    public LifecycleRule? PutRule { get; init; }

    /// <summary>The id of a lifecycle rule that goes; buckets without it stay as they are.</summary>
    public string? DropRule { get; init; }

    /// <summary>Whether it says anything at all.</summary>
    public bool IsEmpty() => this == new BucketChange();

    /// <summary>The bucket after it; nothing is checked.</summary>
    public Bucket Of(Bucket bucket) =>
        bucket with
        {
            Scheme = Scheme ?? bucket.Scheme,
            Tenant = Tenant == Tenants.None ? null : Tenant ?? bucket.Tenant,
            Tier = Tier ?? bucket.Tier,
            Versioning = Versioning ?? bucket.Versioning,
            OwnKey = OwnKey ?? bucket.OwnKey,
            Keep = Keep ?? bucket.Keep,
            UnfinishedUploadDays = UnfinishedUploadDays ?? bucket.UnfinishedUploadDays,
            Rules = [.. Rules(bucket.Rules)],
        };

    private IEnumerable<LifecycleRule> Rules(IReadOnlyList<LifecycleRule> rules)
    {
        foreach (var rule in rules.Where(r => r.Id != DropRule))
            yield return rule.Id == PutRule?.Id ? PutRule : rule;
        if (PutRule is not null && rules.All(r => r.Id != PutRule.Id))
            yield return PutRule;
    }
}
