using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Scenarios;

/// <summary>What an estate becomes when something is assumed of it. Nothing is done.</summary>
public static class Assuming
{
    /// <summary>The estate when all of a scenario is assumed, and after each of its assumptions on the way: as many as those, or the
    /// problems of the first that does not fit, with paths in the scenario.</summary>
    /// <param name="scenario">Of any estate.</param>
    /// <param name="estate">Valid.</param>
    /// <param name="hold">Gives another bucket what the one in whose place it is holds; null for the lots as they are.</param>
    public static (IReadOnlyList<Estate> Estates, IReadOnlyList<Problem> Problems) Of(
        Scenario scenario,
        Estate estate,
        Func<Bucket, Bucket, Bucket>? hold = null
    )
    {
        var estates = new List<Estate>();
        for (var i = 0; i < scenario.Assumptions.Count; i++)
        {
            var after = Of(scenario.Assumptions[i], estate, $"$.assumptions[{i}]", hold);
            if (!after.Ok)
                return (estates, after.Problems);
            estates.Add(estate = after.Value);
        }
        return (estates, []);
    }

    /// <param name="assumption">One of a scenario.</param>
    /// <param name="estate">Valid.</param>
    /// <param name="path">Of the assumption.</param>
    /// <param name="hold">Gives another bucket (the first) what the one in whose place it is (the second) holds; null for the lots as they are.</param>
    /// <returns>A valid estate, or why there is none.</returns>
    public static Checked<Estate> Of(Assumption assumption, Estate estate, string path, Func<Bucket, Bucket, Bucket>? hold = null)
    {
        var findings = new Findings();
        var after = assumption switch
        {
            { Growth: { } growth } => Grow(growth, estate, $"{path}.growth", findings),
            { Reading: { } reading } => Read(reading, estate, $"{path}.reading", findings),
            { Prices: { } prices } => Price(prices, estate, $"{path}.prices", findings),
            { Offer: { } offer } => Take(offer, estate, $"{path}.offer", findings),
            { PriceBook: { } book } => Take(book, "That price book", estate, $"{path}.priceBook", findings),
            { Place: { } place } => Move(place, estate, $"{path}.place", findings),
            { Bucket: { } bucket } => Put(bucket, estate, hold ?? Holding),
            { Plan: { } plan } => Put(plan, estate),
            { PacksAge: { } packs } => Age(packs, estate, $"{path}.packsAge", findings),
            _ => estate,
        };
        if (findings.Problems.Count > 0)
            return new(findings.Problems);
        EstateChecks.Check(after, findings);
        return findings.Problems.Count == 0
            ? new(after)
            : new([.. findings.Problems.Select(p => new Problem(p.Code, path, $"{p.Message} ({p.Path} of the estate that comes of it.)"))]);
    }

    /// <summary>Every stream and workload grows by so much more; a valid estate stays one where nothing is found.</summary>
    internal static Estate Grow(GrowthAssumption growth, Estate estate, string path, Findings findings)
    {
        findings.Require(
            estate.Workloads.All(w => growth.Bucket is not null || Grown(w.YearlyGrowth) > -1)
                && Chosen(growth.Bucket, estate).All(b => b.Streams.Where(Meant).All(s => Grown(s.YearlyGrowth) > -1)),
            "shrinks-to-nothing",
            $"{path}.yearlyGrowth",
            "Something would shrink by a hundred per cent a year or more; assume less."
        );
        var after = ChangeBuckets(
            growth.Bucket,
            estate,
            $"{path}.bucket",
            findings,
            bucket =>
                bucket.Streams.Any(Meant)
                    ? bucket with
                    {
                        Streams =
                        [
                            .. bucket.Streams.Select(s =>
                                Meant(s)
                                    ? s with
                                    {
                                        ObjectsPerDay = s.ObjectsPerDay * growth.Arrivals,
                                        YearlyGrowth = Grown(s.YearlyGrowth),
                                    }
                                    : s
                            ),
                        ],
                    }
                    : bucket
        );
        return growth.Bucket is not null || growth.YearlyGrowth == 0
            ? after
            : after with
            {
                Workloads = [.. after.Workloads.Select(w => w with { YearlyGrowth = Grown(w.YearlyGrowth) })],
            };

        bool Meant(ObjectStream stream) => stream.Prefix.StartsWith(growth.Prefix, StringComparison.Ordinal);
        double Grown(double yearly) => yearly + growth.YearlyGrowth;
    }

    private static Estate Read(ReadingAssumption reading, Estate estate, string path, Findings findings) =>
        ChangeBuckets(reading.Bucket, estate, $"{path}.bucket", findings, bucket => bucket.Read(reading.Times));

