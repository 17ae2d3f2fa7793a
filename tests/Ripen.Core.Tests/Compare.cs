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
                i < expected.Count
                && i < actual.Count
                && Close(e.Quantity, a.Quantity)
                && Close(e.Amount, a.Amount)
                && e == a with { Quantity = e.Quantity, Amount = e.Amount };
            if (!same)
                return $"row {i}: expected {e}, got {a}";
        }
        return null;
    }

    /// <summary>Whether rows are those of a file: the same rows in the same order, numbers within <see cref="Close"/>.</summary>
    public static void AgreesWith(string file, IEnumerable<ForecastRow> rows)
    {
        var expected = File.ReadAllLines(file).Skip(1).Where(l => l.Length > 0).ToList();
        var actual = rows.ToList();
        for (var i = 0; i < Math.Max(expected.Count, actual.Count); i++)
        {
            Assert.True(i < expected.Count, $"Row {i} is one too many: {actual.ElementAtOrDefault(i)}");
            Assert.True(i < actual.Count, $"Row {i} is missing: {expected[i]}");
            var (parts, row) = (expected[i].Split(','), actual[i]);
            Assert.Equal(string.Join(',', parts[..5]), $"{row.Month},{row.Bucket},{row.Region},{row.Tier},{row.Charge.Name()}");
            Assert.Equal(parts[6], row.Unit);
            Assert.True(Number(parts[5]) is var quantity && Close(quantity, row.Quantity), $"{expected[i]} is not {row}");
            Assert.True(Number(parts[7]) is var amount && Close(amount, row.Amount), $"{expected[i]} is not {row}");
        }

        static double Number(string text) => double.Parse(text, System.Globalization.CultureInfo.InvariantCulture);
    }
}
