using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Stock;

/// <summary>Folds what lies in a bucket into lots, exactly: every bill of the lots is the bill of the entries.</summary>
internal static class StockFold
{
    /// <summary>More sizes than this, of one prefix, day and tier, are put together by class.</summary>
    private const int MostSizes = 24;

    private readonly record struct Group(string Prefix, int Created, int Tier, int Since);

    /// <param name="db">To read from.</param>
    /// <param name="terms">The plan in force.</param>
    /// <param name="bucket">Whose entries.</param>
    /// <param name="drafted">Rules that are being considered: lots are cut so that these match them exactly as well.</param>
    public static IReadOnlyList<Lot> Lots(SqliteConnection db, Terms terms, BucketTerms bucket, IReadOnlyList<LifecycleRule> drafted)
    {
        var cuts = bucket.Bucket.Rules.Concat(drafted).Select(r => r.Prefix).Concat(bucket.Bucket.CopyTo.Select(c => c.Prefix)).Distinct().ToArray();
        var groups = new Dictionary<Group, Dictionary<long, double>>();
        var order = new List<Group>();
        using var command = db.Statement("SELECT key, kind, count, bytes, created, tier, since FROM entry WHERE bucket = ?1 AND kind < 2 ORDER BY id", bucket.Id);
        using var row = command.ExecuteReader();
        while (row.Read())
        {
            var key = row.GetString(0);
            var group = new Group(row.GetInt32(1) == 0 ? key : LotPrefix(key, cuts), row.GetInt32(4), terms.Place(row.GetInt64(5)), row.GetInt32(6));
            if (!groups.TryGetValue(group, out var sizes))
            {
                groups[group] = sizes = [];
                order.Add(group);
            }
            var bytes = row.GetInt64(3);
            sizes[bytes] = sizes.GetValueOrDefault(bytes) + row.GetDouble(2);
        }
        var classes = new SizeClasses(bucket.Bucket, terms.Prices, drafted);
        return [.. order.SelectMany(g => Sizes(groups[g], classes).Select(size => ToLot(g, size.Count, size.Bytes, terms)))];
    }

    private static IEnumerable<(double Count, long Bytes)> Sizes(Dictionary<long, double> sizes, SizeClasses classes) => sizes.Count <= MostSizes
        ? sizes.Select(s => (s.Value, s.Key))
        : sizes.GroupBy(s => classes.Of(s.Key)).SelectMany(g => SizeClasses.Exactly(g.Sum(s => s.Value), g.Sum(s => s.Value * s.Key)));

    /// <summary>
    /// The longest of the key's folder and the rules' prefixes that it begins with. A prefix that the key begins with is then one that its lot
    /// begins with too, and no other is: both are beginnings of the same key.
    /// </summary>
    private static string LotPrefix(string key, string[] cuts)
    {
        var prefix = key[..(key.LastIndexOf('/') + 1)];
        foreach (var cut in cuts)
        {
            if (cut.Length > prefix.Length && key.StartsWith(cut, StringComparison.Ordinal)) prefix = cut;
        }
        return prefix;
    }

    private static Lot ToLot(Group group, double count, long bytes, Terms terms)
    {
        var whole = Math.Floor(count);
        return new Lot
        {
            Prefix = group.Prefix,
            Created = DateOnly.FromDayNumber(group.Created),
            Tier = terms.Prices.Tiers[group.Tier].Id,
            InTierSince = DateOnly.FromDayNumber(group.Since),
            Objects = (long)whole,
            Fraction = count == whole ? null : count - whole,
            BytesPerObject = bytes,
        };
    }
}
