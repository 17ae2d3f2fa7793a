using Ripen.Core.Billing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What lies in one tier of one region.</summary>
/// <param name="Region">Where it is read.</param>
/// <param name="Tier">The id of the tier.</param>
/// <param name="Objects">How many.</param>
/// <param name="Bytes">Of all of them.</param>
public sealed record Resting(string Region, string Tier, double Objects, double Bytes);

/// <summary>How much has arrived by an hour; between two of them it grows evenly.</summary>
public sealed record BackBy(double Hour, double Bytes);

/// <summary>Everything read at one speed and carried to one place. Money is once.</summary>
/// <param name="Speed">The id of a recall speed, which a tier that lacks it gives at its ordinary one; null for the ordinary one.</param>
/// <param name="Name">For people.</param>
/// <param name="Terms">All that costs something.</param>
/// <param name="WaitHours">Before the last tier's first byte.</param>
/// <param name="Hours">Until the last byte.</param>
/// <param name="Curve">What has arrived, hour by hour: rises to all of it.</param>
public sealed record FullRestoreAtSpeed(
    string? Speed,
    string Name,
    IReadOnlyList<PricedTerm> Terms,
    double WaitHours,
    double Hours,
    IReadOnlyList<BackBy> Curve
)
{
    /// <summary>Recalls by bytes and by request.</summary>
    public double Recall => Sum(Charge.Recall);

    /// <summary>Read requests.</summary>
    public double Reads => Sum(Charge.Reads);

    /// <summary>To the other region, or out.</summary>
    public double Transfer => Sum(Charge.Transfer);

    public double Total => Recall + Reads + Transfer;

    private double Sum(Charge charge) => Terms.Where(t => t.Charge == charge).Sum(t => t.Amount);
}

/// <summary>What it costs and how long it takes to have everything back, to one region or out of all of them.</summary>
/// <param name="To">The region; null for out.</param>
/// <param name="Speeds">The ordinary one first.</param>
/// <param name="WarmCopyAYear">What a second copy of it all costs a year in the region's warmest tier, through its bands, at factor 1; null for
/// out.</param>
/// <param name="HasPriceOut">Whether every region that something leaves has a price for going out, or is a place of one's own.</param>
public sealed record FullRestore(string? To, IReadOnlyList<FullRestoreAtSpeed> Speeds, double? WarmCopyAYear, bool HasPriceOut)
{
    private const double SecondsAnHour = 3600;

    /// <summary>How many times a year everything can be had back, at the ordinary speed, for what the warm copy costs; null where there is none, or
    /// having it back costs nothing.</summary>
    public double? RestoresForWarmCopy => Speeds[0].Total > 0 ? WarmCopyAYear / Speeds[0].Total : null;

    /// <param name="there">What is read.</param>
    /// <param name="prices">In force.</param>
    /// <param name="to">The region that it goes to; null for out.</param>
    /// <param name="lineOut">Bytes a second of the line out, for all together; infinite for no limit.</param>
    /// <exception cref="RefusalException">There is no such region.</exception>
    public static FullRestore Of(IReadOnlyList<Resting> there, PriceBook prices, string? to, double lineOut = double.PositiveInfinity)
    {
        if (to is not null && prices.FindRegion(to) is null)
            throw new RefusalException(RefusalKind.Invalid, "unknown-reference", $"There is no region '{to}'.", "$.to");
        var speeds = there
            .SelectMany(r => Price(prices, r).RecallSpeeds)
            .GroupBy(s => s.Id)
            .Select(s => (Id: (string?)s.Key, s.First().Name))
            .Prepend((null, "ordinary"));
        var warmest = to is null ? null : prices.FindRegion(to)!.PriceOf(prices.Tiers[0].Id);
        return new(
            to,
            [.. speeds.Select(s => At(s.Id, s.Name, there, prices, to, lineOut))],
            warmest is null ? null : warmest.StorageCost(there.Sum(r => r.Bytes) / prices.Unit.Bytes()) * 12,
            to is not null || there.All(r => prices.FindRegion(r.Region)! is { TransferOut.Count: > 0 } or { OperatedBy: Operator.Own })
        );
    }

    private static TierPrice Price(PriceBook prices, Resting resting) => prices.FindRegion(resting.Region)!.PriceOf(resting.Tier)!;

