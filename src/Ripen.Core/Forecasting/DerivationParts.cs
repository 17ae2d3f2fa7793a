using System.Globalization;
using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What a row's quantity is made of: each stream, what lies there by prefix, and what comes from elsewhere. Usage is a sum over all of them, so
/// that each is what the bucket uses with nothing but it.
/// </summary>
internal sealed class DerivationParts(Projection projection, int bucket, int tier)
{
    private const int MostParts = 40;

    private readonly BillingCalendar calendar = projection.Calendar;
    private readonly PriceBook prices = projection.Estate.PriceBook;
    private readonly Bucket of = projection.Usages[bucket].Bucket;
    private readonly GrowthTable.Shelf growth = new(projection.Calendar.Days);

    /// <summary>What brings nothing from elsewhere: packs of backups are much to count, and are a part of their own.</summary>
    private readonly IncomingCopies nothing = IncomingCopies.Of(
        projection.Estate with
        {
            Buckets = [projection.Usages[bucket].Bucket with { CopyTo = [] }],
            Plans = [],
            Arrays = [],
        },
        projection.Calendar.Days
    );
    private readonly Dictionary<string, string> regionOf = projection.Estate.Buckets.ToDictionary(b => b.Name, b => b.Region);

    /// <summary>Parts of nothing are left out; of very many the largest are told, and the rest together.</summary>
    public IEnumerable<DerivationPart> Of(Charge charge, int month)
    {
        var bare = of with { Stock = [], Streams = [], Recalled = [], Unfinished = [] };
        List<DerivationPart> parts =
        [
            .. of.Streams.Select(s => new DerivationPart(
                $"{Number(s.ObjectsPerDay)} objects a day that arrive{Under(s.Prefix)}",
                Why(s.Prefix, s.Tags, s.BytesPerObject),
                Own(bare with { Streams = [s] })
            )),
            .. of
                .Stock.GroupBy(l => (l.Prefix, l.Earlier))
                .Select(lots => new DerivationPart(
                    $"{Wording.Objects(lots.Sum(l => l.Count))} that lay there on {Day(projection.Estate.Today)}{Under(lots.Key.Prefix)}"
                        + (lots.Key.Earlier ? ", earlier versions" : ""),
                    Why(lots.Key.Prefix, lots.First().Tags, lots.First().BytesPerObject),
                    Own(bare with { Stock = [.. lots] })
                )),
            new("copies that were recalled", "they rest beside what they are of", Own(bare with { Recalled = of.Recalled })),
            new(
                "parts of uploads that are not complete",
                "they rest where new objects land",
                Own(bare with { Unfinished = of.Unfinished })
            ),
            new(
                "copies from other buckets, packs of backups and what arrays let go",
                "they arrive by replication rules, plans and the arrays' rules",
                Quantity(bare, projection.Copies, charge, month)
            ),
        ];
        return Foremost([.. parts.Where(p => p.Quantity != 0)]);

        double Own(Bucket part) => Quantity(part with { CopyTo = [] }, nothing, charge, month);
    }

    private static List<DerivationPart> Foremost(List<DerivationPart> parts)
    {
        if (parts.Count <= MostParts)
            return parts;
        var largest = parts.OrderByDescending(p => Math.Abs(p.Quantity)).Take(MostParts - 1).ToHashSet(ReferenceEqualityComparer.Instance);
        var rest = parts.Where(p => !largest.Contains(p)).ToList();
        return
        [
            .. parts.Where(largest.Contains),
            new DerivationPart($"{rest.Count} smaller parts", "each like those above", rest.Sum(p => p.Quantity)),
        ];
    }

    private double Quantity(Bucket part, IncomingCopies copies, Charge charge, int month)
    {
        var usage = BucketUsage.Compute(part, copies, prices, calendar, growth);
        var rows = new List<BillRow>();
        Bill.OfSome(prices, calendar, [usage], regionOf).AddRows(0, month, rows);
        return rows.Where(r => r.Tier == tier && r.Charge == charge).Sum(r => r.Quantity);
    }

    /// <summary>What brings such objects into the tier.</summary>
    private string Why(string prefix, IReadOnlyDictionary<string, string>? tags, long bytes)
    {
        var id = prices.Tiers[tier].Id;
        var steps =
            from rule in of.Rules
            where rule.StepScope.Takes(prefix, tags) && rule.StepScope.TakesSize(bytes)
            from step in rule.Steps
            where step.Tier == id
            select $"rule '{rule.Id}' moves it here at {step.Age} days" + (step.Clock == StepClock.Read ? " without reading" : "");
        var found = steps.ToList();
        return found.Count > 0 ? string.Join("; ", found)
            : id == of.Tier ? "new objects land here"
            : "it was in this tier already";
    }

    private static string Under(string prefix) => prefix.Length == 0 ? "" : $" under {prefix}";

    private static string Number(double count) => count.ToString("#,0.##", CultureInfo.InvariantCulture);

    private static string Day(DateOnly day) => day.ToString("d MMMM yyyy", CultureInfo.InvariantCulture);
}
