using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Stock;

namespace Ripen.Provider.Inventory;

/// <summary>One weightless entry that an inventory comes to.</summary>
internal readonly record struct GatheredLot(string Prefix, DateOnly Created, int Tier, DateOnly? LastRead, long Objects, long Bytes);

/// <summary>
/// Gathers an inventory's rows into lots while they go by: a prefix, a day of creation, a tier and a size class each, split by how long
/// nobody read them. Objects and bytes add up exactly; the last read day of a lot is the latest in it.
/// </summary>
internal sealed class LotGatherer(Bucket bucket, PriceBook prices, DateOnly today, int levels)
{
    public const int MostLots = 500_000;

    private readonly record struct Group(string Prefix, int Created, int Tier, int SizeClass, int Band);

    private sealed class Sum
    {
        public long Objects;
        public UInt128 Bytes;
        public DateOnly? LastRead;
    }

    private readonly string[] cuts =
    [
        .. bucket.Rules.Select(r => r.Prefix).Concat(bucket.CopyTo.Select(c => c.Prefix)).Where(p => p.Length > 0).Distinct(),
    ];
    private readonly SizeClasses classes = new(bucket, prices);
    private readonly Dictionary<Group, Sum> groups = [];
    private readonly Dictionary<string, string> prefixes = [];

    public long Objects { get; private set; }

    public UInt128 Bytes { get; private set; }

    /// <exception cref="RefusalException">The inventory has too many prefixes, days and sizes to be told as lots.</exception>
    public void Add(in InventoryRow row)
    {
        var touched = row.LastRead > row.Modified ? row.LastRead.Value : row.Modified;
        var untouched = today.DayNumber - touched.DayNumber;
        var group = new Group(
            Prefix(row.Key),
            row.Modified.DayNumber,
            row.Tier,
            classes.Of(row.Bytes),
            Untouched.Days.Count(d => d <= untouched)
        );
        if (!groups.TryGetValue(group, out var sum))
        {
            if (groups.Count == MostLots)
            {
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "too-many-lots",
                    $"This inventory comes to more than {MostLots} lots; take fewer levels of folders."
                );
            }
            groups[group] = sum = new Sum();
        }
        sum.Objects++;
        sum.Bytes += (UInt128)row.Bytes;
        if (row.LastRead is { } read && !(sum.LastRead >= read))
            sum.LastRead = read;
        Objects++;
        Bytes += (UInt128)row.Bytes;
    }

    public IEnumerable<GatheredLot> Lots()
    {
        foreach (var (group, sum) in groups)
        {
            var (each, larger) = ((long)(sum.Bytes / (UInt128)sum.Objects), (long)(sum.Bytes % (UInt128)sum.Objects));
            var lot = new GatheredLot(
                group.Prefix,
                DateOnly.FromDayNumber(group.Created),
                group.Tier,
                sum.LastRead,
                sum.Objects - larger,
                each
            );
            yield return lot;
            if (larger > 0)
                yield return lot with
                {
                    Objects = larger,
                    Bytes = each + 1,
                };
        }
    }

    /// <summary>The first levels of the key's folders, or a rule's prefix where that reaches further.</summary>
    private string Prefix(string key)
    {
        var end = 0;
        for (var level = 0; level < levels; level++)
        {
            var slash = key.IndexOf('/', end);
            if (slash < 0)
                break;
            end = slash + 1;
        }
        foreach (var cut in cuts)
        {
            if (cut.Length > end && key.StartsWith(cut, StringComparison.Ordinal))
                end = cut.Length;
        }
        var known = prefixes.GetAlternateLookup<ReadOnlySpan<char>>();
        if (known.TryGetValue(key.AsSpan(0, end), out var same))
            return same;
        var made = key[..end];
        prefixes[made] = made;
        return made;
    }
}
