using Ripen.Core.Estates;

namespace Ripen.Provider;

/// <summary>What Ripen wants the provider to keep: the estate's price book, and its buckets with their rules and workload.</summary>
/// <param name="Estate">Valid. Lots in a bucket's stock are to be put there once, as told by <see cref="PlannedBucket.StockVersion"/>.</param>
/// <param name="Version">The version of the estate; a plan of a newer version replaces one of an older.</param>
/// <param name="ImportVersion">The version in which the whole estate was replaced: an import newer than the provider's empties it first.</param>
/// <param name="Buckets">By name, what the estate's record of a bucket does not say.</param>
public sealed record ProviderPlan(Estate Estate, long Version, long ImportVersion, IReadOnlyDictionary<string, PlannedBucket> Buckets);

/// <param name="StatedOn">The day on which the rates of the bucket's streams hold; growth counts from there.</param>
/// <param name="StockVersion">Rises when the estate brings new lots for the bucket.</param>
public sealed record PlannedBucket(DateOnly StatedOn, long StockVersion);
