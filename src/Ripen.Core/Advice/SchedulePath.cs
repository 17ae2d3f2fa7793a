using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Advice;

/// <summary>How long objects live, in days of age.</summary>
/// <param name="Over">When they are no current versions any more: nobody reads them from then on, and no step is taken.</param>
/// <param name="End">When they are gone, or no longer looked at.</param>
/// <param name="Goes">Whether they leave their tier then.</param>
internal readonly record struct LifeSpan(int Over, int End, bool Goes);

/// <summary>The life of a day's arrivals as a path over age and tier, and the cheapest one.</summary>
internal sealed class SchedulePath
{
    private readonly Bucket bucket;
    private readonly PriceBook prices;
    private readonly ObjectCosts costs;
    private readonly LifeSpan span;
    private readonly Daily?[] daily;
    private readonly IReadOnlyList<ObjectStream> streams;

    /// <param name="bucket">Where they arrive.</param>
    /// <param name="prices">For the tiers.</param>
    /// <param name="streams">What arrives a day.</param>
    /// <param name="span">How long each lives.</param>
    public SchedulePath(Bucket bucket, PriceBook prices, IReadOnlyList<ObjectStream> streams, LifeSpan span)
    {
        (this.bucket, this.prices, this.streams, this.span) = (bucket, prices, streams, span);
        costs = new ObjectCosts(bucket, prices);
        Landing = prices.Coldness(bucket.Tier);
        daily =
        [
            .. prices.Tiers.Select(
                (_, tier) =>
                    costs.Offers(tier)
                        ? new Daily(
                            streams.Sum(s => s.ObjectsPerDay) * costs.MoveInto(tier),
                            streams.Sum(s => s.ObjectsPerDay * costs.StoredADay(tier, s.BytesPerObject)),
                            streams.Sum(s => s.ObjectsPerDay * costs.ReadOnce(tier, s.BytesPerObject)),
                            streams.Sum(s => s.ObjectsPerDay * costs.EarlyADay(tier, s.BytesPerObject))
                        )
                        : null
            ),
        ];
    }

    /// <summary>Of a day's arrivals in one tier: for moving in, for each day at rest, for each reading of all, for each day short of the minimum
    /// stay.</summary>
    private sealed record Daily(double Move, double Stored, double Read, double Early);

    public int Landing { get; }

    /// <summary>What a day's arrivals cost over their life with these steps: ages rise, tiers get colder.</summary>
    public double CostOf(IReadOnlyList<(int Age, int Tier)> steps)
    {
        var (tier, since, cost) = (Landing, 0, 0.0);
        foreach (var (age, to) in steps)
        {
            cost += Stay(tier, since, age, leaves: true) + daily[to]!.Move;
            (tier, since) = (to, age);
        }
        return cost + Stay(tier, since, span.End, span.Goes);
    }

    /// <summary>The same of a year's arrivals, by quantities and prices.</summary>
    public IEnumerable<ScheduleTerm> TermsOf(IReadOnlyList<(int Age, int Tier)> steps)
    {
        var (tier, since) = (Landing, 0);
        foreach (var (age, to) in steps)
        {
            foreach (var term in TermsOf(tier, since, age, leaves: true))
                yield return term;
            (tier, since) = (to, age);
        }
        foreach (var term in TermsOf(tier, since, span.End, span.Goes))
            yield return term;
    }

    /// <summary>Of one stay, with the move that begins it.</summary>
    private IEnumerable<ScheduleTerm> TermsOf(int tier, int from, int to, bool leaves)
    {
        var (of, price, unit) = (prices.Tiers[tier], costs.Price(tier), prices.Unit.Bytes());
        var objects = streams.Sum(s => s.ObjectsPerDay) * ScheduleAdvice.DaysAYear;
        var billed = streams.Sum(s => s.ObjectsPerDay * of.BilledBytes(s.BytesPerObject)) * ScheduleAdvice.DaysAYear / unit;
        var read = costs.Readings(from, Math.Min(to, span.Over));
        var missing = leaves ? of.DaysShort(to - from) : 0;
        var (month, unitMonth) = (costs.DaysAMonth, Units.Of(Charge.Storage, prices.Unit));
        ScheduleTerm[] terms =
        [
            Term(Charge.Moves, "moved there", tier == Landing ? 0 : objects, "objects", price.MovesIn.PerThousand, 1000),
            Term(Charge.Storage, "at rest", billed * (to - from) / month, unitMonth, price.Storage[0].Price.PerUnit, 1, costs.Factor),
            Term(
                Charge.Storage,
                $"their index in {prices.Tiers[Landing].Name}",
                objects * of.IndexBytes / unit * (to - from) / month,
                unitMonth,
                costs.Price(Landing).Storage[0].Price.PerUnit,
                1,
                costs.Factor
            ),
            Term(Charge.Reads, "reads", objects * read, "reads", price.Reads.PerThousand, 1000),
            Term(Charge.Recall, "recall requests", objects * read, "reads", price.RecallRequests.PerThousand, 1000),
            Term(
                Charge.Recall,
                "recalled",
                streams.Sum(s => s.ObjectsPerDay * s.BytesPerObject) * ScheduleAdvice.DaysAYear / unit * read,
                prices.Unit.ToString(),
                price.Recall.PerUnit,
                1
            ),
            Term(
                Charge.EarlyLeave,
                $"{missing} days short of the minimum stay",
                billed * missing / month,
                unitMonth,
                price.Storage[0].Price.PerUnit,
                1,
                costs.Factor
            ),
        ];
        return terms.Where(t => t.Term.Amount > 0);

        ScheduleTerm Term(Charge charge, string what, double quantity, string inUnits, double each, int per, double factor = 1) =>
            new(from, to, new(charge, bucket.Region, of.Id, what, quantity, inUnits, each, per, factor));
    }

