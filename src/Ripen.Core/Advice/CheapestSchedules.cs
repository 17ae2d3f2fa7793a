using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Advice;

/// <summary>A step of a schedule: at this age (days) to this tier.</summary>
public sealed record ScheduleStep(int Age, string Tier);

/// <summary>
/// The cheapest schedule for what arrives under a prefix of a bucket. Money is for a year's arrivals over their life, ten years at most: what a
/// year costs once it has settled, in the first bands of the prices.
/// </summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Prefix">Of what arrives.</param>
/// <param name="Now">The steps of the bucket's rules.</param>
/// <param name="Cheapest">The cheapest steps there are.</param>
/// <param name="Unmoved">A year, if everything stayed where it lands.</param>
/// <param name="AsNow">A year with the steps of now.</param>
/// <param name="AtBest">A year with the cheapest steps.</param>
public sealed record Schedule(
    string Bucket,
    string Prefix,
    IReadOnlyList<ScheduleStep> Now,
    IReadOnlyList<ScheduleStep> Cheapest,
    double Unmoved,
    double AsNow,
    double AtBest
)
{
    public double Saving => AsNow - AtBest;

    public double SavedAlready => Unmoved - AsNow;
}

/// <summary>Schedules of a bucket, and the draft that takes them up; what it does exactly, the draft's own consequences say.</summary>
public sealed record ScheduleAdvice(IReadOnlyList<Schedule> Schedules, Bucket Draft)
{
    public const double DaysAYear = 365;

    public double Saving => Schedules.Sum(s => s.Saving);

    public double SavedAlready => Schedules.Sum(s => s.SavedAlready);
}

/// <summary>A bucket for which no schedule is worked out, and why.</summary>
public sealed record NoSchedule(string Bucket, string Why);

/// <summary>Advice for an estate.</summary>
/// <param name="Saving">Of all buckets, a year.</param>
/// <param name="SavedAlready">Of all, against leaving everything where it lands.</param>
/// <param name="InAll">For how many buckets a schedule was worked out.</param>
/// <param name="Buckets">What saves most first; as many as were asked for.</param>
/// <param name="OthersInAll">For how many none was.</param>
/// <param name="Others">As many of them as were asked for.</param>
public sealed record EstateAdvice(
    double Saving,
    double SavedAlready,
    int InAll,
    IReadOnlyList<ScheduleAdvice> Buckets,
    int OthersInAll,
    IReadOnlyList<NoSchedule> Others
);

/// <summary>
/// For each bucket the steps by creation that cost least over the life of what arrives: storage, moves, leaving early, dearer reading, index and
/// smallest billed sizes, within least ages, the bucket's expiry and retention, and the longest wait that its users accept. The optimum of a
/// shortest path over age and tier. Between the ages at which something changes, every charge is linear in the age of a move, so that only such
/// ages, and those a minimum stay from one, need to be looked at.
/// </summary>
public static class CheapestSchedules
{
    /// <summary>What never expires is weighed over ten years.</summary>
    public const int Horizon = 3650;

    /// <param name="estate">Valid.</param>
    /// <param name="longestWait">Hours that readers accept at most; null for as long as each bucket's steps make them wait now.</param>
    /// <param name="most">Buckets that are told.</param>
    public static EstateAdvice Of(Estate estate, double? longestWait, int most = int.MaxValue)
    {
        var (advised, others) = (new List<ScheduleAdvice>(), new List<NoSchedule>());
        foreach (var bucket in estate.Buckets)
        {
            var streams = Streams(bucket, estate);
            if (WhyNot(bucket, streams, estate) is { } why)
                others.Add(new NoSchedule(bucket.Name, why));
            else
                advised.Add(Of(bucket, streams, estate, longestWait));
        }
        return new EstateAdvice(
            advised.Sum(a => a.Saving),
            advised.Sum(a => a.SavedAlready),
            advised.Count,
            [.. advised.OrderByDescending(a => a.Saving).Take(most)],
            others.Count,
            [.. others.Take(most)]
        );
    }

