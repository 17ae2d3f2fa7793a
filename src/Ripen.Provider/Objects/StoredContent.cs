using Microsoft.Data.Sqlite;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Objects;

/// <summary>A content as the index knows it: enough to read it.</summary>
/// <param name="Name">Its file's.</param>
/// <param name="Bytes">Of it, on the disk too.</param>
/// <param name="Sums">By block: the tag of AES-GCM where it is encrypted, otherwise the SHA-256.</param>
/// <param name="Wrapped">Its data key; null for what was stored before contents were encrypted.</param>
/// <param name="Key">What wraps that; null together with it.</param>
internal sealed record StoredContent(string Name, long Bytes, byte[] Sums, byte[]? Wrapped, SealingKey? Key)
{
    public const string Columns = $"c.name, c.bytes, c.sums, c.wrapped, {SealingRows.Columns}";

    /// <summary>For a content that an entry <c>e</c>, or what waits as <c>e</c>, may have.</summary>
    public const string Joins = "LEFT JOIN content c ON c.name = e.content LEFT JOIN sealing_key k ON k.id = c.sealed_by";

    /// <summary>Null where there is none.</summary>
    public static StoredContent? Read(SqliteDataReader row, int at) =>
        row.IsDBNull(at)
            ? null
            : new StoredContent(
                row.GetString(at),
                row.GetInt64(at + 1),
                row.GetFieldValue<byte[]>(at + 2),
                row.IsDBNull(at + 3) ? null : row.GetFieldValue<byte[]>(at + 3),
                SealingRows.Read(row, at + 4)
            );
}

/// <summary>Content that lies on the disk, written and named, and not yet known to the index.</summary>
internal sealed record WrittenContent(string Name, long Bytes, ContentSum Sum, byte[] Sums, byte[] Wrapped, long SealedBy)
{
    public const string Insert =
        "INSERT INTO content(name, bytes, sha256, of_blocks, sums, wrapped, sealed_by, bucket) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)";

    /// <summary>For <see cref="Insert"/>.</summary>
    public object[] Row(long bucket) => [Name, Bytes, Sum.Sha256, Sum.OfBlocks ? 1 : 0, Sums, Wrapped, SealedBy, bucket];
}
