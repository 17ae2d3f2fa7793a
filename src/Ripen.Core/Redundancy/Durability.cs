namespace Ripen.Core.Redundancy;

/// <summary>
/// How long fragments on failing and repaired devices keep an object: a birth–death chain over the number of failed fragments, absorbed
/// when more than the spare ones have failed at once. Devices fail independently; what the loss of whole zones and regions adds is
/// <see cref="PlaceLosses"/>'s. Times are held as logarithms: seventy copies outlast any number of years that can be written down.
/// </summary>
public static class Durability
{
    /// <summary>Hours in a mean year of 365.25 days.</summary>
    public const double HoursPerYear = 8766;

    /// <summary>Failures per hour of one device when <paramref name="perYear"/> of all (0 to 1, exclusive) fail in a year: −ln(1 − AFR) /
    /// 8766 h.</summary>
    public static double FailureRate(double perYear) => -Tiny.LogOnePlus(-perYear) / HoursPerYear;

    /// <summary>
    /// The natural logarithm of the mean hours until the object is lost, from all fragments whole. With failure rates (n − i)λ and repair
    /// rates iμ (or μ, one repair at a time), the mean time from i to i + 1 failed is hᵢ = 1/uᵢ + dᵢ/uᵢ · hᵢ₋₁, and the sum of h₀ … hₘ is
    /// the answer: first-step analysis of a birth–death chain (textbook; only sums of positive terms, so nothing cancels).
    /// </summary>
    /// <param name="fragments">n, at least 1.</param>
    /// <param name="spare">m, from 0 to n − 1.</param>
    /// <param name="failureRate">λ, per hour; above 0.</param>
    /// <param name="repairHours">1/μ, hours; above 0.</param>
    /// <param name="oneRepairAtATime">Whether repairs queue.</param>
    /// <exception cref="ArgumentOutOfRangeException">Spare is not from 0 to n − 1.</exception>
    public static double LogMeanHoursToLoss(int fragments, int spare, double failureRate, double repairHours, bool oneRepairAtATime)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(spare);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(spare, fragments);
        var (total, step) = (double.NegativeInfinity, double.NegativeInfinity);
        for (var failed = 0; failed <= spare; failed++)
        {
            var fails = Math.Log(fragments - failed) + Math.Log(failureRate);
            var repairs = Math.Log((oneRepairAtATime ? Math.Min(failed, 1) : failed) / repairHours);
            step = Tiny.LogSum(0, repairs + step) - fails;
            total = Tiny.LogSum(total, step);
        }
        return total;
    }

    /// <summary>Mean hours until the object is lost; infinite where no number can hold them.</summary>
    /// <inheritdoc cref="LogMeanHoursToLoss"/>
    public static double MeanHoursToLoss(int fragments, int spare, double failureRate, double repairHours, bool oneRepairAtATime) =>
        Math.Exp(LogMeanHoursToLoss(fragments, spare, failureRate, repairHours, oneRepairAtATime));

    /// <summary>The natural logarithm of the probability that something with this rate per year, ln ν, happens within a year: 1 −
    /// e^(−ν).</summary>
    public static double LogChanceInAYear(double logRatePerYear) =>
        logRatePerYear < -30 ? logRatePerYear : Math.Log(-Tiny.ExpLessOne(-Math.Exp(logRatePerYear)));

    /// <summary>ln of the losses a year when the mean time to one is e^<paramref name="logMeanHours"/> hours.</summary>
    public static double LogRatePerYear(double logMeanHours) => Math.Log(HoursPerYear) - logMeanHours;

    /// <summary>The probability that the object is lost within a year: 1 − exp(−8766 / hours).</summary>
    public static double LossInAYear(double meanHoursToLoss) => Math.Exp(LogChanceInAYear(LogRatePerYear(Math.Log(meanHoursToLoss))));

    /// <summary>Nines a year: −log₁₀ of the probability of loss.</summary>
    public static double Nines(double meanHoursToLoss) => NinesOfLog(LogChanceInAYear(LogRatePerYear(Math.Log(meanHoursToLoss))));

    /// <summary>The same of the natural logarithm of a probability, however small.</summary>
    public static double NinesOfLog(double logChance) => -logChance / Math.Log(10);
}
