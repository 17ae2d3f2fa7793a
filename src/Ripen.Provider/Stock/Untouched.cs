using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Stock;

/// <summary>What nobody read for at least <paramref name="Days"/> days (nor wrote), and what storing it costs a month, tier by tier, at the first
/// band's price.</summary>
public sealed record UntouchedFor(int Days, double Objects, double Bytes, IReadOnlyList<PricedTerm> Terms)
{
    /// <summary>Money.</summary>
    public double CostPerMonth => Terms.Sum(t => t.Amount);
}

/// <summary>By what keys begin with, up to the first "/" after the asked prefix. "Days" 0 is everything there.</summary>
public sealed record UntouchedPrefix(string Prefix, IReadOnlyList<UntouchedFor> For);

internal static class Untouched
{
    /// <summary>0 stands for everything.</summary>
    public static readonly int[] Days = [0, 30, 90, 180, 365];

    public static IReadOnlyList<UntouchedPrefix> Of(SqliteConnection db, Terms terms, BucketTerms bucket, string under)
    {
        var today = ProviderState.Today(db).DayNumber;
        var sums = new UntouchedSums(terms, bucket);
        using var command = db.Statement(
            "SELECT key, count, bytes, tier, max(created, coalesce(touched, created)) FROM entry WHERE bucket = ?1 AND kind < 2 AND "
                + "key >= ?2 AND (?3 IS NULL OR key < ?3)",
            bucket.Id,
            under,
            ObjectKeys.After(under)
        );
        using var row = command.ExecuteReader();
        while (row.Read())
        {
            var key = row.GetString(0);
            var slash = key.IndexOf('/', under.Length);
            sums.Add(
                slash < 0 ? under : key[..(slash + 1)],
                row.GetDouble(1),
                row.GetInt64(2),
                terms.Place(row.GetInt64(3)),
                today - row.GetInt32(4)
            );
        }
        return sums.ByPrefix();
    }
}

internal sealed class UntouchedSums(Terms terms, BucketTerms bucket)
{
    private sealed class Sum(int tiers)
    {
        public double Objects;
        public double Bytes;
        public readonly double[] UnitMonths = new double[tiers];
    }

    private readonly SortedDictionary<string, Sum[]> sums = new(StringComparer.Ordinal);

    public void Add(string prefix, double count, long bytes, int tier, int untouchedDays)
    {
        if (!sums.TryGetValue(prefix, out var sum))
            sums[prefix] = sum = [.. Untouched.Days.Select(_ => new Sum(terms.Prices.Tiers.Count))];
        var unitMonths = count * terms.Prices.Tiers[tier].BilledBytes(bytes) / terms.Prices.Unit.Bytes();
        for (var i = 0; i < sum.Length && Untouched.Days[i] <= untouchedDays; i++)
        {
            sum[i].Objects += count;
            sum[i].Bytes += count * bytes;
            sum[i].UnitMonths[tier] += unitMonths;
        }
    }

    public List<UntouchedPrefix> ByPrefix() =>
        [
            .. sums.Select(s => new UntouchedPrefix(
                s.Key,
                [.. s.Value.Select((v, i) => new UntouchedFor(Untouched.Days[i], v.Objects, v.Bytes, TermsOf(v)))]
            )),
        ];

    private IReadOnlyList<PricedTerm> TermsOf(Sum sum) =>
        [
            .. terms
                .Prices.Tiers.Select((tier, i) => (tier.Id, UnitMonths: sum.UnitMonths[i]))
                .Where(t => t.UnitMonths > 0)
                .Select(t => PricedTerm.OfResting(terms.Prices, bucket.Bucket, t.Id, t.UnitMonths, "stored")),
        ];
}