    /// <summary>What makes the money of one schedule.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="bucket">Its name.</param>
    /// <param name="prefix">Of what arrives.</param>
    /// <param name="longestWait">As in <see cref="Of(Estate, double?, int)"/>.</param>
    /// <returns>Null where no such schedule is worked out.</returns>
    public static ScheduleReasons? Why(Estate estate, string bucket, string prefix, double? longestWait)
    {
        if (estate.Find(bucket) is not { } of)
            return null;
        var streams = Streams(of, estate);
        var own = streams.Where(s => s.Prefix == prefix).ToList();
        if (own.Count == 0 || WhyNot(of, streams, estate) is not null)
            return null;
        var worked = WorkOut(of, own, estate, longestWait ?? WaitNow(of, estate.PriceBook));
        return new(worked.Told(prefix), [.. worked.Path.TermsOf(worked.Now)], [.. worked.Path.TermsOf(worked.Best)]);
    }

    private static List<ObjectStream> Streams(Bucket bucket, Estate estate) =>
        [
            .. bucket
                .Streams.Concat(
                    estate.CopiedInto(bucket.Name).SelectMany(c => c.From.Streams.Where(s => c.Rule.Scope.Takes(s.Prefix, s.Tags)))
                )
                .Where(s => s.ObjectsPerDay > 0),
        ];

    private static string? WhyNot(Bucket bucket, List<ObjectStream> streams, Estate estate) =>
        streams.Count == 0 ? "Nothing arrives there by itself."
        : bucket.Rules.Any(r => r.WatchesReading) ? "Its rules wait until nobody reads; there is no one age for all."
        : bucket.Rules.Any(r => r.Tags is not null || r.SmallestBytes > 0 || r.LargestBytes is not null)
            ? "Its rules tell objects apart by tags or sizes."
        : bucket.Rules.Any(r => r.Steps.Any(s => s.BundleTo is not null)) ? "Its rules bundle."
        : bucket.Rules.Any(r => r.Applies == VersionKind.Earlier && r.Steps.Count > 0) ? "Its rules move earlier versions."
        : estate.CopiedInto(bucket.Name).Any(c => c.Rule.Tier is { } own && own != bucket.Tier)
            ? "Copies land there in a tier of their own."
        : AreNested(streams) ? "Some of what arrives lies under a prefix within another's."
        : streams.GroupBy(s => s.Prefix).Any(g => g.Select(s => SpanOf(bucket, s, estate)).Distinct().Count() > 1)
            ? "What arrives under one prefix ends at different ages."
        : null;

    /// <summary>Rules for the wider prefix would hold in the narrower one.</summary>
    private static bool AreNested(List<ObjectStream> streams)
    {
        var prefixes = streams.Select(s => s.Prefix).Distinct().Order(StringComparer.Ordinal).ToList();
        return prefixes.Zip(prefixes.Skip(1)).Any(p => p.Second.StartsWith(p.First, StringComparison.Ordinal));
    }

    private static LifeSpan SpanOf(Bucket bucket, ObjectStream stream, Estate estate)
    {
        var lifecycle = Lifecycle.Of(bucket, stream.Kind, estate.PriceBook, estate.Today);
        var over = Math.Min(lifecycle.ExpireAt, stream.ReplacedAfterDays ?? Lifecycle.Never);
        var gone = Math.Max(lifecycle.Versioned ? over + (long)lifecycle.EarlierExpireAt : over, lifecycle.Keeping.Days);
        var end = (int)Math.Min(gone, Horizon);
        return new LifeSpan(lifecycle.Versioned ? Math.Min(over, end) : end, end, gone <= Horizon);
    }

