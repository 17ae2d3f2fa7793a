using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Stock;

/// <summary>Folds what waits on a bucket's copy rules into lots, in the order in which it began to wait.</summary>
internal static class WaitingFold
{
    private readonly record struct Group(string Prefix, int Created, int Since);

    /// <returns>In the order of the bucket's rules.</returns>
    public static IReadOnlyList<CopyStock> Of(SqliteConnection db, Terms terms, BucketTerms bucket)
    {
        var routes = Routes.From(db, terms, bucket).Where(r => !r.IsRefill).ToList();
        return [.. bucket.Bucket.CopyTo.Select(rule => Of(db, terms, routes.First(r => ReferenceEquals(r.Rule, rule))))];
    }

    private static CopyStock Of(SqliteConnection db, Terms terms, Route route)
    {
        var cuts = StockFold.Cuts(route.To.Bucket).Distinct().ToArray();
        var groups = new Dictionary<Group, Dictionary<long, double>>();
        var order = new List<Group>();
        using var command = db.Statement(
            "SELECT key, kind, count, bytes, created, asked FROM pending WHERE route = ?1 AND kind < 2 ORDER BY id",
            route.Id
        );
        using var row = command.ExecuteReader();
        while (row.Read())
        {
            var key = row.GetString(0);
            var group = new Group(
                row.GetInt32(1) == 0 ? key : StockFold.LotPrefix(key, cuts),
                row.GetInt32(4),
                Lines.DayOf(row.GetInt64(5))
            );
            if (!groups.TryGetValue(group, out var sizes))
            {
                groups[group] = sizes = [];
                order.Add(group);
            }
            sizes[row.GetInt64(3)] = sizes.GetValueOrDefault(row.GetInt64(3)) + row.GetDouble(2);
        }
        var classes = new SizeClasses(route.To.Bucket, terms.Prices);
        var caughtUp = db.Value<long>("SELECT caught_up FROM route WHERE id = ?1", route.Id) == 1;
        return new CopyStock(
            caughtUp,
            [.. order.SelectMany(g => StockFold.Sizes(groups[g], classes).Select(size => ToLot(g, size.Count, size.Bytes)))]
        );
    }

    private static WaitingLot ToLot(Group group, double count, long bytes)
    {
        var (objects, fraction) = ExactSplit.Whole(count);
        return new WaitingLot
        {
            Prefix = group.Prefix,
            Created = DateOnly.FromDayNumber(group.Created),
            Since = DateOnly.FromDayNumber(group.Since),
            Objects = objects,
            Fraction = fraction,
            BytesPerObject = bytes,
        };
    }
}