    /// <summary>The least that they can cost, and with which steps.</summary>
    /// <param name="longestWait">Hours: colder tiers in which reading waits longer are not used.</param>
    public (double Cost, IReadOnlyList<(int Age, int Tier)> Steps) Cheapest(double longestWait)
    {
        var ages = Ages();
        var readings = ages.ConvertAll(a => costs.Readings(0, a));
        List<int> tiers =
        [
            .. Enumerable
                .Range(Landing, prices.Tiers.Count - Landing)
                .Where(t => t == Landing || (daily[t] is not null && prices.Tiers[t].WaitHours <= longestWait)),
        ];
        // From the coldest tier back to the landing one: the best that is left from an age on, for who comes into the tier then.
        var best = new (double Cost, int Next, int Tier)[prices.Tiers.Count][];
        foreach (var tier in Enumerable.Reverse(tiers))
        {
            best[tier] = new (double, int, int)[ages.Count];
            for (var at = 0; at < ages.Count; at++)
                best[tier][at] = From(tier, at, ages, readings, tiers, best);
        }
        var steps = new List<(int, int)>();
        for (var (at, tier) = (0, Landing); best[tier][at] is { Next: >= 0 } go; (at, tier) = (go.Next, go.Tier))
            steps.Add((ages[go.Next], go.Tier));
        return (best[Landing][0].Cost, steps);
    }

    private (double Cost, int Next, int Tier) From(
        int tier,
        int at,
        List<int> ages,
        List<double> readings,
        List<int> tiers,
        (double Cost, int Next, int Tier)[][] best
    )
    {
        var (of, minimum) = (daily[tier]!, prices.Tiers[tier].MinimumStayDays);
        var least = (Cost: Stay(tier, ages[at], span.End, span.Goes), Next: -1, Tier: -1);
        // What arrives may move on the same day; what moved moves again on another one.
        for (var next = tier == Landing && at == 0 ? 0 : at + 1; next < ages.Count; next++)
        {
            var days = ages[next] - ages[at];
            var stay = (of.Stored * days) + (of.Read * (readings[next] - readings[at])) + (of.Early * Math.Max(0, minimum - days));
            foreach (var to in tiers)
            {
                if (to <= tier || ages[next] < (prices.Tiers[to].LeastAge?.Created ?? 0))
                    continue;
                var cost = stay + daily[to]!.Move + best[to][next].Cost;
                if (cost < least.Cost - (1e-12 * Math.Abs(least.Cost)))
                    least = (cost, next, to);
            }
        }
        return least;
    }

    private double Stay(int tier, int from, int to, bool leaves)
    {
        var of = daily[tier]!;
        var cost = (of.Stored * (to - from)) + (of.Read * costs.Readings(from, Math.Min(to, span.Over)));
        return leaves ? cost + (of.Early * prices.Tiers[tier].DaysShort(to - from)) : cost;
    }

    /// <summary>Ages of current versions at which a charge bends, and those that minimum stays lead to from them, up or down.</summary>
    private List<int> Ages()
    {
        var offsets = new HashSet<int> { 0 };
        foreach (var stay in prices.Tiers.Skip(Landing).Select(t => t.MinimumStayDays).Where(d => d > 0))
            offsets.UnionWith(offsets.SelectMany(o => new[] { o + stay, o - stay }).ToList());
        return
        [
            .. bucket
                .Reads.Select(r => r.FromAge)
                .Concat(prices.Tiers.Select(t => t.LeastAge?.Created ?? 0))
                .Append(span.End)
                // The last chance to move, and the ones before it for who moves again.
                .Concat(Enumerable.Range(0, prices.Tiers.Count - Landing + 1).Select(before => span.Over - before))
                .Append(0)
                .SelectMany(age => offsets.Select(o => age + o))
                .Where(age => age >= 0 && age < span.Over)
                .Append(0)
                .Distinct()
                .Order(),
        ];
    }
}
