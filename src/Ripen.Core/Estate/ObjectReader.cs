using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Estates;

/// <summary>
/// Reads one JSON object property by property. What is wrong goes to a shared list and a placeholder comes back,
/// so that one pass reports everything; <see cref="Close"/> reports what nobody asked for.
/// </summary>
internal sealed partial class ObjectReader
{
    private readonly Dictionary<string, JsonElement> properties = [];
    private readonly HashSet<string> asked = [];
    private readonly Findings findings;
    private readonly bool isObject;

    public ObjectReader(JsonElement element, string path, Findings findings)
    {
        Path = path;
        this.findings = findings;
        isObject = element.ValueKind == JsonValueKind.Object;
        if (!isObject)
        {
            findings.Broken("wrong-type", path, $"Write an object in braces here, not {Kind(element)}.");
            return;
        }
        foreach (var property in element.EnumerateObject())
        {
            if (!properties.TryAdd(property.Name, property.Value))
            {
                findings.Broken("duplicate-property", At(property.Name), $"'{property.Name}' is written twice; keep one.");
            }
        }
    }

    public string Path { get; }

    public string At(string name) =>
        PlainName().IsMatch(name) ? $"{Path}.{name}" : $"{Path}['{name.Replace("\\", "\\\\").Replace("'", "\\'")}']";

    /// <summary>What <paramref name="read"/> makes of the property, or null where it is absent.</summary>
    public T? Optional<T>(string name, Func<string, T> read)
        where T : struct => Take(name, optional: true, out _) ? read(name) : null;

    public void Close()
    {
        foreach (var name in properties.Keys.Where(name => !asked.Contains(name)).Order(StringComparer.Ordinal))
        {
            findings.Broken(
                "unknown-property",
                At(name),
                $"'{name}' is not a property here; remove it or correct its spelling. Known: {string.Join(", ", asked)}."
            );
        }
    }

    public string Text(string name, string? fallback = null)
    {
        if (!Take(name, fallback is not null, out var value))
            return fallback ?? "";
        if (value.ValueKind != JsonValueKind.String)
        {
            WrongType(name, value, "a text in quotes");
            return "";
        }
        var text = value.GetString()!;
        if (fallback is null && text.Trim().Length == 0)
            findings.Broken("empty-text", At(name), $"Write something for '{name}'.");
        return text;
    }

    public string Id(string name)
    {
        var text = Text(name);
        if (text.Length > 0 && !findings.IsBroken(At(name)) && !IdShape().IsMatch(text))
        {
            findings.Broken("invalid-id", At(name), $"'{text}' is not an id; use lower-case letters, digits and hyphens only.");
        }
        return text;
    }

    public T Choice<T>(string name, params (string Text, T Value)[] choices)
    {
        var text = Text(name);
        foreach (var choice in choices)
        {
            if (choice.Text == text)
                return choice.Value;
        }
        if (!findings.IsBroken(At(name)))
        {
            findings.Broken(
                "unknown-choice",
                At(name),
                $"'{text}' is not known; write one of: {string.Join(", ", choices.Select(c => c.Text))}."
            );
        }
        return default!;
    }

    public bool Flag(string name, bool fallback = false)
    {
        if (!Take(name, true, out var value))
            return fallback;
        if (value.ValueKind is JsonValueKind.True or JsonValueKind.False)
            return value.GetBoolean();
        WrongType(name, value, "true or false");
        return false;
    }

    /// <summary>A finite number from <paramref name="least"/> (or above it, when <paramref name="above"/>) to
    /// <paramref name="most"/>.</summary>
    public double Number(string name, double least = 0, double most = Limits.Number, double? fallback = null, bool above = false)
    {
        if (!Take(name, fallback is not null, out var value))
            return fallback ?? 0;
        if (value.ValueKind != JsonValueKind.Number)
        {
            WrongType(name, value, "a number");
            return 0;
        }
        var number = value.TryGetDouble(out var parsed) ? parsed : double.PositiveInfinity;
        if (number < least || (above && number == least) || number > most)
        {
            var lower = above ? "greater than" : "at least";
            var range =
                most == Limits.Number && double.IsFinite(number) && number < most
                    ? $"{lower} {Show(least)}"
                    : $"{lower} {Show(least)} and at most {Show(most)}";
            findings.Broken("out-of-range", At(name), $"{value.GetRawText()} is out of range; '{name}' must be {range}.");
            return fallback ?? 0;
        }
        return number;
    }

