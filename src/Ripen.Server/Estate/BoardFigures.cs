using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Server.Estates;

/// <summary>What every bucket of an estate holds on a day and costs, for sorting, finding and adding up; rows with their pictures are made
/// for those that are shown.</summary>
internal sealed class BoardFigures
{
    private readonly EstateView view;
    private readonly Projection projection;

    public BoardFigures(EstateView view, int months, DateOnly day)
    {
        (this.view, Day) = (view, day);
        projection = view.Project(months);
        Month = projection.Calendar.MonthOf(day.DayNumber - view.Estate.Today.DayNumber);
        Contents = [.. view.Estate.Buckets.AsParallel().AsOrdered().Select(b => Snapshot.Of(b, view.Estate, day, projection.Copies))];
    }

    public DateOnly Day { get; }

    /// <summary>That holds the day, counted from the first of the projection.</summary>
    public int Month { get; }

    /// <summary>In the order of the estate's buckets.</summary>
    public Snapshot[] Contents { get; }

    public IReadOnlyList<double[]> Money => projection.Money;

    /// <summary>Money that is agreed for the estate in the day's month.</summary>
    public double Agreed => projection.AgreedMoney(Month);

    /// <summary>Money of some buckets by month; where they are all of them, with what is agreed for the estate.</summary>
    public double[] MoneyOf(List<int> buckets)
    {
        if (buckets.Count == Contents.Length)
            return projection.MoneyInAll;
        var sums = new double[projection.Calendar.Months];
        foreach (var bucket in buckets)
        {
            for (var m = 0; m < sums.Length; m++)
                sums[m] += projection.Money[bucket][m];
        }
        return sums;
    }

    /// <summary>The places in the estate of the buckets that are asked for, in the order that is asked for.</summary>
    /// <param name="query">In order.</param>
    /// <param name="marks">That are all demanded.</param>
    /// <param name="order">By which they are sorted.</param>
    /// <param name="lateSources">Names of buckets whose copies are late.</param>
    public List<int> Find(BoardQuery query, IReadOnlyList<BucketMark> marks, BoardOrder order, IReadOnlySet<string> lateSources)
    {
        var words = (query.Find ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var found = Enumerable
            .Range(0, Contents.Length)
            .Where(i => Matches(i, query, words) && marks.All(m => HasMark(i, m, lateSources)))
            .ToList();
        if (order == BoardOrder.Estate)
        {
            if (query.Descending)
                found.Reverse();
            return found;
        }
        var compare = Comparer(order);
        found.Sort((a, b) => (query.Descending ? compare(b, a) : compare(a, b)) is not 0 and var by ? by : a.CompareTo(b));
        return found;
    }

    /// <summary>The marks of one bucket.</summary>
    public IEnumerable<BucketMark> MarksOf(int bucket, IReadOnlySet<string> lateSources) =>
        lateSources.Contains(view.Estate.Buckets[bucket].Name) ? view.Marks(bucket).Append(BucketMark.LateCopies) : view.Marks(bucket);

    private bool HasMark(int i, BucketMark mark, IReadOnlySet<string> lateSources) =>
        mark == BucketMark.LateCopies ? lateSources.Contains(view.Estate.Buckets[i].Name) : view.Marks(i).Contains(mark);

    private Comparison<int> Comparer(BoardOrder order)
    {
        var buckets = view.Estate.Buckets;
        return order switch
        {
            BoardOrder.Name => (a, b) => string.CompareOrdinal(buckets[a].Name, buckets[b].Name),
            BoardOrder.Region => (a, b) => string.CompareOrdinal(buckets[a].Region, buckets[b].Region),
            BoardOrder.Objects => (a, b) => Contents[a].Objects.CompareTo(Contents[b].Objects),
            BoardOrder.Bytes => (a, b) => Contents[a].Bytes.CompareTo(Contents[b].Bytes),
            BoardOrder.Cost => (a, b) => Money[a][Month].CompareTo(Money[b][Month]),
            BoardOrder.Later => (a, b) => Money[a][^1].CompareTo(Money[b][^1]),
            _ => (a, b) => (Money[a][^1] - Money[a][Month]).CompareTo(Money[b][^1] - Money[b][Month]),
        };
    }

    private bool Matches(int i, BoardQuery query, string[] words)
    {
        var bucket = view.Estate.Buckets[i];
        return (query.Region is null || bucket.Region == query.Region)
            && (query.Tier is null || bucket.Tier == query.Tier || Contents[i].Tiers.Any(t => t.Tier == query.Tier))
            && (query.CostFrom is not { } least || Money[i][Month] >= least)
            && words.All(w => Says(bucket, Contents[i], w));
    }

    private bool Says(Bucket bucket, Snapshot contents, string word)
    {
        return Has(bucket.Name)
            || Has(bucket.Region)
            || Has(view.Estate.PriceBook.FindRegion(bucket.Region)!.Name)
            || Has(bucket.Scheme)
            || Has(bucket.Tenant ?? "")
            || contents.Tiers.Any(t => Has(t.Tier))
            || bucket.Rules.Any(r => Has(r.Prefix))
            || bucket.Streams.Any(s => Has(s.Prefix) || (s.Tags?.Any(t => Has($"{t.Key}={t.Value}")) ?? false))
            || bucket.Stock.Any(l => l.Tags?.Any(t => Has($"{t.Key}={t.Value}")) ?? false);

        bool Has(string text) => text.Contains(word, StringComparison.OrdinalIgnoreCase);
    }
}
