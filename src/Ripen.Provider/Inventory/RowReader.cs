using System.Globalization;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Inventory;

/// <summary>An inventory's row that can be used.</summary>
internal readonly record struct InventoryRow(string Key, long Bytes, DateOnly Modified, DateOnly? LastRead, int Tier);

/// <summary>Reads rows by a mapping of columns, and says precisely what is wrong with one.</summary>
internal sealed class RowReader
{
    /// <summary>The largest size that is believed: 100 TB in one object.</summary>
    private const long MostBytes = 100_000_000_000_000;

    private readonly BucketTerms bucket;
    private readonly DateOnly today;
    private readonly IReadOnlyList<string> columns;
    private readonly Dictionary<string, int> tiers;
    private readonly int key;
    private readonly int bytes;
    private readonly int modified;
    private readonly int lastRead;
    private readonly int tier;
    private readonly DateOrder? order;
    private readonly bool laterIsToday;

    /// <summary>Dates so far that could be read two ways.</summary>
    public long AmbiguousDates { get; private set; }

    /// <summary>Dates so far that lie after the provider's today.</summary>
    public long LaterDates { get; private set; }

    public RowReader(Terms terms, BucketTerms bucket, DateOnly today, IReadOnlyList<string> columns, ColumnMapping mapping)
    {
        (this.bucket, this.today, this.columns) = (bucket, today, columns);
        tiers = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
        foreach (var (t, place) in terms.Prices.Tiers.Select((t, i) => (t, i)))
            (tiers[t.Id], tiers[t.Name]) = (place, place);
        key = Column(mapping.Key, "key");
        bytes = Column(mapping.Bytes, "bytes");
        modified = Column(mapping.LastModified, "lastModified");
        lastRead = mapping.LastRead is { } read ? Column(read, "lastRead") : -1;
        tier = mapping.Tier is { } named ? Column(named, "tier") : -1;
        (order, laterIsToday) = (mapping.Dates, mapping.LaterIsToday);
        if (mapping.Levels is < 0 or > 8)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "Take 0 to 8 levels of folders.", "$.levels");
    }

    /// <summary>The row, or the column that is wrong and why.</summary>
    public InventoryRow? Read(string[] row, out (string Column, string Value, string Message) wrong)
    {
        wrong = default;
        var needed = Math.Max(Math.Max(key, bytes), Math.Max(modified, Math.Max(lastRead, tier)));
        if (row.Length <= needed)
        {
            wrong = (columns[needed], "", $"The row has {row.Length} of {columns.Count} columns.");
            return null;
        }
        try
        {
            ObjectKeys.Check(row[key]);
        }
        catch (RefusalException e)
        {
            wrong = (columns[key], row[key], e.Message);
            return null;
        }
        if (!long.TryParse(row[bytes], NumberStyles.None, CultureInfo.InvariantCulture, out var size) || size > MostBytes)
        {
            wrong = (
                columns[bytes],
                row[bytes],
                row[bytes].All(char.IsAsciiDigit) && row[bytes].Length > 0
                    ? "No object is larger than 100 TB; is the unit wrong?"
                    : "Write whole bytes, in digits only."
            );
            return null;
        }
        if (ReadDay(row[modified], out var why) is not { } day)
        {
            wrong = (columns[modified], row[modified], why);
            return null;
        }
        DateOnly? read = null;
        if (lastRead >= 0 && row[lastRead].Length > 0)
        {
            read = ReadDay(row[lastRead], out why);
            if (read is null)
            {
                wrong = (columns[lastRead], row[lastRead], why);
                return null;
            }
        }
        var place = bucket.Landing;
        if (tier >= 0 && row[tier].Length > 0 && (!tiers.TryGetValue(row[tier], out place) || bucket.Prices[place] is null))
        {
            wrong = (columns[tier], row[tier], $"It is no tier that region '{bucket.Bucket.Region}' offers.");
            return null;
        }
        return new InventoryRow(row[key], size, day, read, place);
    }

    /// <summary>A day up to the provider's today; null, and why, when it is none, could be read two ways, or lies later.</summary>
    private DateOnly? ReadDay(string text, out string why)
    {
        why = "Write a date as yyyy-MM-dd or an instant as in RFC 3339.";
        if (!Iso(text, out var day))
        {
            switch (Local(text))
            {
                case { } local:
                    day = local;
                    break;
                case null when order is null && (Parse(text, DayFirst) ?? Parse(text, MonthFirst)) is not null:
                    AmbiguousDates++;
                    why = "It could be read two ways: say whether the day or the month comes first.";
                    return null;
                default:
                    return null;
            }
        }
        if (day <= today)
            return day;
        LaterDates++;
        if (laterIsToday)
            return today;
        why = $"It lies after the provider's today, {today:yyyy-MM-dd}; import it as of today if that is what is meant.";
        return null;
    }

    private static readonly string[] DayFirst =
    [
        "d/M/yyyy",
        "d.M.yyyy",
        "d-M-yyyy",
        "d/M/yyyy H:mm:ss",
        "d.M.yyyy H:mm:ss",
        "d/M/yyyy H:mm",
        "d.M.yyyy H:mm",
    ];
    private static readonly string[] MonthFirst =
    [
        "M/d/yyyy",
        "M.d.yyyy",
        "M-d-yyyy",
        "M/d/yyyy H:mm:ss",
        "M/d/yyyy H:mm",
        "M/d/yyyy h:mm:ss tt",
        "M/d/yyyy h:mm tt",
    ];

    private DateOnly? Local(string text) =>
        order switch
        {
            DateOrder.DayFirst => Parse(text, DayFirst),
            DateOrder.MonthFirst => Parse(text, MonthFirst),
            _ => null,
        };

    private static DateOnly? Parse(string text, string[] formats) =>
        DateTime.TryParseExact(text, formats, CultureInfo.InvariantCulture, DateTimeStyles.AllowWhiteSpaces, out var at)
            ? DateOnly.FromDateTime(at)
            : null;

    /// <summary>yyyy-MM-dd, or an instant that begins so (RFC 3339; a space for the T, and no offset for UTC, are taken too).</summary>
    private static bool Iso(string text, out DateOnly day)
    {
        if (text.Length == 10)
            return DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out day);
        day = default;
        if (
            text.Length < 10
            || !DateOnly.TryParseExact(text.AsSpan(0, 10), "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out _)
            || text[10] is not ('T' or 't' or ' ')
        )
            return false;
        if (
            !DateTimeOffset.TryParse(
                text,
                CultureInfo.InvariantCulture,
                DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal,
                out var instant
            )
        )
            return false;
        day = DateOnly.FromDateTime(instant.UtcDateTime);
        return true;
    }

    private int Column(string name, string property)
    {
        for (var i = 0; i < columns.Count; i++)
        {
            if (columns[i] == name)
                return i;
        }
        throw new RefusalException(
            RefusalKind.Invalid,
            "unknown-column",
            $"'{property}' is mapped to the column '{name}', which is not there; there are {string.Join(", ", columns)}.",
            $"$.{property}"
        );
    }
}
