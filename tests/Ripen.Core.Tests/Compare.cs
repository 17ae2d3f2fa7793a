using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

/// <summary>Equality of forecasts: the same rows in the same order, numbers to 1e-9 relative or absolute.</summary>
internal static class Compare
{
    public const double Tolerance = 1e-9;

    public static bool Close(double a, double b) => Math.Abs(a - b) <= Tolerance + (Tolerance * Math.Max(Math.Abs(a), Math.Abs(b)));

    /// <summary>The first difference in words, or null.</summary>
    public static string? Difference(IReadOnlyList<ForecastRow> expected, IReadOnlyList<ForecastRow> actual)
    {
        for (var i = 0; i < Math.Max(expected.Count, actual.Count); i++)
        {
            var (e, a) = (expected.ElementAtOrDefault(i), actual.ElementAtOrDefault(i));
            var same =
                e is not null
                && a is not null
                && Close(e.Quantity, a.Quantity)
                && Close(e.Amount, a.Amount)
                && e == a with { Quantity = e.Quantity, Amount = e.Amount };
            if (!same)
                return $"row {i}: expected {e}, got {a}";
        }
        return null;
    }
}
