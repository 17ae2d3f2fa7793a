namespace Ripen.Provider.Inventory;

/// <summary>Which columns of an inventory say what; by name. <see cref="LastRead"/> and <see cref="Tier"/> may be left out.</summary>
public sealed record ColumnMapping
{
    public required string Key { get; init; }
    public required string Bytes { get; init; }
    public required string LastModified { get; init; }
    public string? LastRead { get; init; }
    public string? Tier { get; init; }

    /// <summary>How many levels of a key's folders become the prefixes of lots: 0 to 8.</summary>
    public int Levels { get; init; } = 1;

    /// <summary>How dates such as 03/04/2026 are meant; null when nobody said, and then none is guessed.</summary>
    public DateOrder? Dates { get; init; }

    /// <summary>Whether a date after the provider's today counts as today; otherwise its row is broken.</summary>
    public bool LaterIsToday { get; init; }
}

/// <summary>Which comes first in a date written with slashes, dots or hyphens: the day or the month.</summary>
public enum DateOrder
{
    DayFirst,
    MonthFirst,
}

/// <summary>An inventory that was sent and not imported yet: its columns, first rows as texts, and the mapping that its names
/// suggest.</summary>
public sealed record InventoryPreview(
    string Id,
    string Format,
    IReadOnlyList<string> Columns,
    IReadOnlyList<IReadOnlyList<string>> Rows,
    ColumnMapping? Suggested
);

/// <summary>What is wrong in one row; rows count from 1, without the header.</summary>
public sealed record RowError(long Row, string Column, string Value, string Message);

/// <summary>What an inventory comes to: rows read, rows that can be used, objects' bytes, and the lots that they become.</summary>
/// <param name="AmbiguousDates">Rows that are broken only because nobody said whether the day or the month comes first.</param>
/// <param name="LaterDates">Rows with a date after the provider's today: broken, or counted as today.</param>
/// <param name="Errors">The first of them; the file of errors has all.</param>
/// <param name="Untouched">By prefix, as it would be in the bucket.</param>
public sealed record InventoryReading(
    long Rows,
    long BrokenRows,
    long Objects,
    double Bytes,
    int Lots,
    long AmbiguousDates,
    long LaterDates,
    IReadOnlyList<RowError> Errors,
    IReadOnlyList<Stock.UntouchedPrefix> Untouched
);
