namespace Ripen.Core.Redundancy;

/// <summary>
/// How long fragments on failing and repaired devices keep an object: a birth–death chain over the number of failed fragments, absorbed
/// when more than the spare ones have failed at once. Devices fail independently; losing a whole zone or region is counted elsewhere.
/// </summary>
public static class Durability
{
    /// <summary>Hours in a mean year of 365.25 days.</summary>
    public const double HoursPerYear = 8766;

    /// <summary>Failures per hour of one device when <paramref name="perYear"/> of all (0 to 1, exclusive) fail in a year: −ln(1 − AFR) / 8766 h.</summary>
    public static double FailureRate(double perYear) => -Math.Log(1 - perYear) / HoursPerYear;

    /// <summary>
    /// Mean hours until the object is lost, from all fragments whole. With failure rates (n − i)λ and repair rates iμ (or μ, one repair at
    /// a time), the mean time from i to i + 1 failed is hᵢ = 1/uᵢ + dᵢ/uᵢ · hᵢ₋₁, and the sum of h₀ … hₘ is the answer: first-step analysis of a
    /// birth–death chain (textbook; only sums of positive terms, so nothing cancels).
    /// </summary>
    /// <param name="fragments">n, at least 1.</param>
    /// <param name="spare">m, from 0 to n − 1.</param>
    /// <param name="failureRate">λ, per hour; above 0.</param>
    /// <param name="repairHours">1/μ, hours; above 0.</param>
    /// <param name="oneRepairAtATime">Whether repairs queue.</param>
    /// <exception cref="ArgumentOutOfRangeException">Spare is not from 0 to n − 1.</exception>
    public static double MeanHoursToLoss(int fragments, int spare, double failureRate, double repairHours, bool oneRepairAtATime)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(spare);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(spare, fragments);
        var (total, step) = (0.0, 0.0);
        for (var failed = 0; failed <= spare; failed++)
        {
            var fails = (fragments - failed) * failureRate;
            var repairs = (oneRepairAtATime ? Math.Min(failed, 1) : failed) / repairHours;
            step = (1 + (repairs * step)) / fails;
            total += step;
        }
        return total;
    }

    /// <summary>The probability that the object is lost within a year: 1 − exp(−8766 / hours).</summary>
    public static double LossInAYear(double meanHoursToLoss)
    {
        var x = HoursPerYear / meanHoursToLoss;
        // 1 − exp(−x) would lose every digit of a small x.
        return x < 1e-5 ? x - (x * x / 2) : 1 - Math.Exp(-x);
    }

    /// <summary>Nines a year: −log₁₀ of the probability of loss.</summary>
    public static double Nines(double meanHoursToLoss) => -Math.Log10(LossInAYear(meanHoursToLoss));
}
