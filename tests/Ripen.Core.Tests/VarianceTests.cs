using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

public sealed class VarianceTests
{
    private static readonly Month January = new(2027, 1);

    [Fact]
    public void Volume_and_mix_of_a_month_are_those_of_management_accounting()
    {
        // The sales-mix form of quantity variance, by hand: 100 units at 2 and 100 at 1 were planned, 180 and 60 came.
        // Volume: (240 − 200) × the planned average of 1.5 = 60. Mix: (180 − 120) × 2 + (60 − 120) × 1 = 60. Price: 180 × 0.1 = 18.
        var plan = Charges(1, Row("a", "warm", 100, 200), Row("a", "cold", 100, 100));
        var fact = Charges(1, Row("a", "warm", 180, 378), Row("a", "cold", 60, 60));
        var sum = InAll(Variance.Of(plan, fact, 0, 1));
        Near(new VarianceParts(300, 60, 60, 0, 18, 438), sum);
    }

    [Fact]
    public void What_came_a_month_later_is_timing_and_nothing_over_both_months()
    {
        var plan = Charges(2, Row("a", "warm", 10, 50), Row("a", "warm", 30, 150, 1));
        var fact = Charges(2, Row("a", "warm", 0, 0), Row("a", "warm", 40, 200, 1));
        var line = Assert.Single(Variance.Of(plan, fact, 0, 2));
        Near(new VarianceParts(50, 0, 0, -50, 0, 0), line.Months[0]);
        Near(new VarianceParts(150, 0, 0, 50, 0, 200), line.Months[1]);
        // One month by itself knows of no other: it was less.
        Near(new VarianceParts(50, -50, 0, 0, 0, 0), InAll(Variance.Of(plan, fact, 0, 1)));
    }

    [Fact]
    public void What_nobody_planned_is_volume_and_has_no_price_to_differ_from()
    {
        var plan = Charges(1, Row("a", "warm", 10, 20));
        var fact = Charges(1, Row("a", "warm", 10, 20), Row("b", "warm", 5, 15));
        var b = Variance.Of(plan, fact, 0, 1).Single(l => l.Line.Bucket == "b");
        Near(new VarianceParts(0, 15, 0, 0, 0, 15), b.Months[0]);
    }

    [Fact]
    public void In_a_month_without_any_of_it_the_planned_price_is_that_of_the_other_months()
    {
        var plan = Charges(2, Row("a", "warm", 10, 20));
        var fact = Charges(2, Row("a", "warm", 5, 10), Row("a", "warm", 5, 25, 1));
        var line = Assert.Single(Variance.Of(plan, fact, 0, 2));
        Near(new VarianceParts(20, 0, 0, -10, 0, 10), line.Months[0]);
        Near(new VarianceParts(0, 0, 0, 10, 15, 25), line.Months[1]);
    }

    [Fact]
    public void A_tier_that_was_not_planned_is_mix_where_the_bucket_was()
    {
        var plan = Charges(1, Row("a", "warm", 10, 20), Row("b", "cold", 1, 1));
        var fact = Charges(1, Row("a", "cold", 10, 10), Row("b", "cold", 1, 1));
        Near(new VarianceParts(21, 0, -10, 0, 0, 11), InAll(Variance.Of(plan, fact, 0, 1)));
    }

    [Fact]
    public void Every_line_and_month_adds_up_whatever_was_planned_and_whatever_came()
    {
        var random = new Random(Randomly.Seed);
        for (var time = 0; time < 200; time++)
        {
            var months = random.Next(1, 7);
            var (plan, fact) = (Random(random, months), Random(random, months));
            var first = random.Next(0, months);
            var count = random.Next(1, months - first + 1);
            var told = Variance.Of(plan, fact, first, count).ToList();
            foreach (var line in told)
            {
                for (var m = 0; m < count; m++)
                {
                    var parts = line.Months[m];
                    Assert.Equal(Amount(plan, line.Line, first + m), parts.Planned);
                    Assert.Equal(Amount(fact, line.Line, first + m), parts.Actual);
                    Assert.Equal(
                        parts.Actual,
                        parts.Planned + parts.Volume + parts.Mix + parts.Timing + parts.Price,
                        1e-9 * (1 + parts.Actual + parts.Planned + Math.Abs(parts.Volume) + Math.Abs(parts.Mix))
                    );
                }
            }
            // Nothing of either is left out, and mix is nothing over all tiers where they cost the same.
            Assert.Equal(fact.InAll().Skip(first).Take(count).Sum(), told.Sum(l => l.Months.Sum(p => p.Actual)), 1e-6);
            Assert.Equal(plan.InAll().Skip(first).Take(count).Sum(), told.Sum(l => l.Months.Sum(p => p.Planned)), 1e-6);
        }
    }

