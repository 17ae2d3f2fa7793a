namespace Ripen.Core.Estates;

/// <summary>An object's tags as one text, in the form of a URL's query (<c>name=value&amp;name=value</c>, percent-encoded), names in
/// order.</summary>
public static class TagText
{
    public const int MostTags = 10;
    public const int LongestName = 128;
    public const int LongestValue = 256;

    /// <summary>Null for no tags.</summary>
    public static string? Write(IReadOnlyDictionary<string, string>? tags) =>
        tags is null || tags.Count == 0
            ? null
            : string.Join(
                '&',
                tags.OrderBy(t => t.Key, StringComparer.Ordinal)
                    .Select(t => $"{Uri.EscapeDataString(t.Key)}={Uri.EscapeDataString(t.Value)}")
            );

    /// <summary>What <see cref="Write"/> wrote; null for null or an empty text.</summary>
    /// <exception cref="FormatException">The text breaks the form or a limit; the message says what to do.</exception>
    public static IReadOnlyDictionary<string, string>? Read(string? text)
    {
        if (string.IsNullOrEmpty(text))
            return null;
        var tags = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (var part in text.Split('&'))
        {
            var at = part.IndexOf('=', StringComparison.Ordinal);
            if (at < 1)
                throw new FormatException($"'{part}' is no tag; write name=value, with & between tags.");
            if (!tags.TryAdd(Uri.UnescapeDataString(part[..at]), Uri.UnescapeDataString(part[(at + 1)..])))
            {
                throw new FormatException($"The tag '{Uri.UnescapeDataString(part[..at])}' is written twice; keep one.");
            }
        }
        return Wrong(tags) is { } why ? throw new FormatException(why) : tags;
    }

    /// <summary>Why these cannot be an object's tags; null when they can.</summary>
    public static string? Wrong(IReadOnlyDictionary<string, string> tags)
    {
        if (tags.Count > MostTags)
            return $"An object has at most {MostTags} tags.";
        return tags.Any(t => t.Key.Length is 0 or > LongestName || t.Value.Length > LongestValue)
            ? $"A tag's name has 1 to {LongestName} characters, its value at most {LongestValue}."
            : null;
    }
}
