using System.Globalization;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Server.Forecasts;

/// <summary>Three numbers in an address: at least, likely, at most.</summary>
internal static class Ranges
{
    private static readonly Uncertain Wrong = new(0, 0, 0);

    /// <param name="text">Three numbers with commas between.</param>
    /// <param name="path">Of the parameter.</param>
    /// <param name="least">Of any of them.</param>
    /// <param name="most">Of any of them.</param>
    /// <param name="problems">Where what is wrong goes.</param>
    public static Uncertain Read(string text, string path, double least, double most, List<Problem> problems)
    {
        var numbers = text.Split(',')
            .Select(part => double.TryParse(part, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? number : double.NaN)
            .ToArray();
        if (
            numbers is [var low, var likely, var high]
            && new Uncertain(low, likely, high) is { IsInOrder: true } range
            && low >= least
            && high <= most
        )
            return range;
        problems.Add(
            new Problem(
                "out-of-range",
                path,
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"Write three numbers that do not fall, from {least} to {most}: at least, likely, at most."
                )
            )
        );
        return Wrong;
    }
}
