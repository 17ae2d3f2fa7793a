using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Retention;

/// <summary>What happens to what is kept in a month, in expectation.</summary>
/// <param name="Month">Of the calendar.</param>
/// <param name="FreedObjects">Whose retention ends: they may go from then on.</param>
/// <param name="FreedBytes">Of them.</param>
/// <param name="FreedTerms">What storing them costs a month then, in the first band of its price; the dearest first.</param>
/// <param name="ExpiringObjects">That rules let go for good.</param>
/// <param name="ExpiringBytes">Of them.</param>
public sealed record KeepingMonth(
    Month Month,
    double FreedObjects,
    double FreedBytes,
    IReadOnlyList<PricedTerm> FreedTerms,
    double ExpiringObjects,
    double ExpiringBytes
)
{
    /// <summary>Money a month.</summary>
    public double FreedMonthly => FreedTerms.Sum(t => t.Amount);
}

/// <summary>HoldEnds: a legal hold that has a day. RetentionEnds: a bucket's retention until a day. BucketFree: nothing that lies in the bucket
/// today is kept from then on.</summary>
public enum KeepingEventKind
{
    HoldEnds,
    RetentionEnds,
    BucketFree,
}

/// <summary>A day on which keeping ends.</summary>
/// <param name="Day">The first on which it keeps no more.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Kind">What ends.</param>
/// <param name="About">The hold's id and reason; null for the bucket.</param>
/// <param name="Objects">Of today's that are concerned.</param>
/// <param name="Bytes">Of them.</param>
public sealed record KeepingEvent(DateOnly Day, string Bucket, KeepingEventKind Kind, string? About, double Objects, double Bytes);

