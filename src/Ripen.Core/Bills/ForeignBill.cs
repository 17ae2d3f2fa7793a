using System.Globalization;
using System.Text.RegularExpressions;
using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Bills;

/// <summary>What somebody else's bill says of a month, summed up over rows that say the same.</summary>
/// <param name="Month">Which.</param>
/// <param name="Resource">What it is charged for, as the bill calls it.</param>
/// <param name="Item">What is charged, as the bill calls it.</param>
/// <param name="Unit">Of the quantity, as the bill calls it.</param>
/// <param name="Quantity">How much.</param>
/// <param name="Amount">Money; below 0 for what is given back.</param>
public sealed record ForeignCharge(Month Month, string Resource, string Item, string Unit, double Quantity, double Amount);

/// <summary>Which bucket a resource of a bill is; null for none of them.</summary>
public sealed record ResourceMapping(string Resource, string? Bucket);

/// <summary>What an item of a bill is here.</summary>
/// <param name="Item">As the bill calls it.</param>
/// <param name="Unit">As the bill calls it.</param>
/// <param name="Tier">The id; null for nothing that is known here.</param>
/// <param name="Charge">What for; null for nothing that is known here.</param>
/// <param name="Times">How many units of ours one of the bill's is; null for what the name of the unit says.</param>
/// <param name="Way">The id of the speed of a recall, or of the region that a transfer leads to; null for the ordinary speed, and for the one way
/// that there is.</param>
public sealed record ItemMapping(string Item, string Unit, string? Tier, Charge? Charge, double? Times, string? Way = null)
{
    /// <summary>What a charge can be told by beside its tier: ids and names.</summary>
    public static IEnumerable<(string Id, string Name)> Ways(Charge? charge, PriceBook prices) =>
        charge switch
        {
            Billing.Charge.Recall => prices.RecallSpeeds().Select(s => (s.Id, s.Name)),
            Billing.Charge.Transfer => prices.Regions.Select(r => (r.Id, r.Name)),
            _ => [],
        };
}

/// <summary>How a bill from elsewhere is read: its resources as buckets, its items as charges.</summary>
public sealed record BillMapping(IReadOnlyList<ResourceMapping> Resources, IReadOnlyList<ItemMapping> Items)
{
    /// <summary>The same with what another says of its resources and items.</summary>
    public BillMapping With(BillMapping other)
    {
        var (resources, items) = (other.Resources.ToDictionary(r => r.Resource), other.Items.ToDictionary(i => (i.Item, i.Unit)));
        return new(
            [.. Resources.Select(r => resources.GetValueOrDefault(r.Resource, r))],
            [.. Items.Select(i => items.GetValueOrDefault((i.Item, i.Unit), i))]
        );
    }

    /// <summary>What can be told by names: resources that are called, or end, like a bucket; items that name a tier and a charge.</summary>
    public static BillMapping Propose(IReadOnlyList<ForeignCharge> charges, Estate estate) =>
        new(
            [
                .. charges
                    .Select(c => c.Resource)
                    .Distinct()
                    .Order(StringComparer.Ordinal)
                    .Select(r => new ResourceMapping(r, BucketOf(r, estate))),
            ],
            [
                .. charges
                    .Select(c => (c.Item, c.Unit))
                    .Distinct()
                    .OrderBy(i => i.Item, StringComparer.Ordinal)
                    .ThenBy(i => i.Unit, StringComparer.Ordinal)
                    .Select(i => new ItemMapping(
                        i.Item,
                        i.Unit,
                        TierOf(i.Item, estate.PriceBook),
                        ChargeOf(i.Item),
                        null,
                        WayOf(i.Item, ChargeOf(i.Item), estate.PriceBook)
                    )),
            ]
        );

    private static string? BucketOf(string resource, Estate estate) =>
        estate.Find(resource)?.Name ?? estate.Find(resource.Split('/', ':')[^1])?.Name;

    private static string? TierOf(string item, PriceBook prices) =>
        prices.Tiers.FirstOrDefault(t => Words(item).Contains(t.Id) || item.Contains(t.Name, StringComparison.OrdinalIgnoreCase))?.Id;

    private static Charge? ChargeOf(string item)
    {
        foreach (var charge in Enum.GetValues<Charge>())
        {
            if (Words(item).Contains(charge.Name()))
                return charge;
        }
        return null;
    }

    /// <summary>The one speed, or region, that an item names.</summary>
    private static string? WayOf(string item, Charge? charge, PriceBook prices)
    {
        var named = ItemMapping
            .Ways(charge, prices)
            .Where(n => Words(item).Contains(n.Id) || item.Contains(n.Name, StringComparison.OrdinalIgnoreCase))
            .ToList();
        return named is [var only] ? only.Id : null;
    }

    private static HashSet<string> Words(string item) => [.. item.ToLowerInvariant().Split('/', ' ', ',', ':')];
}

/// <summary>Why something of a bill counts for nothing here.</summary>
public enum AsideBecause
{
    /// <summary>Its resource is none of the buckets.</summary>
    NoBucket,

    /// <summary>Its item is no charge in a tier.</summary>
    NoCharge,

    /// <summary>Nobody says how many of our units one of its is.</summary>
    NoUnit,
}

/// <summary>What a bill says, and how it is read.</summary>
/// <param name="Billed">As the bill has it.</param>
/// <param name="As">As this estate knows it, in units of the price book; null where it is left aside.</param>
/// <param name="Aside">Why; null where it is not.</param>
/// <param name="Way">As in its item's mapping.</param>
public sealed record BilledRow(ForeignCharge Billed, ForecastRow? As, AsideBecause? Aside, string? Way = null);

