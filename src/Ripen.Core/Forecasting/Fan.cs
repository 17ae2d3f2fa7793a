using Ripen.Core.Ageing;

namespace Ripen.Core.Forecasting;

/// <summary>What may be uncertain.</summary>
public enum Driver
{
    Growth,
    Reading,
    Prices,
}

/// <summary>Money that is not exceeded with a probability of a tenth, a half and nine tenths.</summary>
public sealed record Band(double P10, double P50, double P90);

/// <summary>Twelve months, the last year perhaps fewer.</summary>
public sealed record BandOfYear(int Number, Month From, Month To, Band Money);

/// <summary>What one uncertainty alone does to the sum of all months: the others stand at their middle, and it goes from its tenth to its nine
/// tenths.</summary>
public sealed record DriverSwing(Driver Driver, double Low, double High)
{
    public double Swing => Math.Abs(High - Low);
}

/// <summary>How sure a forecast is: the money of many futures, drawn from what is not known.</summary>
/// <param name="Seed">Repeats the very same draws.</param>
/// <param name="Runs">How many futures.</param>
/// <param name="Months">That were looked at.</param>
/// <param name="Money">By month.</param>
/// <param name="Years">Of sums of months: not the sums of the months' bands.</param>
/// <param name="Total">Of the sum of all months.</param>
/// <param name="Drivers">What moves the total most comes first; what is known is left out.</param>
public sealed record Fan(
    int Seed,
    int Runs,
    IReadOnlyList<Month> Months,
    IReadOnlyList<Band> Money,
    IReadOnlyList<BandOfYear> Years,
    Band Total,
    IReadOnlyList<DriverSwing> Drivers
)
{
    public const int MostRuns = 100_000;

    /// <summary>Draws futures, growth, reading and prices independent of each other, from the Halton sequence moved by a random shift: Cranley and
    /// Patterson, "Randomization of Number Theoretic Methods for Multiple Integration", SIAM J. Numer. Anal. 13 (1976).</summary>
    /// <param name="calendar">Of the money.</param>
    /// <param name="estate">Over the ranges of growth and reading.</param>
    /// <param name="what">Is not known.</param>
    /// <param name="runs">From 1 to <see cref="MostRuns"/>.</param>
    /// <param name="seed">Of the shift.</param>
    /// <exception cref="ArgumentOutOfRangeException">Runs out of range.</exception>
    public static Fan Of(BillingCalendar calendar, UncertainMoney estate, Uncertainty what, int runs, int seed)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(runs, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(runs, MostRuns);
        var shift = new Random(seed);
        var (x, y, z) = (shift.NextDouble(), shift.NextDouble(), shift.NextDouble());
        var money = new double[runs][];
        Parallel.For(
            0,
            runs,
            run =>
                money[run] = MoneyOf(
                    estate,
                    what.Growth.Quantile((Halton(run + 1, 2) + x) % 1),
                    what.Reading.Quantile((Halton(run + 1, 3) + y) % 1),
                    what.Prices.Quantile((Halton(run + 1, 5) + z) % 1)
                )
        );
        List<Month> months = [.. Enumerable.Range(0, calendar.Months).Select(m => Month.Of(calendar.Date(m)))];
        return new Fan(
            seed,
            runs,
            months,
            [.. months.Select((_, m) => BandOf(money.Select(run => run[m])))],
            [
                .. months
                    .Chunk(12)
                    .Select(
                        (year, i) =>
                            new BandOfYear(
                                i + 1,
                                year[0],
                                year[^1],
                                BandOf(money.Select(run => run.AsSpan(i * 12, year.Length).ToArray().Sum()))
                            )
                    ),
            ],
            BandOf(money.Select(run => run.Sum())),
            Swings(estate, what)
        );
    }

    private static List<DriverSwing> Swings(UncertainMoney estate, Uncertainty what)
    {
        return
        [
            .. new (Driver Driver, Uncertain Of)[]
            {
                (Driver.Growth, what.Growth),
                (Driver.Reading, what.Reading),
                (Driver.Prices, what.Prices),
            }
                .Where(d => !d.Of.IsKnown)
                .Select(d => new DriverSwing(d.Driver, At(d.Driver, 0.1), At(d.Driver, 0.9)))
                .OrderByDescending(s => s.Swing),
        ];

        double At(Driver driver, double probability) =>
            MoneyOf(
                    estate,
                    what.Growth.Quantile(driver == Driver.Growth ? probability : 0.5),
                    what.Reading.Quantile(driver == Driver.Reading ? probability : 0.5),
                    what.Prices.Quantile(driver == Driver.Prices ? probability : 0.5)
                )
                .Sum();
    }

    /// <summary>Between the two nearest of the sorted values, in proportion.</summary>
    private static Band BandOf(IEnumerable<double> values)
    {
        var sorted = values.Order().ToArray();
        return new Band(At(0.1), At(0.5), At(0.9));

        double At(double share)
        {
            var place = share * (sorted.Length - 1);
            var below = (int)place;
            var above = Math.Min(below + 1, sorted.Length - 1);
            return sorted[below] + ((place - below) * (sorted[above] - sorted[below]));
        }
    }

    /// <summary>The digits of a number to a base, mirrored behind the point.</summary>
    private static double Halton(int number, int digits)
    {
        var (value, place) = (0.0, 1.0);
        for (var left = number; left > 0; left /= digits)
        {
            place /= digits;
            value += place * (left % digits);
        }
        return value;
    }

    /// <summary>A future's money by month.</summary>
    private static double[] MoneyOf(UncertainMoney estate, double growth, double reading, double prices)
    {
        var money = estate.At(growth, reading);
        for (var m = 0; m < money.Length; m++)
            money[m] *= Math.Pow(1 + prices, m / 12.0);
        return money;
    }
}
