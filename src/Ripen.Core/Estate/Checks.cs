namespace Ripen.Core.Estates;

/// <summary>What checks of estates and price books have in common. A list may have gaps where an element could not be read.</summary>
internal static class Checks
{
    public static void Refer(string id, bool known, string kind, string at, Findings findings) =>
        findings.Require(
            known,
            "unknown-reference",
            at,
            $"There is no {kind} '{id}'; correct the name or add it.",
            "$.priceBook",
            $"$.priceBook.{kind}s"
        );

    public static void Unique<T>(IReadOnlyList<T> items, Func<T, string> name, Func<int, string> at, string code, Findings findings)
        where T : class
    {
        var seen = new Dictionary<string, int>();
        foreach (var (item, i) in Present(items))
        {
            if (findings.IsBroken(at(i)) || name(item).Length == 0)
                continue;
            if (!seen.TryAdd(name(item), i))
                findings.Require(false, code, at(i), $"'{name(item)}' is there already, at {at(seen[name(item)])}; choose another.");
        }
    }

    public static void Rises<T>(IReadOnlyList<T> items, Func<T, int> value, Func<int, string> at, string message, Findings findings)
        where T : class
    {
        for (var i = 1; i < items.Count; i++)
        {
            if (items[i - 1] is { } before && items[i] is { } now)
                findings.Require(value(before) < value(now), "not-rising", at(i), message, at(i - 1));
        }
    }

    /// <summary>The elements that could be read, with their places in the document.</summary>
    public static IEnumerable<(T Item, int Index)> Present<T>(IReadOnlyList<T> items)
        where T : class
    {
        for (var i = 0; i < items.Count; i++)
        {
            if (items[i] is not null)
                yield return (items[i], i);
        }
    }
}
