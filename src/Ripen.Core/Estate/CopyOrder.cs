namespace Ripen.Core.Estates;

/// <summary>A copy rule that somebody wants: from which bucket, and what has to change with it.</summary>
public sealed record CopyOrder
{
    public required string Source { get; init; }

    /// <summary>Its bucket is the target.</summary>
    public required CopyRule Rule { get; init; }

    /// <summary>The target, when it has to be made in the same change.</summary>
    public Bucket? NewBucket { get; init; }

    /// <summary>Both sides need versions; whether to switch versioning on where it is off.</summary>
    public bool SwitchVersioningOn { get; init; }
}
