using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What an estate uses and costs, month by month from its today. Immutable; <see cref="With"/> gives the projection of a changed
/// estate and computes only the buckets that the change touches.
/// </summary>
public sealed class Projection
{
    /// <summary>Of so many buckets each, what they use is counted side by side: fewer do not pay.</summary>
    private const int LeastTogether = 32;

    private readonly List<BucketUsage> usages;
    private readonly Lazy<double[][]> money;
    private readonly Lazy<double[]> moneyInAll;
    private readonly Lazy<ChargeTable> charges;
    private readonly Lazy<int[]> byName;
    private readonly Lazy<IReadOnlyList<SettledLine>[]> agreed;

    private Projection(Estate estate, BillingCalendar calendar, IncomingCopies copies, List<BucketUsage> usages, Projection? previous)
    {
        Estate = estate;
        Calendar = calendar;
        Copies = copies;
        this.usages = usages;
        Bill = new Bill(estate.PriceBook, calendar, usages, previous?.Bill);
        // Of the projection before, no more is held than its money, and only until this one's is known.
        var known = previous?.money is { IsValueCreated: true } told ? new KnownMoney(previous.Bill, previous.usages, told.Value) : null;
        money = new Lazy<double[][]>(() => MoneyByBucket(known));
        moneyInAll = new Lazy<double[]>(() =>
        {
            var sums = new double[calendar.Months];
            foreach (var own in money.Value)
            {
                for (var m = 0; m < sums.Length; m++)
                    sums[m] += own[m];
            }
            for (var m = 0; m < sums.Length; m++)
                sums[m] += AgreedMoney(m);
            return sums;
        });
        byName = new Lazy<int[]>(() => [.. Enumerable.Range(0, usages.Count).OrderBy(i => usages[i].Bucket.Name, StringComparer.Ordinal)]);
        var counted = previous?.charges is { IsValueCreated: true } table ? table.Value : null;
        charges = new Lazy<ChargeTable>(() => ChargeTable.Of(this, counted));
        agreed = new Lazy<IReadOnlyList<SettledLine>[]>(() =>
            [
                .. Enumerable
                    .Range(0, calendar.Months)
                    .Select(m =>
                        Settlement.Of(
                            estate.PriceBook,
                            MonthAt(m),
                            PartOf(m),
                            Settlement.DependsOnUse(estate.PriceBook) ? Charges.Of(m) : []
                        )
                    ),
            ]
        );
    }

    public Estate Estate { get; }

    public BillingCalendar Calendar { get; }

    public Bill Bill { get; }

    public IncomingCopies Copies { get; }

    /// <summary>In the order of the estate's buckets.</summary>
    public IReadOnlyList<BucketUsage> Usages => usages;

    /// <summary>Projects a valid estate over <paramref name="months"/> calendar months.</summary>
    /// <exception cref="ArgumentOutOfRangeException">Months are not from 1 to <see cref="BillingCalendar.MostMonths"/>.</exception>
    public static Projection Of(Estate estate, int months) =>
        Compute(estate, new BillingCalendar(estate.Today, months, estate.PriceBook), previous: null, samePrices: false);

    /// <summary>The projection of <paramref name="estate"/> over the same months; what did not change since this one is taken over. Where
    /// nothing but amounts of money is otherwise, nothing is counted again.</summary>
    public Projection With(Estate estate)
    {
        if (estate.Today != Estate.Today)
            return Of(estate, Calendar.Months);
        if (ReferenceEquals(estate.PriceBook, Estate.PriceBook))
            return Compute(estate, Calendar, this, samePrices: true);
        var calendar = new BillingCalendar(estate.Today, Calendar.Months, estate.PriceBook);
        return estate.PriceBook.CountsAs(Estate.PriceBook) && calendar.IsSame(Calendar)
            ? Compute(estate, calendar, this, samePrices: false)
            : Compute(estate, calendar, previous: null, samePrices: false);
    }

    /// <summary>What all buckets are charged by region, tier and charge; computed once.</summary>
    internal ChargeTable Charges => charges.Value;

    /// <summary>What agreements make of a month, counted from the first; computed once.</summary>
    public IReadOnlyList<SettledLine> Agreed(int month) => agreed.Value[month];

    /// <summary>Money of that month for agreements.</summary>
    public double AgreedMoney(int month) => Agreed(month).Sum(l => l.Amount);

    /// <summary>The share of a month's days that is projected: below 1 where the first has begun.</summary>
    public double PartOf(int month) => (double)(Calendar.MonthStart(month + 1) - Calendar.MonthStart(month)) / MonthAt(month).Days;

    private Month MonthAt(int month) => Month.Of(Calendar.Date(month));

    /// <summary>What is agreed for a month as rows of no bucket, in the order of the bill.</summary>
    private IEnumerable<ForecastRow> AgreedRows(int month) => ForecastRow.Of(MonthAt(month), PartOf(month), Agreed(month));

    /// <summary>Every row of the bill, by month, bucket, region, tier and charge, names compared character by character.</summary>
    public IEnumerable<ForecastRow> Rows() => Rows(0, Calendar.Months);