    private static Estate Take(string id, Estate estate, string path, Findings findings)
    {
        var offer = estate.Offers.FirstOrDefault(o => o.Id == id);
        findings.Require(
            offer is not null,
            "unknown-reference",
            path,
            $"There is no offer '{id}' any more; choose another or drop the assumption."
        );
        return offer is null ? estate : Take(offer.Prices, "That offer", estate, path, findings);
    }

    private static Estate Take(PriceBook book, string what, Estate estate, string path, Findings findings)
    {
        findings.Require(
            book.Currency == estate.PriceBook.Currency,
            "other-currency",
            path,
            $"{what} is in {book.Currency}, and the estate is counted in {estate.PriceBook.Currency}: the two are not added."
        );
        return estate.Priced(book);
    }

    private static Estate Move(PlaceAssumption place, Estate estate, string path, Findings findings) =>
        ChangeBuckets(
            place.Bucket,
            estate,
            $"{path}.bucket",
            findings,
            bucket =>
            {
                var (region, scheme, tier) = (place.Region ?? bucket.Region, place.Scheme ?? bucket.Scheme, place.Tier ?? bucket.Tier);
                return (region, scheme, tier) == (bucket.Region, bucket.Scheme, bucket.Tier)
                    ? bucket
                    : bucket with
                    {
                        Region = region,
                        Scheme = scheme,
                        Tier = tier,
                    };
            }
        );

    private static Bucket Holding(Bucket draft, Bucket held) =>
        draft with
        {
            Stock = held.Stock,
            Recalled = held.Recalled,
            Unfinished = held.Unfinished,
        };

    private static Estate Put(BucketAssumption other, Estate estate, Func<Bucket, Bucket, Bucket> hold)
    {
        var held = estate.Find(other.As.Name);
        var bucket = other.As with { Streams = [.. other.As.Streams.Select(s => s.AsOf(estate.Today, other.Stated))] };
        return held is null ? estate.With(bucket, null) : estate.With(hold(bucket.Awaiting(held), held), held.Name);
    }

    private static Estate Put(BackupPlan other, Estate estate)
    {
        var plan = other.GoingOn(estate.Plans.FirstOrDefault(p => p.Id == other.Id), estate.Today);
        return estate with
        {
            Plans = estate.Plans.Any(p => p.Id == plan.Id)
                ? [.. estate.Plans.Select(p => p.Id == plan.Id ? plan : p)]
                : [.. estate.Plans, plan],
        };
    }

    private static Estate Age(PacksAssumption packs, Estate estate, string path, Findings findings)
    {
        var target = estate.Targets.FirstOrDefault(t => t.Id == packs.Target);
        findings.Require(
            target?.Bucket is not null,
            target is null ? "unknown-reference" : "no-bucket",
            $"{path}.target",
            target is null
                ? $"There is no target '{packs.Target}' any more; drop the assumption."
                : $"'{target.Name}' is no bucket: what lies there has no tiers to age through."
        );
        return target?.Bucket is { } name ? estate.With(PackSteps.With(estate, target, packs.Steps), name) : estate;
    }

    /// <summary>What is agreed by the month, so many times as much from the first whole month on; or what devices cost.</summary>
    private static PriceBook Agree(PriceAssumption prices, Estate estate, string path, Findings findings)
    {
        var book = estate.PriceBook;
        findings.Require(
            prices.Tier is null,
            "no-tier",
            $"{path}.tier",
            "What is agreed by the month, and devices, are for all tiers: leave the tier out."
        );
        findings.Require(
            prices.Charge != Charge.Devices || prices.From is null,
            "no-day",
            $"{path}.from",
            "What a device costs is one price for its whole life: leave the day out."
        );
        var from = prices.From is { } day && day > estate.Today ? Month.Of(day.AddMonths(1).AddDays(-1)) : (Month?)null;
        return prices.Charge switch
        {
            Charge.Devices => book with
            {
                Regions =
                [
                    .. book.Regions.Select(r =>
                        Here(r.Id) ? r with { Devices = [.. r.Devices.Select(d => d with { Price = d.Price * prices.Times })] } : r
                    ),
                ],
            },
            Charge.Fixed => book with
            {
                Agreements = book.Agreements with
                {
                    Fixed = [.. book.Agreements.Fixed.SelectMany(f => Then(f, a => a with { Amount = a.Amount * prices.Times }))],
                },
            },
            _ => book with
            {
                Agreements = book.Agreements with
                {
                    Commitments =
                    [
                        .. book.Agreements.Commitments.SelectMany(c => Then(c, a => a with { Amount = a.Amount * prices.Times })),
                    ],
                },
            },
        };

        bool Here(string? region) => prices.Region is null || prices.Region == region;

        IEnumerable<T> Then<T>(T agreement, Func<T, T> other)
            where T : Agreed
        {
            if (!Here(agreement.Region) || (from is { } month && agreement.Through is { } last && last.Since(month) < 0))
                return [agreement];
            if (from is not { } first || agreement.From is { } begins && begins.Since(first) >= 0)
                return [other(agreement)];
            return
            [
                agreement with
                {
                    Through = first.Plus(-1),
                },
                other(agreement) with
                {
                    Id = $"{agreement.Id}-from-{first}",
                    From = first,
                },
            ];
        }
    }

