using System.Security.Cryptography;
using System.Text.Json;

namespace Ripen.Backup.Pools;

/// <summary>What a directory says of the pool that lies in it and in others: which part it is, and which parts there are.</summary>
/// <param name="Id">32 hexadecimal digits, random.</param>
/// <param name="Parts">All parts by id, each with the path where it was last.</param>
public sealed record PoolPart(string Id, IReadOnlyDictionary<string, string> Parts)
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        TypeInfoResolver = Stored.Members,
        WriteIndented = true,
    };

    public static string NewId() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));

    public byte[] Write() => Stored.Write(this, Json);

    /// <exception cref="RefusalException">It is none.</exception>
    public static PoolPart Read(byte[] text, string path)
    {
        try
        {
            if (Stored.Read<PoolPart>(text, Json) is { Id: not null, Parts: not null } part)
                return part;
        }
        catch (JsonException)
        {
            // Told below.
        }
        throw new RefusalException(RefusalKind.Conflict, "place-missing", $"'{path}' does not say which part of a pool lies beside it.");
    }
}