/// <summary>A line of a bill as this estate knows it.</summary>
/// <param name="Row">In units of the price book.</param>
/// <param name="Way">As in its item's mapping.</param>
public sealed record MappedLine(ForecastRow Row, string? Way = null);

/// <summary>A bill from elsewhere in the lines that this estate knows.</summary>
/// <param name="Lines">What is mapped, by month, bucket, tier and charge, in units of the price book.</param>
/// <param name="Aside">What no bucket or charge was named for, or whose unit is not known.</param>
public sealed record MappedBill(IReadOnlyList<MappedLine> Lines, IReadOnlyList<ForeignCharge> Aside)
{
    /// <param name="charges">As the bill has them.</param>
    /// <param name="mapping">How they are read.</param>
    /// <param name="estate">Knows the buckets' regions and the price book's units.</param>
    public static MappedBill Of(IReadOnlyList<ForeignCharge> charges, BillMapping mapping, Estate estate)
    {
        var (lines, aside) = (new List<MappedLine>(), new List<ForeignCharge>());
        foreach (var read in Read(charges, mapping, estate))
        {
            if (read.As is { } line)
                lines.Add(new(line, read.Way));
            else
                aside.Add(read.Billed);
        }
        return new MappedBill(lines, aside);
    }

    /// <summary>Charge by charge.</summary>
    /// <param name="charges">As the bill has them.</param>
    /// <param name="mapping">How they are read.</param>
    /// <param name="estate">Knows the buckets' regions and the price book's units.</param>
    public static IEnumerable<BilledRow> Read(IReadOnlyList<ForeignCharge> charges, BillMapping mapping, Estate estate)
    {
        var prices = estate.PriceBook;
        var buckets = mapping.Resources.ToDictionary(r => r.Resource, r => r.Bucket is { } name ? estate.Find(name) : null);
        var items = mapping.Items.ToDictionary(i => (i.Item, i.Unit));
        foreach (var charge in charges)
        {
            var item = items.GetValueOrDefault((charge.Item, charge.Unit));
            if (buckets.GetValueOrDefault(charge.Resource) is not { } bucket)
                yield return new(charge, null, AsideBecause.NoBucket);
            else if (item is not { Tier: { } tier, Charge: { } of })
                yield return new(charge, null, AsideBecause.NoCharge);
            else if ((item.Times ?? ForeignUnit.Times(charge.Unit, of, prices, charge.Month)) is not { } times)
                yield return new(charge, null, AsideBecause.NoUnit);
            else
            {
                var (unit, quantity) = (Units.Of(of, prices.Unit), charge.Quantity * times);
                var row = new ForecastRow(charge.Month, bucket.Name, bucket.Region, tier, of, quantity, unit, charge.Amount);
                yield return new(charge, row, null, item.Way);
            }
        }
    }

    /// <summary>The same summed up over its months.</summary>
    /// <exception cref="InvalidOperationException">Nothing is mapped.</exception>
    public MonthlyCharges ByMonth()
    {
        var rows = Lines.Select(l => l.Row).ToList();
        var first = rows.MinBy(l => l.Month.FirstDay)!.Month;
        return new MonthlyCharges(first, rows.Max(l => l.Month.Since(first)) + 1, rows);
    }
}

/// <summary>Units as bills write them: a number of a thousand or a million, a size or a thing, and for how long.</summary>
public static partial class ForeignUnit
{
    /// <summary>How many units of the price book one of the bill's is; null where its name does not say.</summary>
    /// <param name="unit">Such as "GiB-Month", "TB-Hours", "1000 Requests", "10K requests".</param>
    /// <param name="charge">What is charged.</param>
    /// <param name="prices">Whose unit and billing month it is told in.</param>
    /// <param name="month">Whose hours and days a month is divided by.</param>
    public static double? Times(string unit, Charge charge, PriceBook prices, Month month)
    {
        var read = Unit().Match(unit.Trim());
        if (!read.Success)
            return null;
        var times = read.Groups["times"].Success ? double.Parse(read.Groups["times"].Value, CultureInfo.InvariantCulture) : 1;
        times *= read.Groups["thousands"].Value.ToLowerInvariant() switch
        {
            "k" => 1e3,
            "m" => 1e6,
            _ => 1,
        };
        var size = read.Groups["size"].Value;
        var period = read.Groups["period"].Value.ToLowerInvariant();
        var isSize = charge is Charge.Storage or Charge.EarlyLeave or Charge.Recall or Charge.Transfer;
        var lasts = charge is Charge.Storage or Charge.EarlyLeave or Charge.Watching;
        if (isSize != size.Length > 0 || lasts != period.Length > 0)
            return null;
        if (isSize)
            times *= Bytes(size) / prices.Unit.Bytes();
        var days = prices.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(month.Year, month.Number);
        return period switch
        {
            "" or "mo" or "month" or "months" => times,
            "day" or "days" => times / days,
            _ => times / (24.0 * days),
        };
    }

    private static double Bytes(string size)
    {
        var power = "KMGTP".IndexOf(char.ToUpperInvariant(size[0]), StringComparison.Ordinal) + 1;
        return Math.Pow(size.Contains('i', StringComparison.OrdinalIgnoreCase) ? 1024 : 1000, power);
    }

    [GeneratedRegex(
        @"^((?<times>\d+(\.\d+)?)\s*(?<thousands>[km])?\s+|(?<times>\d+)(?<thousands>[km])?\s*)?((?<size>[kmgtp]?i?b(ytes)?)|objects?|requests?|operations?|units?)?([\s-]*(?<period>mo|months?|days?|h|hrs|hours?))?$",
        RegexOptions.IgnoreCase | RegexOptions.ExplicitCapture
    )]
    private static partial Regex Unit();
}