/// <summary>
/// What may go and what goes, month by month, of one bucket or of all; what plans store apart. Computed from the same lives as the bill.
/// </summary>
/// <param name="Today">The provider's day.</param>
/// <param name="Months">From today's on.</param>
/// <param name="Events">Ascending by day.</param>
/// <param name="EndlessObjects">Of today's, kept without an end.</param>
/// <param name="EndlessBytes">Of them.</param>
/// <param name="EndlessTerms">What storing them costs a month; the dearest first.</param>
public sealed record KeepingCalendar(
    DateOnly Today,
    IReadOnlyList<KeepingMonth> Months,
    IReadOnlyList<KeepingEvent> Events,
    double EndlessObjects,
    double EndlessBytes,
    IReadOnlyList<PricedTerm> EndlessTerms
)
{
    /// <summary>Money a month.</summary>
    public double EndlessMonthly => EndlessTerms.Sum(t => t.Amount);

    /// <param name="estate">Valid.</param>
    /// <param name="months">From 1 to <see cref="BillingCalendar.MostMonths"/>.</param>
    /// <param name="only">A bucket; null for all.</param>
    public static KeepingCalendar Of(Estate estate, int months, string? only = null)
    {
        var calendar = new BillingCalendar(estate.Today, months, estate.PriceBook.Month, []);
        var copies = IncomingCopies.Of(estate, calendar.Days);
        var growth = new GrowthTable.Shelf(calendar.Days);
        var tally = new Tally(calendar);
        var events = new List<KeepingEvent>();
        foreach (var bucket in estate.Buckets.Where(b => only is null || b.Name == only))
        {
            Expiring(bucket, copies, estate, calendar, growth, tally);
            Freed(bucket, estate, calendar, tally);
            events.AddRange(EventsOf(bucket, estate));
        }
        return new KeepingCalendar(
            estate.Today,
            tally.Months(),
            [.. events.OrderBy(e => e.Day).ThenBy(e => e.Bucket, StringComparer.Ordinal)],
            tally.EndlessObjects,
            tally.EndlessBytes,
            tally.EndlessTerms
        );
    }

    private static void Expiring(
        Bucket bucket,
        IncomingCopies copies,
        Estate estate,
        BillingCalendar calendar,
        GrowthTable.Shelf growth,
        Tally tally
    )
    {
        foreach (var population in Population.Of(bucket, copies.Into(bucket.Name), estate.PriceBook, calendar.Today, calendar.Days, growth))
        {
            for (var m = 0; m < calendar.Months; m++)
            {
                var (p, q) = (calendar.MonthStart(m), calendar.MonthStart(m + 1));
                foreach (var life in population.Lives)
                {
                    for (var i = 0; i < life.Stays.Length; i++)
                        tally.Expires(m, life.Removed(i, p, q), population.Kind.BytesPerObject);
                }
                if (population.Read is { } read)
                    Expiring(read, m, p, q, population.Kind.BytesPerObject, tally);
            }
        }
    }

    private static void Expiring(ReadPopulation read, int month, int p, int q, long bytesPerObject, Tally tally)
    {
        var (there, gone) = (new AgeWeights(read.Life.Ages), new AgeWeights(read.Life.Ages));
        read.Weigh(p, q, there, gone);
        var (first, end) = gone.Range;
        for (var age = first; age < end; age++)
            tally.Expires(month, gone[age], bytesPerObject);
    }

    private static void Freed(Bucket bucket, Estate estate, BillingCalendar calendar, Tally tally)
    {
        foreach (var lot in bucket.Stock)
        {
            var created = lot.Created.DayNumber - estate.Today.DayNumber;
            var keeping = Ageing.Keeping.Of(bucket, lot.Prefix, lot.Tags, estate.Today, lot.KeptUntil);
            if (keeping.FirstFree(created, 0) is > 0 and var free)
            {
                var tier =
                    free >= Lifecycle.Never
                        ? estate.PriceBook.Coldness(lot.Tier)
                        : TierAt(PathOf(bucket, lot.Kind, estate), free - created);
                tally.IsFree(free, lot.Count, lot.BytesPerObject, tally.Place(bucket, tier, lot.BytesPerObject, estate.PriceBook));
            }
        }
        foreach (var stream in bucket.Streams)
        {
            var keeping = Ageing.Keeping.Of(bucket, stream.Prefix, stream.Tags, estate.Today);
            var (path, places) = (PathOf(bucket, stream.Kind, estate), new Dictionary<int, Place>());
            for (var day = 0; day < calendar.Days; day++)
            {
                var free = keeping.FirstFree(day, day);
                if (free <= day || free >= calendar.Days)
                    continue;
                var objects = stream.ObjectsPerDay * Math.Pow(1 + stream.YearlyGrowth, day / 365.0);
                var tier = TierAt(path, free - day);
                if (!places.TryGetValue(tier, out var place))
                    places[tier] = place = tally.Place(bucket, tier, stream.BytesPerObject, estate.PriceBook);
                tally.IsFree(free, objects, stream.BytesPerObject, place);
            }
        }
    }

    /// <summary>Where the bucket's rules put objects as they age.</summary>
    private static Stay[] PathOf(Bucket bucket, ObjectKind kind, Estate estate) =>
        Life.Path(
            Lifecycle.Of(bucket, kind, estate.PriceBook, estate.Today).Unbundled(),
            new Standing(0, estate.PriceBook.Coldness(bucket.Tier), 0),
            Lifecycle.Never
        );

    private static int TierAt(Stay[] path, int age) => path.Last(s => s.From <= age).Tier;

    /// <summary>What storing objects costs a month, in the first band of the tier's price.</summary>
    internal static PricedTerm Monthly(Bucket bucket, int tier, long bytesPerObject, PriceBook prices, double objects)
    {
        var of = prices.Tiers[tier];
        return PricedTerm.OfResting(
            prices,
            bucket,
            of.Id,
            objects * of.BilledBytes(bytesPerObject) / prices.Unit.Bytes(),
            $"stored, {prices.FindScheme(bucket.Scheme)!.Name}"
        );
    }

    private static IEnumerable<KeepingEvent> EventsOf(Bucket bucket, Estate estate)
    {
        foreach (var hold in bucket.Holds.Where(h => h.Released > estate.Today))
        {
            var held = bucket.Stock.Where(l => hold.Scope.Takes(l.Prefix, l.Tags)).ToList();
            yield return new(
                hold.Released!.Value,
                bucket.Name,
                KeepingEventKind.HoldEnds,
                $"{hold.Id}: {hold.Reason}",
                held.Sum(l => l.Count),
                held.Sum(l => l.Count * l.BytesPerObject)
            );
        }
        var (objects, bytes) = (bucket.Stock.Sum(l => l.Count), bucket.Stock.Sum(l => l.Count * l.BytesPerObject));
        if (bucket.Keep?.Until is { } until && until > estate.Today)
            yield return new(until, bucket.Name, KeepingEventKind.RetentionEnds, null, objects, bytes);
        if (LastKept(bucket, estate.Today) is { } last and < Lifecycle.Never)
            yield return new(estate.Today.AddDays(last), bucket.Name, KeepingEventKind.BucketFree, null, objects, bytes);
    }

    /// <summary>The first day, from today, on which nothing that lies in the bucket now is kept; null when nothing is,
    /// <see cref="Lifecycle.Never"/> when some has no end.</summary>
    internal static int? LastKept(Bucket bucket, DateOnly today)
    {
        var last = bucket
            .Stock.Select(l =>
                Ageing.Keeping.Of(bucket, l.Prefix, l.Tags, today, l.KeptUntil).FirstFree(l.Created.DayNumber - today.DayNumber, 0)
            )
            .DefaultIfEmpty(0)
            .Max();
        return last > 0 ? last : null;
    }

    /// <summary>Objects of one size where one price holds.</summary>
    /// <param name="UnitMonths">Of one of them in a month.</param>
    /// <param name="All">Of all that have that price, by month; what is kept without an end comes last.</param>
    private sealed record Place(double UnitMonths, double[] All);

    private sealed class Tally(BillingCalendar calendar)
    {
        private readonly Dictionary<PricedTerm, double[]> places = [];
        private readonly double[] freedObjects = new double[calendar.Months];
        private readonly double[] freedBytes = new double[calendar.Months];
        private readonly double[] expiringObjects = new double[calendar.Months];
        private readonly double[] expiringBytes = new double[calendar.Months];

        public double EndlessObjects { get; private set; }
        public double EndlessBytes { get; private set; }
        public IReadOnlyList<PricedTerm> EndlessTerms => Terms(calendar.Months);

        public Place Place(Bucket bucket, int tier, long bytesPerObject, PriceBook prices)
        {
            var one = Monthly(bucket, tier, bytesPerObject, prices, 1);
            var price = one with { Quantity = 0 };
            if (!places.TryGetValue(price, out var all))
                places[price] = all = new double[calendar.Months + 1];
            return new Place(one.Quantity, all);
        }

        public void IsFree(int day, double objects, long bytesPerObject, Place place)
        {
            if (day >= Lifecycle.Never)
            {
                EndlessObjects += objects;
                EndlessBytes += objects * bytesPerObject;
                place.All[calendar.Months] += objects * place.UnitMonths;
            }
            else if (day < calendar.Days)
            {
                var m = calendar.MonthOf(day);
                freedObjects[m] += objects;
                freedBytes[m] += objects * bytesPerObject;
                place.All[m] += objects * place.UnitMonths;
            }
        }

        private IReadOnlyList<PricedTerm> Terms(int month) =>
            [
                .. places
                    .Where(p => p.Value[month] > 0)
                    .Select(p => p.Key with { Quantity = p.Value[month] })
                    .OrderByDescending(t => t.Amount),
            ];

        public void Expires(int month, double objects, long bytesPerObject)
        {
            expiringObjects[month] += objects;
            expiringBytes[month] += objects * bytesPerObject;
        }

        public IReadOnlyList<KeepingMonth> Months() =>
            [
                .. Enumerable
                    .Range(0, calendar.Months)
                    .Select(m => new KeepingMonth(
                        Month.Of(calendar.Date(m)),
                        freedObjects[m],
                        freedBytes[m],
                        Terms(m),
                        expiringObjects[m],
                        expiringBytes[m]
                    )),
            ];
    }
}
