using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;

namespace Ripen.Provider.Stock;

/// <summary>Folds what lies in a bucket into lots, exactly: every bill of the lots is the bill of the entries. What plans' runs stored there
/// is told by the runs.</summary>
internal static class StockFold
{
    /// <summary>More sizes than this, of one prefix, day and tier, are put together by class.</summary>
    private const int MostSizes = 24;

    private readonly record struct Group(
        string Prefix,
        int Created,
        int Tier,
        int Since,
        string? Tags,
        int? Superseded,
        int? ReplacedOn,
        int? RewriteEvery,
        int? KeptUntil,
        int? LastRead,
        double OriginalsEach
    );

    /// <param name="db">To read from.</param>
    /// <param name="terms">The plan in force.</param>
    /// <param name="bucket">Whose entries.</param>
    /// <param name="draft">The bucket as it is being considered: lots are cut so that its rules match them exactly as well.</param>
    public static IReadOnlyList<Lot> Lots(SqliteConnection db, Terms terms, BucketTerms bucket, Bucket draft)
    {
        var copies = bucket.Bucket.CopyTo.Concat(draft.CopyTo).ToList();
        var cuts = Cuts(bucket.Bucket).Concat(Cuts(draft)).Distinct().ToArray();
        var asked = copies
            .SelectMany(c => c.Tags?.Keys ?? [])
            .Concat(bucket.Bucket.Rules.Concat(draft.Rules).SelectMany(r => r.Tags?.Keys ?? []))
            .ToHashSet();
        // What earlier versions there still are of a bucket that keeps none lies there like anything else.
        var versioned = bucket.Bucket.Versioning && draft.Versioning;
        var watched = bucket.Bucket.Rules.Concat(draft.Rules).Any(r => r.WatchesReading);
        var groups = new Dictionary<Group, Dictionary<long, double>>();
        var order = new List<Group>();
        using var command = db.Statement(
            "SELECT key, kind, count, bytes, created, tier, since, tags, superseded, replaced_on, rewrite, max(coalesce(sealed_until, 0), coalesce(own_liftable, 0)), touched, originals FROM "
                + "entry WHERE bucket = ?1 AND kind < 2 AND (run IS NULL OR origin IS NOT NULL) ORDER BY id",
            bucket.Id
        );
        using var row = command.ExecuteReader();
        while (row.Read())
        {
            var key = row.GetString(0);
            var group = new Group(
                row.GetInt32(1) == 0 ? key : LotPrefix(key, cuts),
                row.GetInt32(4),
                terms.Place(row.GetInt64(5)),
                row.GetInt32(6),
                asked.Count == 0 ? null : Asked(row.Text(7), asked),
                versioned ? row.Int(8) : null,
                versioned && row.Int(8) is not null ? null : row.Int(9),
                row.Int(10),
                OwnRetention(row.GetInt32(11), row.GetInt32(4), draft),
                watched && row.Int(12) > row.GetInt32(4) ? row.Int(12) : null,
                row.IsDBNull(13) ? 1 : row.GetDouble(13) / row.GetDouble(2)
            );
            if (!groups.TryGetValue(group, out var sizes))
            {
                groups[group] = sizes = [];
                order.Add(group);
            }
            var bytes = row.GetInt64(3);
            sizes[bytes] = sizes.GetValueOrDefault(bytes) + row.GetDouble(2);
        }
        var classes = new SizeClasses(bucket.Bucket, terms.Prices, draft.Rules);
        return [.. order.SelectMany(g => Sizes(groups[g], classes).Select(size => ToLot(g, size.Count, size.Bytes, terms)))];
    }

    /// <summary>Until when an entry is kept beyond what the bucket's rule says of it; null for no longer.</summary>
    private static int? OwnRetention(int ownUntil, int created, Bucket draft) =>
        ownUntil > (draft.Keep.KeptUntil(DateOnly.FromDayNumber(created))?.DayNumber ?? 0) ? ownUntil : null;

    /// <summary>Where the prefixes of lots must be cut for this bucket's rules.</summary>
    public static IEnumerable<string> Cuts(Bucket bucket) =>
        bucket.Rules.Select(r => r.Scope.Prefix).Concat(bucket.CopyTo.Select(c => c.Scope.Prefix));

    /// <summary>Of an object's tags those that a copy rule asks for.</summary>
    private static string? Asked(string? tags, HashSet<string> asked) =>
        tags is null ? null : TagText.Write(TagText.Read(tags)!.Where(t => asked.Contains(t.Key)).ToDictionary());

    /// <summary>So many of each size; by class when there are too many sizes.</summary>
    public static IEnumerable<(double Count, long Bytes)> Sizes(Dictionary<long, double> sizes, SizeClasses classes) =>
        sizes.Count <= MostSizes
            ? sizes.Select(s => (s.Value, s.Key))
            : sizes.GroupBy(s => classes.Of(s.Key)).SelectMany(g => ExactSplit.BySize(g.Sum(s => s.Value), g.Sum(s => s.Value * s.Key)));

    /// <summary>
    /// The longest of the key's folder and the rules' prefixes that it begins with. A prefix that the key begins with is then one that its
    /// lot begins with too, and no other is: both are beginnings of the same key.
    /// </summary>
    public static string LotPrefix(string key, string[] cuts)
    {
        var prefix = key[..(key.LastIndexOf('/') + 1)];
        foreach (var cut in cuts)
        {
            if (cut.Length > prefix.Length && key.StartsWith(cut, StringComparison.Ordinal))
                prefix = cut;
        }
        return prefix;
    }

    private static Lot ToLot(Group group, double count, long bytes, Terms terms)
    {
        var (objects, fraction) = ExactSplit.Whole(count);
        return new Lot
        {
            Prefix = group.Prefix,
            Created = DateOnly.FromDayNumber(group.Created),
            Tier = terms.Prices.Tiers[group.Tier].Id,
            InTierSince = DateOnly.FromDayNumber(group.Since),
            Objects = objects,
            Fraction = fraction,
            BytesPerObject = bytes,
            LastRead = Day(group.LastRead),
            Originals = group.OriginalsEach == 1 ? null : count * group.OriginalsEach,
            Tags = TagText.Read(group.Tags),
            Earlier = group.Superseded is not null,
            SupersededOn = Day(group.Superseded),
            ReplacedOn = Day(group.ReplacedOn),
            RewriteEvery = group.RewriteEvery,
            KeptUntil = Day(group.KeptUntil),
        };

        static DateOnly? Day(int? number) => number is { } n ? DateOnly.FromDayNumber(n) : null;
    }
}