    private static ScheduleAdvice Of(Bucket bucket, List<ObjectStream> streams, Estate estate, double? longestWait)
    {
        var wait = longestWait ?? WaitNow(bucket, estate.PriceBook);
        var schedules = streams.GroupBy(s => s.Prefix).Select(g => WorkOut(bucket, [.. g], estate, wait).Told(g.Key)).ToList();
        return new ScheduleAdvice(schedules, Draft(bucket, schedules));
    }

    private static double WaitNow(Bucket bucket, PriceBook prices) =>
        bucket
            .Rules.Where(r => r.Applies == VersionKind.Current)
            .SelectMany(r => r.Steps.Select(s => s.Tier))
            .Append(bucket.Tier)
            .Max(t => prices.Tiers[prices.Coldness(t)].WaitHours);

    private static WorkedOut WorkOut(Bucket bucket, List<ObjectStream> streams, Estate estate, double longestWait)
    {
        var prices = estate.PriceBook;
        var span = SpanOf(bucket, streams[0], estate);
        var path = new SchedulePath(bucket, prices, streams, span);
        List<(int, int)> now =
        [
            .. Lifecycle
                .Of(bucket, streams[0].Kind, prices, estate.Today)
                .Steps.Where(s => s.Tier > path.Landing && s.Age < span.Over)
                .Select(s => (s.Age, s.Tier)),
        ];
        var (cost, best) = path.Cheapest(longestWait);
        return new WorkedOut(bucket, prices, path, now, best, cost);
    }

    /// <param name="Bucket">Where things arrive.</param>
    /// <param name="Prices">For the tiers' ids.</param>
    /// <param name="Path">Of a day's arrivals.</param>
    /// <param name="Now">The steps of the bucket's rules.</param>
    /// <param name="Best">The cheapest ones.</param>
    /// <param name="Cost">Of a day's arrivals with them.</param>
    private sealed record WorkedOut(
        Bucket Bucket,
        PriceBook Prices,
        SchedulePath Path,
        IReadOnlyList<(int Age, int Tier)> Now,
        IReadOnlyList<(int Age, int Tier)> Best,
        double Cost
    )
    {
        public Schedule Told(string prefix) =>
            new(
                Bucket.Name,
                prefix,
                Named(Now),
                Named(Best),
                Path.CostOf([]) * ScheduleAdvice.DaysAYear,
                Path.CostOf(Now) * ScheduleAdvice.DaysAYear,
                Cost * ScheduleAdvice.DaysAYear
            );

        private IReadOnlyList<ScheduleStep> Named(IEnumerable<(int Age, int Tier)> some) =>
            [.. some.Select(s => new ScheduleStep(s.Age, Prices.Tiers[s.Tier].Id))];
    }

    /// <summary>The bucket's rules without their steps for current versions, and a rule for each schedule.</summary>
    private static Bucket Draft(Bucket bucket, IReadOnlyList<Schedule> schedules)
    {
        var rules = bucket
            .Rules.Select(r => r.Applies == VersionKind.Current ? r with { Steps = [] } : r)
            .Where(r => r.Steps.Count > 0 || r.ExpireAt is not null)
            .ToList();
        foreach (var schedule in schedules.Where(s => s.Cheapest.Count > 0))
        {
            List<Step> steps = [.. schedule.Cheapest.Select(s => new Step { Age = s.Age, Tier = s.Tier })];
            var own = rules.FindIndex(r => r.Applies == VersionKind.Current && r.Prefix == schedule.Prefix && r.Steps.Count == 0);
            if (own >= 0)
                rules[own] = rules[own] with { Steps = steps };
            else
                rules.Add(
                    new LifecycleRule
                    {
                        Id = FreshId(rules),
                        Prefix = schedule.Prefix,
                        Steps = steps,
                    }
                );
        }
        return bucket.WithoutContents() with { Rules = rules };
    }

    private static string FreshId(List<LifecycleRule> rules) =>
        Enumerable.Range(1, int.MaxValue).Select(n => $"cheapest-{n}").First(id => rules.All(r => r.Id != id));
}