    /// <summary>The rows of some months, the first counted from the projection's first; of some buckets, and of what is agreed.</summary>
    public IEnumerable<ForecastRow> Rows(int first, int months, Func<Bucket, bool>? only = null)
    {
        var prices = Estate.PriceBook;
        (string Id, int Place)[] tiers = [.. prices.Tiers.Select((t, i) => (t.Id, i)).OrderBy(t => t.Id, StringComparer.Ordinal)];
        var rows = new List<BillRow>();
        for (var m = first; m < first + months; m++)
        {
            var month = MonthAt(m);
            foreach (var row in AgreedRows(m))
                yield return row;
            foreach (var b in byName.Value)
            {
                var bucket = usages[b].Bucket;
                if (only?.Invoke(bucket) == false)
                    continue;
                rows.Clear();
                Bill.AddRows(b, m, rows);
                foreach (var (tier, place) in tiers)
                {
                    foreach (var row in rows)
                    {
                        if (row.Tier != place)
                            continue;
                        yield return new ForecastRow(
                            month,
                            bucket.Name,
                            bucket.Region,
                            tier,
                            row.Charge,
                            row.Quantity,
                            Units.Of(row.Charge, prices.Unit),
                            row.Amount
                        );
                    }
                }
            }
        }
    }

    /// <summary>Money of the whole estate by month, with what is agreed; computed once.</summary>
    public double[] MoneyInAll => moneyInAll.Value;

    /// <summary>Money of every bucket by month, in the order of the estate's buckets; computed once.</summary>
    public IReadOnlyList<double[]> Money => money.Value;

    /// <summary>Finds the very same bucket among others, mostly at the same place.</summary>
    private sealed class KnownUsages(List<BucketUsage> usages)
    {
        private readonly Lazy<Dictionary<Bucket, int>> places = new(() =>
            usages
                .Select((usage, i) => (usage.Bucket, i))
                .ToDictionary(u => u.Bucket, u => u.i, (IEqualityComparer<Bucket>)ReferenceEqualityComparer.Instance)
        );

        public int? Place(Bucket bucket, int guess) =>
            guess < usages.Count && ReferenceEquals(usages[guess].Bucket, bucket) ? guess
            : guess < usages.Count && usages[guess].Bucket.Name == bucket.Name ? null
            : places.Value.TryGetValue(bucket, out var place) ? place
            : null;
    }

    private sealed record KnownMoney(Bill Bill, List<BucketUsage> Usages, double[][] Money);

    /// <summary>A bucket that uses what it used before costs what it cost, but for its storage where the price of a unit moved with the
    /// estate's bands.</summary>
    private double[][] MoneyByBucket(KnownMoney? known)
    {
        var places = known is null ? null : new KnownUsages(known.Usages);
        var shifts = known is null ? null : Bill.PriceShifts(known.Bill);
        var money = new double[usages.Count][];
        Parallel.For(
            0,
            money.Length,
            () => new List<BillRow>(),
            (bucket, _, rows) =>
            {
                if (places?.Place(usages[bucket].Bucket, bucket) is { } place && Bill.Costs(bucket, known!.Bill, place))
                {
                    money[bucket] = shifts!.Of(bucket, known.Money[place]);
                    return rows;
                }
                var own = money[bucket] = new double[Calendar.Months];
                rows.Clear();
                for (var m = 0; m < own.Length; m++)
                    Bill.AddRows(bucket, m, rows);
                foreach (var row in rows)
                    own[row.Month] += row.Amount;
                return rows;
            },
            _ => { }
        );
        return money;
    }

    private static Projection Compute(Estate estate, BillingCalendar calendar, Projection? previous, bool samePrices)
    {
        var copies = IncomingCopies.Of(estate, calendar.Days, previous?.Copies);
        var known = previous is null ? null : new KnownUsages(previous.usages);
        var (buckets, usages) = (estate.Buckets, new BucketUsage[estate.Buckets.Count]);
        var together = Math.Max(LeastTogether, (buckets.Count + Environment.ProcessorCount - 1) / Environment.ProcessorCount);
        Parallel.For(
            0,
            (buckets.Count + together - 1) / together,
            part =>
            {
                var growth = new GrowthTable.Shelf(calendar.Days);
                for (var i = part * together; i < Math.Min(buckets.Count, (part + 1) * together); i++)
                {
                    usages[i] =
                        known?.Place(buckets[i], i) is { } place && previous!.IsUnchanged(buckets[i], copies)
                            ? previous.usages[place]
                            : BucketUsage.Compute(buckets[i], copies, estate.PriceBook, calendar, growth);
                }
            }
        );
        return new Projection(estate, calendar, copies, [.. usages], samePrices ? previous : null);
    }

    /// <summary>Whether all that copies into a bucket and what it sends itself are the very same as here.</summary>
    private bool IsUnchanged(Bucket bucket, IncomingCopies copies)
    {
        var (before, now) = (Copies.Into(bucket.Name), copies.Into(bucket.Name));
        return Same(bucket.Name)
            && before.All(b => Same(b.From.Name))
            && before.Count == now.Count
            && before
                .Zip(now)
                .All(p =>
                    ReferenceEquals(p.First.From, p.Second.From)
                    && ReferenceEquals(p.First.Rule, p.Second.Rule)
                    && ReferenceEquals(p.First.Flow, p.Second.Flow)
                )
            && Enumerable.Range(0, bucket.CopyTo.Count).All(i => ReferenceEquals(Copies.FlowOf(bucket, i), copies.FlowOf(bucket, i)));

        bool Same(string name) => ReferenceEquals(Copies.Planned.Into(name), copies.Planned.Into(name));
    }
}
