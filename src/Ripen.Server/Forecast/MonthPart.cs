using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Server.Http;

namespace Ripen.Server.Forecasts;

/// <summary>Which part of a month's money is meant. What is null is not looked at; <see cref="Agreements.Key"/> stands for no bucket, region or
/// tier.</summary>
internal sealed record MonthPart(IReadOnlySet<string>? Buckets, string? Region, string? Tenant, string? Tier, string? Charge)
{
    /// <summary>The one bucket that is meant; null for all, or for several.</summary>
    public string? Bucket => Buckets is { Count: 1 } ? Buckets.First() : null;

    /// <summary>Whether all of the month is meant.</summary>
    public bool IsAll => this is { Buckets: null, Region: null, Tenant: null, Tier: null, Charge: null };

    /// <summary>The one charge that is meant; null for all, or for one that is not known.</summary>
    public Charge? Only => Enum.GetValues<Charge>().Where(c => c.Name() == Charge).Select(c => (Charge?)c).FirstOrDefault();

    /// <summary>What it names beside the bucket that does not exist; null for nothing.</summary>
    public Problem? Wrong(Estate estate)
    {
        return !Known(Region, estate.PriceBook.Regions.Select(r => r.Id)) ? Unknown("region", Region)
            : !Known(Tier, estate.PriceBook.Tiers.Select(t => t.Id)) ? Unknown("tier", Tier)
            : Tenant is not (null or Tenants.None) && estate.Buckets.All(b => b.Tenant != Tenant) ? Unknown("tenant", Tenant)
            : Charge is not null && Only is null ? new("unknown-choice", "?charge", $"'{Charge}' is no charge.")
            : null;

        static bool Known(string? id, IEnumerable<string> ids) => id is null or Agreements.Key || ids.Contains(id);
        static Problem Unknown(string kind, string? id) => new("unknown-reference", $"?{kind}", $"There is no {kind} '{id}'.");
    }

    /// <summary>The rows of it that are projected.</summary>
    /// <param name="projection">Of the estate.</param>
    /// <param name="month">Counted from its first.</param>
    public IEnumerable<ForecastRow> Of(Projection projection, int month) => Of(projection.Rows(month, 1, Has), projection.Estate);

    /// <summary>The rows of it.</summary>
    /// <param name="rows">Of the month.</param>
    /// <param name="estate">Knows whose a bucket is; one that is gone is nobody's.</param>
    public IEnumerable<ForecastRow> Of(IEnumerable<ForecastRow> rows, Estate estate) =>
        rows.Where(r => Has(r.Region, r.Tier, r.Charge) && Has(r.Bucket, estate));

    /// <summary>Money of it in a projected month.</summary>
    public double Money(Projection projection, int month) =>
        IsAll ? projection.MoneyInAll[month] : Of(projection, month).Sum(r => r.Amount);

    /// <summary>Whether that is charged there in it, whoever is charged.</summary>
    public bool Has(string region, string tier, Charge charge) =>
        Is(Region, region) && Is(Tier, tier) && (Charge is null || charge.Name() == Charge);

    /// <summary>Whether the bucket is meant, as it stands.</summary>
    public bool Has(Bucket bucket) =>
        Names(bucket.Name) && Is(Region, bucket.Region) && (Tenant is null || Tenants.KeyOf(bucket) == Tenant);

    /// <summary>Whether what was charged to that bucket is meant; the estate as a whole has no name.</summary>
    public bool Has(string bucket, Estate estate) => Names(bucket) && (Tenant is null || TenantOf(bucket, estate) == Tenant);

    private bool Names(string bucket) => Buckets is null || Buckets.Contains(Agreements.KeyOf(bucket));

    private static string? TenantOf(string bucket, Estate estate) =>
        bucket.Length == 0 ? null
        : estate.Find(bucket) is { } found ? Tenants.KeyOf(found)
        : Tenants.None;

    private static bool Is(string? wanted, string id) => wanted is null || wanted == Agreements.KeyOf(id);

    /// <summary>A part that opens further: by bucket where not just one is named, else by tier and charge.</summary>
    /// <param name="rows">Of it.</param>
    public IEnumerable<DerivationLine> Lines(IEnumerable<ForecastRow> rows) => (
            Bucket is null
                ? rows.GroupBy(r => r.Bucket).Select(g => new DerivationLine(Agreements.KeyOf(g.Key), null, null, g.Sum(r => r.Amount)))
                : rows
                // What is agreed opens by charge: it has a tier only where something is taken off there.
                .GroupBy(r => (Tier: Bucket == Agreements.Key ? null : r.Tier, r.Charge))
                    .Select(g => new DerivationLine(Bucket, g.Key.Tier, g.Key.Charge, g.Sum(r => r.Amount)))
        ).Where(l => l.Amount != 0).OrderByDescending(l => l.Amount);
}
