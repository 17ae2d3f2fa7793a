using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core.Hashing;

namespace Ripen.Provider.Objects;

/// <summary>
/// What tells whether two contents are the same: the SHA-256 of all bytes, as clients compute it; or, for what a program of ours writes and
/// checks in its own way, the SHA-256 of the blocks' SHA-256 one behind the other (a composite checksum, as stores have for what comes in
/// parts), which several blocks at once can go into.
/// </summary>
internal sealed record ContentSum(byte[] Sha256, bool OfBlocks)
{
    /// <summary>For a content <c>c</c>.</summary>
    public const string Columns = "c.sha256, c.of_blocks";

    public string Hex => Convert.ToHexStringLower(Sha256);

    /// <summary>Null where there is no content.</summary>
    public static ContentSum? Read(SqliteDataReader row, int at) =>
        row.IsDBNull(at) ? null : new ContentSum(row.GetFieldValue<byte[]>(at), row.GetInt32(at + 1) == 1);
}

/// <summary>A sum that content goes into, in groups of blocks.</summary>
internal sealed class ContentHash(bool ofBlocks) : IDisposable
{
    private readonly IncrementalHash hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);

    /// <summary>How many blocks go into it at once best.</summary>
    public int AtOnce => ofBlocks ? Sha256Lanes.Count : 1;

    public void Add(IReadOnlyList<ReadOnlyMemory<byte>> blocks)
    {
        if (ofBlocks)
        {
            hash.AppendData(ManySha256.Hash(blocks));
            return;
        }
        foreach (var block in blocks)
            hash.AppendData(block.Span);
    }

    public ContentSum Finish() => new(hash.GetHashAndReset(), ofBlocks);

    public void Dispose() => hash.Dispose();
}
