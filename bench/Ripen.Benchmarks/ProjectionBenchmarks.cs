using BenchmarkDotNet.Attributes;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;

namespace Ripen.Benchmarks;

/// <summary>A whole projection, priced: 1,000 buckets × 1 stream × 4 tiers × 10 years, on one thread. Aim: below 150 ms and 100
/// MB.</summary>
public class ProjectionBenchmarks
{
    private readonly Estate thousand = Workloads.Estate(1000);

    [Benchmark(Description = "1,000 buckets, 10 years, every row")]
    public double Projected() => Sum(Projection.Of(thousand, 120));

    internal static double Sum(Projection projection)
    {
        var total = 0.0;
        foreach (var line in ForecastSeries.Of(projection, SplitBy.Charge).Lines)
        {
            foreach (var money in line.Money)
                total += money;
        }
        return total;
    }
}

/// <summary>1,000 workloads with a point a day for ten years, kept for 35 days and by month and year. Aim: the projection below 1 s on one
/// core, the points of any day below 100 ms.</summary>
public class PlanBenchmarks
{
    private readonly Estate thousand = Workloads.Planned(1000);
    private IReadOnlyList<Branch> branches = [];

    [GlobalSetup]
    public void Branches() => branches = Branch.All(thousand, thousand.Today.AddDays(3650));

    [Benchmark(Description = "1,000 planned workloads, 10 years, every row")]
    public double Projected() => ProjectionBenchmarks.Sum(Projection.Of(thousand, 120));

    [Benchmark(Description = "Points of 1,000 workloads on a day in ten years")]
    public int Points() => branches.Sum(b => b.PointsOn(thousand.Today.AddDays(3600)));
}

/// <summary>The method beside its meaning, on a case that the day loop finishes in reasonable time.</summary>
public class DayLoopBenchmarks
{
    private readonly Estate small = Workloads.Estate(5);

    [Benchmark(Description = "5 buckets, 2 years, projection", Baseline = true)]
    public double Projected() => ProjectionBenchmarks.Sum(Projection.Of(small, 24));

    [Benchmark(Description = "5 buckets, 2 years, plain day loop")]
    public double DayByDay() => DayLoop.Rows(small, 24).Sum(r => r.Amount);
}

/// <summary>What an interactive edit costs: all consequences of one changed bucket of the demo estate. Aim: below 5 ms.</summary>
public class ConsequencesBenchmarks
{
    private readonly Projection before = Projection.Of(Workloads.Demo(), Consequences.Months);
    private int age;

    [Benchmark(Description = "Consequences of one edited bucket, demo")]
    public Consequences Edited()
    {
        var bucket = before.Estate.Find("voyage-recorders")!;
        age = (age + 1) % 80;
        var rule = bucket.Rules[0];
        var draft = bucket with { Rules = [rule with { Steps = [rule.Steps[0] with { Age = 31 + age }, rule.Steps[1]] }] };
        return Consequences.Of(before, draft, bucket.Name);
    }
}

/// <summary>Many futures of the demo estate. Aim: below 1 s on 2 cores. Other ranges of growth and reading are counted first.</summary>
public class FanBenchmarks
{
    private static readonly Uncertainty What = new(new(-0.05, 0, 0.1), new(0.7, 1, 1.5), new(-0.02, 0, 0.03));
    private readonly Projection projection = Projection.Of(Workloads.Demo(), 120);
    private UncertainMoney money = null!;

    [GlobalSetup(Target = nameof(Futures))]
    public void Count() => money = Counted();

    [Benchmark(Description = "1,000 futures, demo, 10 years")]
    public Fan Futures() => Fan.Of(projection.Calendar, money, What, 1000, 1);

    [Benchmark(Description = "Other ranges, demo, 10 years")]
    public UncertainMoney Counted() => UncertainMoney.Of(projection, What.Growth, What.Reading).Value;
}
