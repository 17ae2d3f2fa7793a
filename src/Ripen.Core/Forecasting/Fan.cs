using Ripen.Core.Ageing;

namespace Ripen.Core.Forecasting;

/// <summary>What may be uncertain.</summary>
public enum Driver
{
    Growth,
    Reading,
    Prices,
}

/// <summary>One of the futures that were drawn: what is added to the growth of everything in 365 days, so many times as often is everything
/// read, and by how much prices rise in a year.</summary>
public sealed record Future(double Growth, double Reading, double Prices);

/// <summary>Money that is not exceeded with a probability of a tenth, a half and nine tenths.</summary>
/// <param name="Nearest">The future whose money is nearest to each of the three.</param>
public sealed record Band(double P10, double P50, double P90, IReadOnlyList<Future> Nearest);

/// <summary>Twelve months, the last year perhaps fewer.</summary>
public sealed record BandOfYear(int Number, Month From, Month To, Band Money);

/// <summary>What one uncertainty alone does to the sum of all months: the others stand at their middle, and it goes from its tenth to its nine
/// tenths.</summary>
/// <param name="Driver">Which.</param>
/// <param name="Low">At its tenth.</param>
/// <param name="High">At its nine tenths.</param>
/// <param name="Futures">The two of them.</param>
public sealed record DriverSwing(Driver Driver, double Low, double High, IReadOnlyList<Future> Futures)
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
        List<Future> futures =
        [
            .. Enumerable
                .Range(1, runs)
                .Select(run => new Future(
                    what.Growth.Quantile((Halton(run, 2) + x) % 1),
                    what.Reading.Quantile((Halton(run, 3) + y) % 1),
                    what.Prices.Quantile((Halton(run, 5) + z) % 1)
                )),
        ];
        var money = new double[runs][];
        Parallel.For(0, runs, run => money[run] = MoneyOf(estate, futures[run]));
        List<Month> months = [.. Enumerable.Range(0, calendar.Months).Select(m => Month.Of(calendar.Date(m)))];
        return new Fan(
            seed,
            runs,
            months,
            [.. months.Select((_, m) => BandOf(money.Select(run => run[m]), futures))],
            [
                .. months
                    .Chunk(12)
                    .Select(
                        (year, i) =>
                            new BandOfYear(
                                i + 1,
                                year[0],
                                year[^1],
                                BandOf(money.Select(run => run.AsSpan(i * 12, year.Length).ToArray().Sum()), futures)
                            )
                    ),
            ],
            BandOf(money.Select(run => run.Sum()), futures),
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
                .Select(d => SwingOf(d.Driver, At(d.Driver, 0.1), At(d.Driver, 0.9)))
                .OrderByDescending(s => s.Swing),
        ];

        DriverSwing SwingOf(Driver driver, Future low, Future high) =>
            new(driver, MoneyOf(estate, low).Sum(), MoneyOf(estate, high).Sum(), [low, high]);

        Future At(Driver driver, double probability) =>
            new(
                what.Growth.Quantile(driver == Driver.Growth ? probability : 0.5),
                what.Reading.Quantile(driver == Driver.Reading ? probability : 0.5),
                what.Prices.Quantile(driver == Driver.Prices ? probability : 0.5)
            );
    }

    /// <summary>Between the two nearest of the sorted values, in proportion.</summary>
    private static Band BandOf(IEnumerable<double> values, List<Future> futures)
    {
        var sorted = values.ToArray();
        var runs = Enumerable.Range(0, sorted.Length).ToArray();
        Array.Sort(sorted, runs);
        return new Band(At(0.1), At(0.5), At(0.9), [Nearest(0.1), Nearest(0.5), Nearest(0.9)]);

        double At(double share)
        {
            var place = share * (sorted.Length - 1);
            var below = (int)place;
            var above = Math.Min(below + 1, sorted.Length - 1);
            return sorted[below] + ((place - below) * (sorted[above] - sorted[below]));
        }

        Future Nearest(double share) => futures[runs[(int)Math.Round(share * (sorted.Length - 1))]];
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
    private static double[] MoneyOf(UncertainMoney estate, Future future)
    {
        var money = estate.At(future.Growth, future.Reading);
        for (var m = 0; m < money.Length; m++)
            money[m] *= Dearer(future.Prices, m);
        return money;
    }

    /// <summary>So many times as high are prices that rise by so much a year.</summary>
    /// <param name="rise">0.1 is ten per cent; greater than -1.</param>
    /// <param name="month">Counted from the running one, in which they are as they are.</param>
    public static double Dearer(double rise, int month) => Math.Pow(1 + rise, month / 12.0);
}
