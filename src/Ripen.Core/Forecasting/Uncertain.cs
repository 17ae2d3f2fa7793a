namespace Ripen.Core.Forecasting;

/// <summary>A number that is not known: at least, most likely, at most. Its values are distributed as a triangle, which asks for no more than
/// people can say (common practice).</summary>
public sealed record Uncertain(double Low, double Likely, double High)
{
    public bool IsKnown => Low == High;

    /// <summary>Whether the three are in their order.</summary>
    public bool IsInOrder => Low <= Likely && Likely <= High;

    /// <summary>The value that is not exceeded with a probability from 0 to 1: the inverse of the triangular distribution.</summary>
    public double Quantile(double probability)
    {
        if (IsKnown)
            return Low;
        var below = (Likely - Low) / (High - Low);
        return probability < below
            ? Low + Math.Sqrt(probability * (High - Low) * (Likely - Low))
            : High - Math.Sqrt((1 - probability) * (High - Low) * (High - Likely));
    }
}

/// <summary>What is not known of the years to come.</summary>
/// <param name="Growth">Added to the growth of everything in 365 days: 0.1 is ten points.</param>
/// <param name="Reading">So many times as often is everything read, at least 0.</param>
/// <param name="Prices">By how much all prices rise in a year, from today on: 0.1 is ten per cent; greater than -1.</param>
public sealed record Uncertainty(Uncertain Growth, Uncertain Reading, Uncertain Prices);
