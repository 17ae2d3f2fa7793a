using Ripen.Core.Estates;

namespace Ripen.Provider;

/// <summary>What Ripen wants the provider to keep: the estate's price book, and its buckets with their rules and workload.</summary>
/// <param name="Estate">Valid. Lots in a bucket's stock are to be put there once, as told by
/// <see cref="PlannedBucket.StockVersion"/>.</param>
/// <param name="Version">The version of the estate; a plan of a newer version replaces one of an older.</param>
/// <param name="ImportVersion">The version in which the whole estate was replaced: an import newer than the provider's empties it
/// first.</param>
/// <param name="Buckets">By name, what the estate's record of a bucket does not say.</param>
/// <param name="Identity">Of the store that it comes from, the same for its life; the folder takes it on with the first plan.</param>
/// <param name="Mark">Random, of this version: two stores of one origin that went different ways have different ones.</param>
public sealed record ProviderPlan(
    Estate Estate,
    long Version,
    long ImportVersion,
    IReadOnlyDictionary<string, PlannedBucket> Buckets,
    string Identity = "",
    string Mark = ""
);

/// <param name="StatedOn">The day on which the rates of the bucket's streams hold; growth counts from there.</param>
/// <param name="StockVersion">Rises when the estate brings new lots for the bucket.</param>
/// <param name="LiftVersion">The version in which its liftable keep rule was last lifted; 0 for never.</param>
public sealed record PlannedBucket(DateOnly StatedOn, long StockVersion, long LiftVersion = 0);

/// <summary>What a folder says of itself: whose plan it follows, and which one it took up last.</summary>
/// <param name="Identity">Of its store; null when it never took up a plan that named one.</param>
/// <param name="Version">Of the last plan; 0 for none.</param>
/// <param name="Mark">Of the last plan.</param>
/// <param name="ImportVersion">Of the last import; 0 for none.</param>
public sealed record FolderStanding(string? Identity, long Version, string? Mark, long ImportVersion);

/// <summary>A change of the plan that somebody is about to store.</summary>
/// <param name="After">The estate as it will be.</param>
/// <param name="IsImport">Whether it takes the place of everything that is there.</param>
/// <param name="Held">The bucket whose legal holds are placed or released by it, by name and with a reason; null for none.</param>
/// <param name="Lifted">The bucket whose liftable keep rule is lifted by it, with a reason; null for none.</param>
public sealed record PlannedChange(Estate After, bool IsImport = false, string? Lifted = null, string? Held = null);
