using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What an estate uses and costs, month by month from its today. Immutable; <see cref="With"/> gives the projection of a changed
/// estate and computes only the buckets that the change touches.
/// </summary>
public sealed class Projection
{
    private readonly List<BucketUsage> usages;
    private readonly List<IReadOnlyList<IncomingCopy>> incoming;

    private Projection(Estate estate, BillingCalendar calendar, List<IReadOnlyList<IncomingCopy>> incoming, List<BucketUsage> usages)
    {
        Estate = estate;
        Calendar = calendar;
        this.incoming = incoming;
        this.usages = usages;
        Bill = new Bill(estate.PriceBook, calendar, usages);
    }

    public Estate Estate { get; }

    public BillingCalendar Calendar { get; }

    public Bill Bill { get; }

    /// <summary>In the order of the estate's buckets.</summary>
    public IReadOnlyList<BucketUsage> Usages => usages;

    /// <summary>Projects a valid estate over <paramref name="months"/> calendar months.</summary>
    /// <exception cref="ArgumentOutOfRangeException">Months are not from 1 to <see cref="BillingCalendar.MostMonths"/>.</exception>
    public static Projection Of(Estate estate, int months) =>
        Compute(estate, new BillingCalendar(estate.Today, months, estate.PriceBook.Month), previous: null);

    /// <summary>The projection of <paramref name="estate"/> over the same months; what did not change since this one is taken over.</summary>
    public Projection With(Estate estate)
    {
        var sameGround = estate.Today == Estate.Today && ReferenceEquals(estate.PriceBook, Estate.PriceBook);
        return sameGround ? Compute(estate, Calendar, this) : Of(estate, Calendar.Months);
    }

    /// <summary>Every row of the bill, by month, bucket, region, tier and charge, names compared character by character.</summary>
    public IEnumerable<ForecastRow> Rows()
    {
        var prices = Estate.PriceBook;
        var order = Enumerable.Range(0, usages.Count).OrderBy(i => usages[i].Bucket.Name, StringComparer.Ordinal).ToList();
        var tierOrder = prices.Tiers.Select(t => t.Id).Order(StringComparer.Ordinal).Select((id, i) => (id, i)).ToDictionary(t => t.id, t => t.i);
        var rows = new List<BillRow>();
        for (var m = 0; m < Calendar.Months; m++)
        {
            var month = Calendar.Date(m);
            foreach (var bucket in order)
            {
                rows.Clear();
                Bill.AddRows(bucket, m, rows);
                foreach (var row in rows.OrderBy(r => tierOrder[prices.Tiers[r.Tier].Id]))
                {
                    yield return new ForecastRow(new Month(month.Year, month.Month), usages[bucket].Bucket.Name, usages[bucket].Bucket.Region,
                        prices.Tiers[row.Tier].Id, row.Charge, row.Quantity, Units.Of(row.Charge, prices.Unit), row.Amount);
                }
            }
        }
    }

    private static Projection Compute(Estate estate, BillingCalendar calendar, Projection? previous)
    {
        var growth = new GrowthTable.Shelf(calendar.Days);
        var sources = estate.Buckets.ToDictionary(b => b.Name, _ => new List<IncomingCopy>());
        foreach (var bucket in estate.Buckets)
        {
            foreach (var rule in bucket.CopyTo) sources[rule.Bucket].Add(new IncomingCopy(bucket, rule));
        }
        var usages = new List<BucketUsage>(estate.Buckets.Count);
        var incoming = new List<IReadOnlyList<IncomingCopy>>(estate.Buckets.Count);
        foreach (var bucket in estate.Buckets)
        {
            incoming.Add(sources[bucket.Name]);
            usages.Add(previous?.Unchanged(bucket, sources[bucket.Name])
                ?? BucketUsage.Compute(bucket, sources[bucket.Name], estate.PriceBook, calendar, growth));
        }
        return new Projection(estate, calendar, incoming, usages);
    }

    /// <summary>The usage computed before, when the bucket and all that copies into it are the very same records.</summary>
    private BucketUsage? Unchanged(Bucket bucket, List<IncomingCopy> copies)
    {
        var i = usages.FindIndex(u => ReferenceEquals(u.Bucket, bucket));
        if (i < 0 || incoming[i].Count != copies.Count) return null;
        for (var k = 0; k < copies.Count; k++)
        {
            if (!ReferenceEquals(incoming[i][k].From, copies[k].From) || !ReferenceEquals(incoming[i][k].Rule, copies[k].Rule)) return null;
        }
        return usages[i];
    }
}
