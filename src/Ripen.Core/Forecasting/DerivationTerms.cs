using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>The prices that a row of a forecast is made of, from what is counted and the price book, in each stretch of days that has one.</summary>
internal sealed class DerivationTerms(Projection projection, int bucket, int tier)
{
    private readonly BillingCalendar calendar = projection.Calendar;
    private readonly PriceBook prices = projection.Estate.PriceBook;
    private readonly BucketUsage usage = projection.Usages[bucket];

    private Bucket Bucket => usage.Bucket;

    /// <summary>Terms of nothing are left out.</summary>
    public IEnumerable<DerivationTerm> Of(Charge charge, int month)
    {
        for (var s = calendar.First(month); s < calendar.First(month + 1); s++)
        {
            foreach (var term in Of(charge, month, s))
            {
                if (term.Quantity != 0)
                    yield return term.Unit.Length > 0 ? term : term with { Unit = Units.Of(charge, prices.Unit) };
            }
        }
    }

    private IEnumerable<DerivationTerm> Of(Charge charge, int month, int s)
    {
        var book = prices.AmountsOn(calendar.Today.AddDays(calendar.Start(s)));
        var price = book.FindRegion(Bucket.Region)!.PriceOf(prices.Tiers[tier].Id)!;
        var factor = book.FindScheme(Bucket.Scheme)!.StorageFactor;
        var unitMonth = prices.Unit.Bytes() * calendar.BilledDays(s);
        double Counted(Measure what) => usage.Of(tier, what)[s];
        switch (charge)
        {
            case Charge.Storage:
                var bands = Bands(price.Storage, InRegion(month)).ToList();
                var unitPrice = bands.Sum(b => b.Amount) / bands.Sum(b => b.Units);
                yield return Term(s, "stored", Counted(Measure.StoredByteDays) / unitMonth, unitPrice, 1, factor, bands);
                break;
            case Charge.EarlyLeave:
                var early = Counted(Measure.EarlyLeaveByteDays) / unitMonth;
                yield return Term(s, "left before its stay was over", early, price.Storage[0].Price.PerUnit, 1, factor);
                break;
            case Charge.Moves:
                yield return Term(s, "moved in", Counted(Measure.Moves), price.MovesIn.PerThousand, 1000);
                break;
            case Charge.Reads:
                yield return Term(s, "read", Counted(Measure.Reads), price.Reads.PerThousand, 1000);
                yield return Term(s, "read to be bundled", Counted(Measure.BundleReads), price.Reads.PerThousand, 1000);
                break;
            case Charge.Recall:
                yield return Term(s, "asked for in recalls", Counted(Measure.Reads), price.RecallRequests.PerThousand, 1000) with
                {
                    Unit = "request",
                };
                yield return Term(s, "recalled", Counted(Measure.ReadBytes) / prices.Unit.Bytes(), price.Recall.PerUnit, 1);
                break;
            case Charge.Writes:
                yield return Term(s, "written", Counted(Measure.Writes), price.Writes.PerThousand, 1000);
                break;
            case Charge.Watching:
                var watched = Counted(Measure.WatchedObjectDays) / calendar.BilledDays(s);
                yield return Term(s, "watched for reading", watched, price.Watching.PerThousand, 1000);
                break;
            default:
                foreach (var term in Carried(book, s))
                    yield return term;
                break;
        }
    }

    private IEnumerable<DerivationTerm> Carried(PriceBook book, int s)
    {
        for (var i = 0; i < Bucket.CopyTo.Count; i++)
        {
            var to = projection.Estate.Find(Bucket.CopyTo[i].Bucket)!;
            yield return Way($"copied to {to.Name}", usage.SentBytes[i], book.TransferPrice(Bucket.Region, to.Region));
        }
        foreach (var (region, bytes) in usage.Received)
            yield return Way($"come from an array in {book.RegionName(region)}", bytes, book.TransferPrice(region, Bucket.Region));

        DerivationTerm Way(string what, double[] bytes, UnitPrice price) => Term(s, what, bytes[s] / prices.Unit.Bytes(), price.PerUnit, 1);
    }

    private DerivationTerm Term(
        int s,
        string what,
        double quantity,
        double price,
        int per,
        double factor = 1,
        IReadOnlyList<DerivationBand>? bands = null
    ) =>
        new(
            calendar.Today.AddDays(calendar.Start(s)),
            calendar.Today.AddDays(calendar.Start(s + 1) - 1),
            what,
            quantity,
            "",
            price,
            per,
            factor,
            quantity / per * price * factor,
            bands ?? []
        );

    /// <summary>Unit-months of the whole estate in the bucket's region and this tier, all days of the month together.</summary>
    private double InRegion(int month)
    {
        var byteDays = 0.0;
        foreach (var other in projection.Usages)
        {
            for (var s = calendar.First(month); s < calendar.First(month + 1) && other.Bucket.Region == Bucket.Region; s++)
                byteDays += other.Of(tier, Measure.StoredByteDays)[s];
        }
        return byteDays / (prices.Unit.Bytes() * calendar.BilledDays(calendar.First(month)));
    }

    /// <summary>As far as they are filled.</summary>
    public static IEnumerable<DerivationBand> Bands(IReadOnlyList<StorageBand> bands, double units)
    {
        var from = 0.0;
        foreach (var band in bands)
        {
            var filled = Math.Min(units, band.UpTo ?? double.PositiveInfinity) - from;
            if (filled <= 0)
                yield break;
            yield return new DerivationBand(from, band.UpTo, band.Price.PerUnit, filled, band.Price.For(filled));
            from += filled;
        }
    }
}