    [Fact]
    public void By_tenant_a_bucket_that_is_gone_is_nobodys_and_agreements_are_the_estates()
    {
        var estate = Samples.Small() with
        {
            Buckets =
            [
                Samples.Bucket([], [], null) with
                {
                    Name = "a",
                    Tenant = "Fleet",
                },
                Samples.Bucket([], [], null) with
                {
                    Name = "b",
                    Tenant = "Fleet",
                },
                Samples.Bucket([], [], null) with
                {
                    Name = "c",
                },
            ],
        };
        var month = new Month(2027, 3);
        ForecastRow Row(string bucket, Charge charge, double amount) =>
            new(month, bucket, "aldmouth", "counter", charge, amount, "request", amount);
        var plan = new MonthlyCharges(
            month,
            1,
            [Row("a", Charge.Reads, 10), Row("c", Charge.Reads, 3), Row("gone", Charge.Reads, 5), Row("", Charge.Fixed, 2)]
        );
        var fact = new MonthlyCharges(month, 1, [Row("a", Charge.Reads, 8), Row("b", Charge.Reads, 9), Row("", Charge.Fixed, 2)]);
        var table = VarianceTable.Of(Variance.Of(plan, fact, 0, 1), month, 1, VarianceBy.Tenant, estate);
        Assert.Equal(
            [("*", "Agreements", 2, 2), ("-", "no tenant", 8, 0), ("Fleet", "Fleet", 10, 17)],
            table.Lines.OrderBy(l => l.Key, StringComparer.Ordinal).Select(l => (l.Key, l.Name, l.Parts.Planned, l.Parts.Actual))
        );
        Assert.Equal((20, 19), (table.InAll.Planned, table.InAll.Actual));
    }

    [Fact]
    public void What_makes_a_line_adds_up_to_it_whatever_it_is_told_by()
    {
        var random = new Random(Randomly.Seed);
        var estate = Samples.Small() with
        {
            Buckets =
            [
                .. Enumerable
                    .Range(0, 3)
                    .Select(i => Samples.Bucket([], [], null) with { Name = $"b{i}", Tenant = i == 0 ? null : "Fleet" }),
            ],
        };
        for (var time = 0; time < 100; time++)
        {
            var months = random.Next(1, 7);
            var (plan, fact) = (Random(random, months), Random(random, months));
            var told = Variance.Of(plan, fact, 0, months).ToList();
            foreach (var by in Enum.GetValues<VarianceBy>())
            {
                var table = VarianceTable.Of(told, January, months, by, estate);
                foreach (var line in table.Lines.Where(l => l.Key.Length > 0))
                {
                    var made = VarianceDetail.Of(told, January, by, line.Key, estate);
                    var sum = made.Select(d => d.Parts).Aggregate((a, b) => a + b);
                    Assert.All(
                        Ways(line.Parts).Zip(Ways(sum)),
                        p =>
                            Assert.Equal(
                                p.First,
                                p.Second,
                                1e-9 * (1 + line.Parts.Planned + line.Parts.Actual + Math.Abs(line.Parts.Volume))
                            )
                    );
                    if (by != VarianceBy.Month)
                    {
                        foreach (var d in made)
                        {
                            var of = new ChargeLine(d.Bucket, d.Region, d.Tier, d.Charge);
                            Assert.Equal(plan.Lines.TryGetValue(of, out var was) ? was.Quantities.Sum() : 0, d.Planned, 1e-6);
                            Assert.Equal(fact.Lines.TryGetValue(of, out var now) ? now.Quantities.Sum() : 0, d.Actual, 1e-6);
                        }
                    }
                }
            }
        }
    }

