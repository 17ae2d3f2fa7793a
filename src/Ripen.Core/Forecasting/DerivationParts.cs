using System.Globalization;
using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What a row's quantity is made of: each stream, what lies there by prefix, and what comes from elsewhere. Usage is a sum over all of them, so
/// that each is what the bucket uses with it less what it uses without.
/// </summary>
internal sealed class DerivationParts(Projection projection, int bucket, int tier)
{
    private readonly BillingCalendar calendar = projection.Calendar;
    private readonly PriceBook prices = projection.Estate.PriceBook;
    private readonly Bucket of = projection.Usages[bucket].Bucket;
    private readonly GrowthTable.Shelf growth = new(projection.Calendar.Days);
    private readonly Dictionary<string, string> regionOf = projection.Estate.Buckets.ToDictionary(b => b.Name, b => b.Region);

    /// <summary>Parts of nothing are left out.</summary>
    public IEnumerable<DerivationPart> Of(Charge charge, int month)
    {
        var bare = of with { Stock = [], Streams = [], Recalled = [], Unfinished = [] };
        var elsewhere = Quantity(bare, charge, month);
        List<DerivationPart> parts =
        [
            .. of.Streams.Select(s => new DerivationPart(
                $"{Number(s.ObjectsPerDay)} objects a day that arrive{Under(s.Prefix)}",
                Why(s.Prefix, s.Tags, s.BytesPerObject),
                Quantity(bare with { Streams = [s] }, charge, month) - elsewhere
            )),
            .. of
                .Stock.GroupBy(l => (l.Prefix, l.Earlier))
                .Select(lots => new DerivationPart(
                    $"{Wording.Objects(lots.Sum(l => l.Count))} that lay there on {Day(projection.Estate.Today)}{Under(lots.Key.Prefix)}"
                        + (lots.Key.Earlier ? ", earlier versions" : ""),
                    Why(lots.Key.Prefix, lots.First().Tags, lots.First().BytesPerObject),
                    Quantity(bare with { Stock = [.. lots] }, charge, month) - elsewhere
                )),
            new(
                "copies that were recalled",
                "they rest beside what they are of",
                Quantity(bare with { Recalled = of.Recalled }, charge, month) - elsewhere
            ),
            new(
                "parts of uploads that are not complete",
                "they rest where new objects land",
                Quantity(bare with { Unfinished = of.Unfinished }, charge, month) - elsewhere
            ),
            new(
                "copies from other buckets, packs of backups and what arrays let go",
                "they arrive by replication rules, plans and the arrays' rules",
                elsewhere
            ),
        ];
        return parts.Where(p => p.Quantity != 0);
    }

    private double Quantity(Bucket part, Charge charge, int month)
    {
        var usage = BucketUsage.Compute(part, projection.Copies, prices, calendar, growth);
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