    /// <summary>A whole number from <paramref name="least"/> to <paramref name="most"/>.</summary>
    public long Whole(string name, long least = 0, long most = Limits.Whole, long? fallback = null)
    {
        var number = Number(name, least, most, fallback);
        if (number == Math.Floor(number))
            return (long)number;
        findings.Broken("not-whole", At(name), $"{Show(number)} is not whole; '{name}' must be a whole number.");
        return fallback ?? 0;
    }

    /// <summary>Whether the property is there and not null.</summary>
    public bool Has(string name) => Take(name, true, out _);

    /// <summary>Tags as an object of texts; null where the property is absent or has none.</summary>
    public IReadOnlyDictionary<string, string>? Tags(string name)
    {
        var tags = new SortedDictionary<string, string>(StringComparer.Ordinal);
        Object(
            name,
            o =>
            {
                foreach (var tag in o.properties.Keys.ToList())
                    tags[tag] = o.Text(tag, "");
                return tags;
            },
            optional: true
        );
        if (TagText.Wrong(tags) is { } why)
            findings.Broken("invalid-tags", At(name), why);
        return tags.Count == 0 ? null : tags;
    }

    /// <summary>A list of ids; empty where the property is absent.</summary>
    public IReadOnlyList<string> Ids(string name)
    {
        if (!Take(name, optional: true, out var value))
            return [];
        if (value.ValueKind != JsonValueKind.Array || value.EnumerateArray().Any(e => e.ValueKind != JsonValueKind.String))
        {
            WrongType(name, value, "a list of texts in brackets");
            return [];
        }
        return [.. value.EnumerateArray().Select(e => e.GetString()!)];
    }

    /// <summary>A list of choices; an unknown one is left out, and an error.</summary>
    public IReadOnlyList<T> Choices<T>(string name, params (string Text, T Value)[] choices)
    {
        var chosen = new List<T>();
        foreach (var (text, i) in Ids(name).Select((t, i) => (t, i)))
        {
            var found = choices.Where(c => c.Text == text).ToList();
            if (found.Count == 0)
                findings.Broken(
                    "unknown-choice",
                    $"{At(name)}[{i}]",
                    $"'{text}' is not known; write one of: {string.Join(", ", choices.Select(c => c.Text))}."
                );
            else
                chosen.Add(found[0].Value);
        }
        return chosen;
    }

