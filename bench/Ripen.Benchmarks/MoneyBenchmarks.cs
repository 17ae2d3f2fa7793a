using BenchmarkDotNet.Attributes;
using Ripen.Core.Bills;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Benchmarks;

/// <summary>What is done with the charges of 1,000 buckets: agreements settled, a bill fitted, a plan held against fact.</summary>
public class MoneyBenchmarks
{
    private const int Year = 12;
    private readonly Estate thousand = Workloads.Estate(1000);
    private Projection year = null!;
    private MappedBill bill = null!;
    private MonthlyCharges plan = null!;
    private MonthlyCharges fact = null!;

    [GlobalSetup]
    public void Charge()
    {
        year = Projection.Of(thousand, Year);
        bill = new MappedBill([.. year.Rows().Where(r => r.Bucket.Length > 0).Select(r => new MappedLine(r))], []);
        plan = bill.ByMonth();
        var dearer = bill
            .Lines.Select(l => l.Row)
            .Select((l, i) => new MappedLine(l with { Quantity = l.Quantity * (1 + (0.001 * (i % 90))), Amount = l.Amount * 1.04 }));
        fact = new MappedBill([.. dearer], []).ByMonth();
    }

    /// <summary>The demo's price book has an allowance, a trial and a commitment; the sums of ten years are asked anew.</summary>
    [Benchmark(Description = "1,000 buckets, 10 years, agreements settled")]
    public double Settled() => Projection.Of(thousand, 120).MoneyInAll.Sum();

    [Benchmark(Description = "Prices fitted to a bill of 1,000 buckets and a year")]
    public PriceFit Fitted() => PriceFit.Of(bill, thousand);

    [Benchmark(Description = "A year's plan of 1,000 buckets held against fact")]
    public VarianceTable Compared() => VarianceTable.Of(Variance.Of(plan, fact, 0, Year), plan.First, Year, VarianceBy.Tier, thousand);
}
