using System.Globalization;

namespace Ripen.Core;

/// <summary>Numbers in sentences for people. The figures themselves travel beside them, unrounded.</summary>
public static class Wording
{
    private static readonly string[] ByteUnits = ["bytes", "kB", "MB", "GB", "TB", "PB", "EB"];

    /// <summary>A count of objects: whole, because people count objects; simulated workloads have parts of one, which are rounded.</summary>
    public static string Objects(double count) =>
        count > 0 && Math.Round(count) == 0 ? "less than one object"
        : Math.Round(count) == 1 ? "1 object"
        : $"{Count(count)} objects";

    /// <summary>The same with its verb.</summary>
    public static string ObjectsAre(double count) => Objects(count) + (count > 0 && Math.Round(count) <= 1 ? " is" : " are");

    /// <summary>Rounded to a whole number, with thousands apart.</summary>
    public static string Count(double count) => Math.Round(count).ToString("#,0", CultureInfo.InvariantCulture);

    /// <summary>In the largest unit of which it has one at least, and days from two on.</summary>
    public static string Span(TimeSpan span) =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"{(span.TotalDays >= 2 ? $"{span.TotalDays:0.#} days" : span.TotalHours >= 1 ? $"{span.TotalHours:0.#} h" : span.TotalMinutes >= 1 ? $"{span.TotalMinutes:0.#} min" : $"{span.TotalSeconds:0.###} s")}"
        );

    /// <summary>Three significant digits in decimal units (ISO 80000-13: kB = 1000 bytes).</summary>
    public static string Bytes(double bytes)
    {
        var (value, unit) = (bytes, 0);
        while (Math.Abs(value) >= 999.5 && unit + 1 < ByteUnits.Length)
            (value, unit) = (value / 1000, unit + 1);
        var digits =
            unit == 0 || Math.Abs(value) >= 99.95 ? "0"
            : Math.Abs(value) >= 9.995 ? "0.#"
            : "0.##";
        return $"{value.ToString(digits, CultureInfo.InvariantCulture)} {ByteUnits[unit]}";
    }
}