    [Fact]
    public void With_one_price_everywhere_all_of_it_is_volume()
    {
        var random = new Random(Randomly.Seed);
        for (var time = 0; time < 100; time++)
        {
            var (plan, fact) = (AtOne(Random(random, 4)), AtOne(Random(random, 4)));
            var sum = InAll(Variance.Of(plan, fact, 0, 4));
            Assert.Equal(0, sum.Mix, 1e-6);
            Assert.Equal(0, sum.Timing, 1e-6);
            Assert.Equal(0, sum.Price, 1e-6);
            Assert.Equal(sum.Actual - sum.Planned, sum.Volume, 1e-6);
        }

        static MonthlyCharges AtOne(MonthlyCharges of) =>
            new(of.First, of.Months, of.Rows(Pricing.SizeUnit.GiB).Select(r => r with { Amount = r.Quantity }));
    }

    [Fact]
    public void A_budget_that_is_met_to_the_last_digit_but_for_the_order_of_its_sums_is_not_exceeded()
    {
        var planned = 0.1 + 0.2 + 0.3;
        var budget = new Budget
        {
            Id = 1,
            Name = "y",
            FixedOn = new(2027, 1, 1),
            Source = "",
            Currency = "EUR",
            Planned = Charges(1, Row("a", "warm", 1, planned)),
        };
        var month = Assert.Single(BudgetMonth.Of(budget, Charges(1, Row("a", "warm", 1, 0.3 + 0.2)), Charges(1, Row("a", "warm", 1, 0.1))));
        Assert.NotEqual(planned, month.Expected, 0.0);
        Assert.False(month.IsAbove);
        Assert.True((month with { ToCome = 0.11 }).IsAbove);
        Assert.False((month with { ToCome = 0.11, Limit = month.Limit * 1.05 }).IsAbove);
    }

    [Fact]
    public void Rows_of_the_estates_own_forecast_come_back_from_monthly_charges()
    {
        RandomEstates.Check(
            20,
            estate =>
            {
                var projection = Projection.Of(estate, 5);
                var rows = projection.Rows().ToList();
                var charges = new MonthlyCharges(Month.Of(estate.Today), 5, rows);
                Assert.Equal(rows.OrderBy(Key), charges.Rows(estate.PriceBook.Unit).OrderBy(Key));
                var money = projection.MoneyInAll;
                var sums = charges.InAll();
                for (var m = 0; m < money.Length; m++)
                    Assert.Equal(money[m], sums[m], 1e-9 * (1 + money[m]));
                return null;
            }
        );

        static string Key(ForecastRow r) => $"{r.Month} {r.Bucket} {r.Region} {r.Tier} {r.Charge}";
    }

    private static double Amount(MonthlyCharges of, ChargeLine line, int month) => of.Lines.GetValueOrDefault(line)?.Amounts[month] ?? 0;

    private static VarianceParts InAll(IEnumerable<LineVariance> lines) => lines.SelectMany(l => l.Months).Aggregate((a, b) => a + b);

    private static double[] Ways(VarianceParts of) => [of.Planned, of.Volume, of.Mix, of.Timing, of.Price, of.Actual];

    private static void Near(VarianceParts expected, VarianceParts actual)
    {
        Assert.Equal(expected.Planned, actual.Planned, 1e-9);
        Assert.Equal(expected.Volume, actual.Volume, 1e-9);
        Assert.Equal(expected.Mix, actual.Mix, 1e-9);
        Assert.Equal(expected.Timing, actual.Timing, 1e-9);
        Assert.Equal(expected.Price, actual.Price, 1e-9);
        Assert.Equal(expected.Actual, actual.Actual, 1e-9);
    }

    private static MonthlyCharges Random(Random random, int months)
    {
        var rows = new List<ForecastRow>();
        for (var i = random.Next(0, 40); i > 0; i--)
        {
            // Some of nothing, some without a quantity, which requests of nothing are.
            var quantity = random.Next(4) == 0 ? 0 : Math.Pow(10, (random.NextDouble() * 8) - 3);
            rows.Add(
                Row(
                    $"b{random.Next(4)}",
                    $"t{random.Next(3)}",
                    quantity,
                    random.Next(6) == 0 ? 0 : (quantity * random.NextDouble()) + random.NextDouble(),
                    random.Next(months),
                    (Charge)random.Next(3)
                )
            );
        }
        return Charges(months, [.. rows]);
    }

    private static MonthlyCharges Charges(int months, params ForecastRow[] rows) => new(January, months, rows);

    private static ForecastRow Row(
        string bucket,
        string tier,
        double quantity,
        double amount,
        int month = 0,
        Charge charge = Charge.Storage
    ) => new(January.Plus(month), bucket, "shore", tier, charge, quantity, "GiB-month", amount);
}