    private static Estate Price(PriceAssumption prices, Estate estate, string path, Findings findings)
    {
        var book = estate.PriceBook;
        Checks.Refer(
            prices.Region ?? "",
            prices.Region is null || book.FindRegion(prices.Region) is not null,
            "region",
            $"{path}.region",
            findings
        );
        Checks.Refer(prices.Tier ?? "", prices.Tier is null || book.Coldness(prices.Tier) >= 0, "tier", $"{path}.tier", findings);
        if (prices.Charge is { } agreed && agreed.IsAgreed())
            return estate with { PriceBook = Agree(prices, estate, path, findings) };
        if (prices.From is not { } day || day <= estate.Today)
        {
            // Amounts that hold now, and those of days to come.
            var now = book.With(
                new PriceChange
                {
                    From = estate.Today,
                    Regions = Regions(book),
                    Transfers = Transfers(book),
                }
            );
            return estate with { PriceBook = now with { Changes = [.. book.Changes.Select(c => On(c.From))] } };
        }
        return estate with
        {
            PriceBook = book with
            {
                Changes =
                [
                    .. book.Changes.Where(c => c.From < day),
                    .. book.Changes.Select(c => c.From).Where(d => d > day).Prepend(day).Select(On),
                ],
            },
        };

        // Every amount as it holds from a day on, those that are meant so many times as high.
        PriceChange On(DateOnly from)
        {
            var then = book.AmountsOn(from);
            return new PriceChange
            {
                From = from,
                Regions = Regions(then),
                Transfers = Transfers(then),
            };
        }

        bool Here(string region) => prices.Region is null || prices.Region == region;
        bool Means(Charge charge) => prices.Charge is null || prices.Charge == charge;
        double Factor(string tier, Charge charge) => Means(charge) && (prices.Tier is null || prices.Tier == tier) ? prices.Times : 1;
        double Carried(string region) => Here(region) && Means(Charge.Transfer) && prices.Tier is null ? prices.Times : 1;

        IReadOnlyList<RegionPrices> Regions(PriceBook of) =>
            [
                .. of.Regions.Select(r => new RegionPrices
                {
                    Id = r.Id,
                    Prices = Here(r.Id) ? [.. r.Prices.Select(Scaled)] : r.Prices,
                    TransferOut = Times(r.TransferOut, Carried(r.Id)),
                }),
            ];

        IReadOnlyList<TransferPrice> Transfers(PriceBook of) =>
            [
                .. of.Transfers.Select(t => new TransferPrice
                {
                    From = t.From,
                    To = t.To,
                    Price = new(t.Price.PerUnit * Carried(t.From)),
                }),
            ];

        TierPrice Scaled(TierPrice price)
        {
            var recall = Factor(price.Tier, Charge.Recall);
            return price with
            {
                Storage = Times(price.Storage, Factor(price.Tier, Charge.Storage)),
                Writes = new(price.Writes.PerThousand * Factor(price.Tier, Charge.Writes)),
                Reads = new(price.Reads.PerThousand * Factor(price.Tier, Charge.Reads)),
                MovesIn = new(price.MovesIn.PerThousand * Factor(price.Tier, Charge.Moves)),
                RecallRequests = new(price.RecallRequests.PerThousand * recall),
                Recall = new(price.Recall.PerUnit * recall),
                Watching = new(price.Watching.PerThousand * Factor(price.Tier, Charge.Watching)),
                RecallSpeeds =
                [
                    .. price.RecallSpeeds.Select(s =>
                        s with
                        {
                            Recall = new(s.Recall.PerUnit * recall),
                            RecallRequests = new(s.RecallRequests.PerThousand * recall),
                        }
                    ),
                ],
            };
        }
    }

    private static IReadOnlyList<StorageBand> Times(IReadOnlyList<StorageBand> bands, double factor) =>
        [.. bands.Select(b => b with { Price = new(b.Price.PerUnit * factor) })];

    private static IEnumerable<Bucket> Chosen(string? name, Estate estate) =>
        name is null ? estate.Buckets
        : estate.Find(name) is { } one ? [one]
        : [];

    private static Estate ChangeBuckets(string? name, Estate estate, string path, Findings findings, Func<Bucket, Bucket> change)
    {
        findings.Require(
            name is null || estate.Find(name) is not null,
            "unknown-reference",
            path,
            $"There is no bucket '{name}' any more; choose another or drop the assumption."
        );
        return estate with { Buckets = [.. estate.Buckets.Select(b => name is null || b.Name == name ? change(b) : b)] };
    }
}
