using System.Collections.Concurrent;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Estates;
using Ripen.Server.Scenarios;

namespace Ripen.Server;

/// <summary>
/// The estate of one moment, whole: what was decided comes from the store, today and the stock from the provider. Its projections are
/// computed once each, and what did not change since the view before is taken over from there.
/// </summary>
public sealed class EstateView
{
    private const int MostDays = 8;

    private readonly ConcurrentDictionary<int, Lazy<Projection>> projections = [];
    private readonly ConcurrentDictionary<(int Months, DateOnly Day), Lazy<BoardFigures>> figures = [];
    private readonly Lazy<BucketMark[][]> marks;
    private readonly StoredEstate stored;
    private Late? late;
    private AssumedEstates? assumed;
    private Ranged? uncertain;
    private Foreseen? toCome;

    private EstateView(StoredEstate stored, ProviderStock stock, Estate estate, EstateView? before)
    {
        (this.stored, Stock, Estate) = (stored, stock, estate);
        marks = new Lazy<BucketMark[][]>(() =>
            [.. estate.Buckets.AsParallel().AsOrdered().Select(b => BucketMarks.Of(b, estate).ToArray())]
        );
        if (before is null || !ReferenceEquals(before.Estate.PriceBook, estate.PriceBook))
            return;
        foreach (var (months, known) in before.projections)
        {
            if (known.IsValueCreated)
                projections[months] = new Lazy<Projection>(() => known.Value.With(estate));
        }
    }

    public Estate Estate { get; }

    public long Version => stored.Version;

    internal ProviderStock Stock { get; }

    internal StoredEstate Stored => stored;

    public long VersionOf(string bucket) => stored.Buckets[bucket].Version;

    public Projection Project(int months) => projections.GetOrAdd(months, m => new Lazy<Projection>(() => Projection.Of(Estate, m))).Value;

    /// <summary>Names of buckets whose copies are late at this instant of the provider's clock; worked out once for it.</summary>
    internal IReadOnlySet<string> LateSources(DateTimeOffset now, Func<IReadOnlySet<string>> find)
    {
        if (late is not { } known || known.At != now)
            late = known = new Late(now, find());
        return known.Sources;
    }

    /// <summary>What a projection of this view costs over ranges; the last one is at hand, for other prices and
    /// other draws, and for one other range.</summary>
    internal Checked<UncertainMoney> Uncertain(Projection projection, Uncertain growth, Uncertain reading)
    {
        var known = uncertain;
        if (known is null || !ReferenceEquals(known.Of, projection) || (known.Growth, known.Reading) != (growth, reading))
            uncertain = known = new Ranged(
                projection,
                growth,
                reading,
                UncertainMoney.Of(projection, growth, reading, known?.Money is { Ok: true } last ? last.Value : null)
            );
        return known.Money;
    }

    /// <summary>What is to come of the months of a budget; that of the last ones is at hand, for another look at it.</summary>
    /// <param name="of">The months, and money that was charged in the running one so far.</param>
    /// <param name="foresee">Where it is not at hand.</param>
    internal MonthlyCharges ToCome((Month First, int Months, double Charged) of, Func<MonthlyCharges> foresee)
    {
        var known = toCome;
        if (known is null || known.Of != of)
            toCome = known = new(of, foresee());
        return known.Money;
    }

    private sealed record Foreseen((Month First, int Months, double Charged) Of, MonthlyCharges Money);

    /// <summary>The estate under scenarios.</summary>
    /// <param name="current">Knows what buckets hold.</param>
    internal AssumedEstates Assumed(CurrentEstate current) => assumed ??= new AssumedEstates(this, current);

    /// <summary>What <see cref="BucketMarks"/> says of the bucket at this place.</summary>
    internal BucketMark[] Marks(int bucket) => marks.Value[bucket];

    /// <summary>Of the days that were looked at last.</summary>
    internal BoardFigures Figures(int months, DateOnly day)
    {
        if (figures.Count >= MostDays)
            figures.Clear();
        return figures.GetOrAdd((months, day), of => new Lazy<BoardFigures>(() => new BoardFigures(this, of.Months, of.Day))).Value;
    }

    internal static EstateView Of(StoredEstate stored, ProviderStock stock, EstateView? before)
    {
        var buckets = stored.Estate.Buckets.Select(bucket =>
        {
            var lots = stock.Buckets[bucket.Name].Lots;
            var same =
                before?.Stock.Today == stock.Today
                && before.stored.Estate.Find(bucket.Name) is { } storedBefore
                && ReferenceEquals(storedBefore, bucket)
                && before.stored.Buckets[bucket.Name] == stored.Buckets[bucket.Name]
                && before.Estate.Find(bucket.Name) is { } known
                && ReferenceEquals(known.Stock, lots)
                    ? known
                    : null;
            return same
                ?? bucket with
                {
                    Stock = lots,
                    Recalled = stock.Buckets[bucket.Name].Recalled,
                    Unfinished = stock.Buckets[bucket.Name].Unfinished,
                    Streams = [.. bucket.Streams.Select(s => s.AsOf(stock.Today, stored.Buckets[bucket.Name].StatedOn))],
                    CopyTo =
                    [
                        .. bucket.CopyTo.Zip(
                            stock.Buckets[bucket.Name].Copies,
                            (rule, now) => rule with { CatchUp = rule.CatchUp && !now.IsCaughtUp, Waiting = now.Waiting }
                        ),
                    ],
                };
        });
        var same =
            before is not null
            && before.Stock.Today == stock.Today
            && ReferenceEquals(before.Stock.Runs, stock.Runs)
            && ReferenceEquals(before.stored.Estate.Plans, stored.Estate.Plans)
            && ReferenceEquals(before.stored.Estate.Workloads, stored.Estate.Workloads);
        var estate = stored.Estate with
        {
            Today = stock.Today,
            PriceBook =
                before is not null
                && ReferenceEquals(before.stored.Estate.PriceBook, stored.Estate.PriceBook)
                && before.Estate.PriceBook.Changes.All(c => c.From > stock.Today)
                    ? before.Estate.PriceBook
                    : stored.Estate.PriceBook.On(stock.Today),
            Buckets = [.. buckets],
            Workloads = same
                ? before!.Estate.Workloads
                : [.. stored.Estate.Workloads.Select(w => w.AsOf(stock.Today, stored.Estate.Today))],
            Arrays = stock.Arrays,
            Plans = same ? before!.Estate.Plans : stock.WithRuns(stored.Estate.Plans),
        };
        return new EstateView(stored, stock, estate, before);
    }

    private sealed record Ranged(Projection Of, Uncertain Growth, Uncertain Reading, Checked<UncertainMoney> Money);

    private sealed record Late(DateTimeOffset At, IReadOnlySet<string> Sources);
}
