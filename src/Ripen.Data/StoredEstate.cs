using Ripen.Core.Estates;

namespace Ripen.Data;

/// <summary>
/// An estate as stored, with the versions that a change must name. The provider holds the stock: lots are here only from when an estate or
/// bucket brought them until <see cref="EstateStore.HandedOver"/> says that the provider has them.
/// </summary>
/// <param name="Estate">As decided.</param>
/// <param name="Version">Rises with every change.</param>
/// <param name="ImportVersion">In which the whole estate was replaced.</param>
/// <param name="Buckets">By name.</param>
/// <param name="Identity">The database's for life.</param>
/// <param name="Mark">Random, of this version.</param>
public sealed record StoredEstate(
    Estate Estate,
    long Version,
    long ImportVersion,
    IReadOnlyDictionary<string, StoredBucket> Buckets,
    string Identity,
    string Mark
);

/// <summary>What a database says of itself, without its estate.</summary>
/// <param name="Identity">For life.</param>
/// <param name="Version">Of the estate; 0 when there is none.</param>
/// <param name="Mark">Of that version.</param>
/// <param name="ImportVersion">Of the last import.</param>
/// <param name="AdoptedVersion">The newest that a provider's folder is known to have taken up; 0 for none.</param>
/// <param name="AdoptedMark">Of that version.</param>
/// <param name="DemoSteps">Steps of the demo's past that were done; null when it is whole, or no demo.</param>
public sealed record StoreStanding(
    string Identity,
    long Version,
    string Mark,
    long ImportVersion,
    long AdoptedVersion,
    string AdoptedMark,
    int? DemoSteps
);

/// <param name="Version">What a change must name.</param>
/// <param name="StatedOn">The day on which the rates of its streams hold.</param>
/// <param name="StockVersion">The version of the estate that brought its lots.</param>
/// <param name="LiftVersion">The version in which its liftable keep rule was last lifted; 0 for never.</param>
public sealed record StoredBucket(long Version, DateOnly StatedOn, long StockVersion, long LiftVersion);