    private static FullRestoreAtSpeed At(
        string? speed,
        string name,
        IReadOnlyList<Resting> there,
        PriceBook prices,
        string? to,
        double lineOut
    )
    {
        var terms = new List<PricedTerm>();
        var waits = new List<(string Line, double Hours, double Bytes)>();
        foreach (var resting in there)
        {
            var price = Price(prices, resting);
            var own = price.RecallSpeeds.FirstOrDefault(s => s.Id == speed);
            terms.AddRange(PricedTerm.OfReading(prices, resting.Region, resting.Tier, own, resting.Objects, resting.Bytes));
            var wait = own?.WaitHours ?? prices.Tiers[prices.Coldness(resting.Tier)].WaitHours;
            // All that goes out shares one line; between regions each has its own.
            waits.Add((to is null ? "" : resting.Region, wait, resting.Bytes));
        }
        var lines = waits
            .GroupBy(w => w.Line)
            .Select(line =>
                Line(
                    [.. line.Select(w => (w.Hours, w.Bytes))],
                    to is null ? lineOut : prices.FindTransfer(line.Key, to)?.BytesPerSecond ?? double.PositiveInfinity
                )
            )
            .ToList();
        return new(
            speed,
            name,
            [.. terms, .. Transfer(there, prices, to)],
            waits.Select(w => w.Hours).DefaultIfEmpty(0).Max(),
            lines.Select(l => l[^1].Hour).DefaultIfEmpty(0).Max(),
            Together(lines)
        );
    }

    private static IEnumerable<PricedTerm> Transfer(IReadOnlyList<Resting> there, PriceBook prices, string? to)
    {
        foreach (var region in there.GroupBy(r => r.Region))
        {
            var bytes = region.Sum(r => r.Bytes);
            foreach (var term in to is null ? Out(region.Key, bytes) : PricedTerm.OfCarrying(prices, region.Key, to, bytes))
                yield return term;
        }

        IEnumerable<PricedTerm> Out(string region, double bytes) =>
            DerivationTerms
                .Bands(prices.FindRegion(region)!.TransferOut, bytes / prices.Unit.Bytes())
                .Where(b => b.Price > 0)
                .Select(b => new PricedTerm(
                    Charge.Transfer,
                    region,
                    null,
                    b.Of("going out"),
                    b.Units,
                    Units.Of(Charge.Transfer, prices.Unit),
                    b.Price,
                    1
                ));
    }

    /// <summary>What a line brings: it carries whatever is there to be read, as fast as it can, and waits for the rest.</summary>
    private static List<BackBy> Line(IReadOnlyList<(double Hours, double Bytes)> waits, double bytesPerSecond)
    {
        var anHour = bytesPerSecond * SecondsAnHour;
        var (now, sent, ready) = (0.0, 0.0, 0.0);
        var curve = new List<BackBy> { new(0, 0) };
        foreach (var more in waits.GroupBy(w => w.Hours).OrderBy(g => g.Key))
        {
            Carry(more.Key);
            ready += more.Sum(w => w.Bytes);
        }
        Carry(double.PositiveInfinity);
        return curve;

        void Carry(double until)
        {
            var drained = double.IsInfinity(anHour) ? now : now + ((ready - sent) / anHour);
            if (drained <= until)
            {
                (now, sent) = (drained, ready);
                Note();
                if (double.IsInfinity(until))
                    return;
                now = until;
            }
            else
            {
                sent += (until - now) * anHour;
                now = until;
            }
            Note();
        }

        void Note()
        {
            if (curve[^1] != new BackBy(now, sent))
                curve.Add(new(now, sent));
        }
    }

    private static List<BackBy> Together(List<List<BackBy>> lines)
    {
        if (lines.Count == 1)
            return lines[0];
        // Where a line jumps, the hour comes twice: before and after.
        var hours = lines.SelectMany(l => l.Select(p => p.Hour)).Distinct().Order().ToList();
        var sums = new List<BackBy>();
        foreach (var hour in hours)
        {
            var (before, after) = (lines.Sum(l => On(l, hour, last: false)), lines.Sum(l => On(l, hour, last: true)));
            sums.Add(new(hour, before));
            if (after > before)
                sums.Add(new(hour, after));
        }
        return sums;

        static double On(List<BackBy> line, double hour, bool last)
        {
            var exact = line.Where(p => p.Hour == hour).ToList();
            if (exact.Count > 0)
                return last ? exact[^1].Bytes : exact[0].Bytes;
            var next = line.FindIndex(p => p.Hour > hour);
            if (next < 0)
                return line[^1].Bytes;
            var (from, to) = (line[next - 1], line[next]);
            return from.Bytes + ((to.Bytes - from.Bytes) * (hour - from.Hour) / (to.Hour - from.Hour));
        }
    }
}