    /// <summary>A list of days; empty where the property is absent.</summary>
    public IReadOnlyList<DateOnly> Dates(string name)
    {
        var dates = new List<DateOnly>();
        foreach (var (text, i) in Ids(name).Select((t, i) => (t, i)))
        {
            if (DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date))
                dates.Add(date);
            else
                findings.Broken("invalid-date", $"{At(name)}[{i}]", $"'{text}' is not a date; write a day that exists as yyyy-MM-dd.");
        }
        return dates;
    }

    /// <summary>A list of times of day; empty where the property is absent.</summary>
    public IReadOnlyList<TimeOnly> Times(string name)
    {
        var times = new List<TimeOnly>();
        foreach (var (text, i) in Ids(name).Select((t, i) => (t, i)))
        {
            if (TimeOnly.TryParseExact(text, "HH:mm", CultureInfo.InvariantCulture, DateTimeStyles.None, out var time))
                times.Add(time);
            else
                findings.Broken("invalid-time", $"{At(name)}[{i}]", $"'{text}' is not a time of day; write hours and minutes as HH:mm.");
        }
        return times;
    }

    public int Days(string name, int least = 0) => (int)Whole(name, least, Limits.Days);

    public DateOnly Date(string name, DateOnly? fallback = null)
    {
        if (!Take(name, fallback is not null, out var value))
            return fallback ?? default;
        if (value.ValueKind != JsonValueKind.String)
        {
            WrongType(name, value, "a date as \"yyyy-MM-dd\"");
            return default;
        }
        if (DateOnly.TryParseExact(value.GetString(), "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date))
            return date;
        findings.Broken("invalid-date", At(name), $"'{value.GetString()}' is not a date; write a day that exists as yyyy-MM-dd.");
        return default;
    }

    /// <summary>A month as yyyy-MM; null where the property is absent.</summary>
    public Month? Month(string name)
    {
        if (!Take(name, true, out var value))
            return null;
        if (value.ValueKind != JsonValueKind.String)
            WrongType(name, value, "a month as \"yyyy-MM\"");
        else if (Forecasting.Month.TryParse(value.GetString()) is { } month)
            return month;
        else
            findings.Broken("invalid-month", At(name), $"'{value.GetString()}' is not a month; write it as yyyy-MM.");
        return null;
    }

    public T? Object<T>(string name, Func<ObjectReader, T> read, bool optional = false)
        where T : class
    {
        if (!Take(name, optional, out var value))
            return null;
        return Read(value, At(name), read);
    }

    /// <summary>One entry for each element; null where an element could not be read.</summary>
    public IReadOnlyList<T> List<T>(string name, Func<ObjectReader, T> read, bool optional = true)
        where T : class
    {
        if (!Take(name, optional, out var value))
            return [];
        if (value.ValueKind != JsonValueKind.Array)
        {
            WrongType(name, value, "a list in brackets");
            return [];
        }
        return [.. value.EnumerateArray().Select((element, i) => Read(element, $"{At(name)}[{i}]", read)!)];
    }

    private T? Read<T>(JsonElement element, string path, Func<ObjectReader, T> read)
        where T : class
    {
        var reader = new ObjectReader(element, path, findings);
        if (!reader.isObject)
            return null;
        var result = read(reader);
        reader.Close();
        return result;
    }

    private bool Take(string name, bool optional, out JsonElement value)
    {
        asked.Add(name);
        if (properties.TryGetValue(name, out value) && value.ValueKind != JsonValueKind.Null)
            return true;
        if (!optional && isObject)
            findings.Broken("missing-property", At(name), $"'{name}' is missing; add it.");
        return false;
    }

    private void WrongType(string name, JsonElement value, string wanted) =>
        findings.Broken("wrong-type", At(name), $"'{name}' must be {wanted}, not {Kind(value)}.");

    private static string Kind(JsonElement element) =>
        element.ValueKind switch
        {
            JsonValueKind.Object => "an object",
            JsonValueKind.Array => "a list",
            JsonValueKind.String => "a text",
            JsonValueKind.Number => "a number",
            JsonValueKind.Null => "null",
            _ => "true or false",
        };

    private static string Show(double number) => number.ToString("#,0.##########", CultureInfo.InvariantCulture);

    [GeneratedRegex("^[A-Za-z_][A-Za-z0-9_]*$")]
    private static partial Regex PlainName();

    [GeneratedRegex("^[a-z0-9-]+\\z")]
    private static partial Regex IdShape();
}

/// <summary>The largest numbers that a document may hold: beyond them a thirty-year sum would no longer be finite and exact.</summary>
internal static class Limits
{
    /// <summary>The largest number below 1.</summary>
    public static readonly double Below1 = Math.BitDecrement(1.0);

    /// <summary>Counts and bytes: every whole number up to 2^53 is exact in a double.</summary>
    public const long Whole = 1L << 53;

    /// <summary>Prices, factors, shares and fractions of objects.</summary>
    public const double Number = 1e15;

    /// <summary>Ages and stays in days (2,737 years).</summary>
    public const int Days = 1_000_000;

    /// <summary>A lag: a hundred years.</summary>
    public const double Hours = 876_600;

    /// <summary>Growth in a year: a hundred and one times as much.</summary>
    public const double YearlyGrowth = 100;
}

/// <summary>Problems found so far, and the paths whose values cannot be relied on.</summary>
internal sealed class Findings
{
    private readonly HashSet<string> broken = [];

    public List<Problem> Problems { get; } = [];

    public void Broken(string code, string path, string message)
    {
        broken.Add(path);
        Problems.Add(new Problem(code, path, message));
    }

    public bool IsBroken(string path) => broken.Contains(path);

    /// <summary>Adds the problem unless a value that it speaks of was already found broken.</summary>
    public void Require(bool holds, string code, string path, string message, params ReadOnlySpan<string> alsoAbout)
    {
        if (holds || IsBroken(path))
            return;
        foreach (var other in alsoAbout)
        {
            if (IsBroken(other))
                return;
        }
        Problems.Add(new Problem(code, path, message));
    }
}
