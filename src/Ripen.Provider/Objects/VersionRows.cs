using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Objects;

/// <summary>Rows of the index's table of entries as records.</summary>
internal static class VersionRows
{
    public const string Columns =
        "e.id, e.key, e.count, e.bytes, e.created, e.written, e.tier, e.since, e.touched, e.current, e.kind, e.origin, "
        + "e.media, e.ready, e.tags, e.arrived, e.home, e.sealed_until, e.liftable_until, k.name, k.bucket, k.withdrawn, "
        + $"rc.tier, rc.ready, rc.until, e.held_until, {ContentSum.Columns}";

    public const string From = $"entry e {StoredContent.Joins} LEFT JOIN recall rc ON rc.entry = e.id";

    public static StoredVersion Read(SqliteDataReader r, Terms terms)
    {
        var created = DateOnly.FromDayNumber(r.GetInt32(4));
        var sum = ContentSum.Read(r, 26);
        return new StoredVersion(
            r.GetInt64(0),
            r.GetString(1),
            r.GetDouble(2),
            r.GetInt64(3),
            created,
            DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(5)),
            terms.TierName(r.GetInt64(6)),
            DateOnly.FromDayNumber(r.GetInt32(7)),
            r.Int(8) is { } day ? DateOnly.FromDayNumber(day) : null,
            r.GetInt32(9) == 1,
            r.GetInt32(10) == EntryRows.Batch,
            r.GetInt32(10) == EntryRows.Deleted,
            !r.IsDBNull(16),
            sum is { OfBlocks: false } ? sum.Hex : null,
            sum is { OfBlocks: true } ? sum.Hex : null,
            r.Text(12),
            RetentionGate.Borne(r.Int(17), r.Int(18), r.Int(25)),
            r.Long(13) is { } ready ? DateTimeOffset.FromUnixTimeMilliseconds(ready) : null,
            TagText.Read(r.Text(14)),
            r.Long(15) is { } arrived ? DateTimeOffset.FromUnixTimeMilliseconds(arrived) : null,
            r.Long(11) ?? r.GetInt64(0),
            r.Text(19) is { } sealing ? new ObjectSeal(sealing, !r.IsDBNull(20), !r.IsDBNull(21)) : null,
            r.IsDBNull(22) ? null : RecallRows.Read(r, 22, terms)
        );
    }
}
