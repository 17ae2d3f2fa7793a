namespace Ripen.Core.Estates;

/// <summary>What rules and the reading habit look at in objects that are alike.</summary>
/// <param name="Prefix">Under which they lie.</param>
/// <param name="Tags">Null for none.</param>
/// <param name="BytesPerObject">Of each.</param>
/// <param name="OriginalsPerObject">How many objects are in each; 1 where it is no bundle. The reading habit is theirs.</param>
/// <param name="RewriteEvery">Every how many days their keys are overwritten; null for never.</param>
/// <param name="ReplacedAfter">How many days after they arrive in a bucket they are overwritten there; null for never.</param>
public readonly record struct ObjectKind(
    string Prefix,
    IReadOnlyDictionary<string, string>? Tags,
    long BytesPerObject,
    double OriginalsPerObject = 1,
    int? RewriteEvery = null,
    int? ReplacedAfter = null
);
