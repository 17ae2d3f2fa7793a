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

    public RowReader(Terms terms, BucketTerms bucket, DateOnly today, IReadOnlyList<string> columns, ColumnMapping mapping)
    {
        (this.bucket, this.today, this.columns) = (bucket, today, columns);
        tiers = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
        foreach (var (t, place) in terms.Prices.Tiers.Select((t, i) => (t, i))) (tiers[t.Id], tiers[t.Name]) = (place, place);
        key = Column(mapping.Key, "key");
        bytes = Column(mapping.Bytes, "bytes");
        modified = Column(mapping.LastModified, "lastModified");
        lastRead = mapping.LastRead is { } read ? Column(read, "lastRead") : -1;
        tier = mapping.Tier is { } named ? Column(named, "tier") : -1;
        if (mapping.Levels is < 0 or > 8) throw new RefusalException(RefusalKind.Invalid, "out-of-range", "Take 0 to 8 levels of folders.", "$.levels");
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
            wrong = (columns[bytes], row[bytes], row[bytes].All(char.IsAsciiDigit) && row[bytes].Length > 0
                ? "No object is larger than 100 TB; is the unit wrong?" : "Write whole bytes, in digits only.");
            return null;
        }
        if (!Day(row[modified], out var day))
        {
            wrong = (columns[modified], row[modified], "Write a date as yyyy-MM-dd or an instant as in RFC 3339.");
            return null;
        }
        if (day > today)
        {
            wrong = (columns[modified], row[modified], $"It lies after the provider's today, {today:yyyy-MM-dd}.");
            return null;
        }
        DateOnly? read = null;
        if (lastRead >= 0 && row[lastRead].Length > 0)
        {
            if (!Day(row[lastRead], out var when) || when > today)
            {
                wrong = (columns[lastRead], row[lastRead], $"Write a date up to {today:yyyy-MM-dd}, an instant as in RFC 3339, or nothing.");
                return null;
            }
            read = when;
        }
        var place = bucket.Landing;
        if (tier >= 0 && row[tier].Length > 0 && (!tiers.TryGetValue(row[tier], out place) || bucket.Prices[place] is null))
        {
            wrong = (columns[tier], row[tier], $"It is no tier that region '{bucket.Bucket.Region}' offers.");
            return null;
        }
        return new InventoryRow(row[key], size, day, read, place);
    }

    private static bool Day(string text, out DateOnly day)
    {
        if (text.Length == 10) return DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out day);
        var good = DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var instant)
            && text.Length > 10 && char.IsAsciiDigit(text[0]);
        day = DateOnly.FromDateTime(instant.UtcDateTime);
        return good;
    }

    private int Column(string name, string property)
    {
        for (var i = 0; i < columns.Count; i++)
        {
            if (columns[i] == name) return i;
        }
        throw new RefusalException(RefusalKind.Invalid, "unknown-column", $"'{property}' is mapped to the column '{name}', which is not there; there are {string.Join(", ", columns)}.", $"$.{property}");
    }
}
