using System.Text.Json;
using System.Text.Json.Serialization;

namespace Ripen.Provider.Objects;

/// <summary>An object inside a bundle.</summary>
/// <param name="Key">That it had.</param>
/// <param name="Offset">Of its first byte in the bundle.</param>
/// <param name="Bytes">How many there are.</param>
/// <param name="Sha256">Of them, in lower-case hexadecimal digits.</param>
/// <param name="Written">When it was written, by the provider's clock.</param>
/// <param name="MediaType">As its writer declared it; null when it did not.</param>
/// <param name="Tags">Null for none.</param>
public sealed record BundleMember(
    string Key,
    long Offset,
    long Bytes,
    string Sha256,
    DateTimeOffset Written,
    string? MediaType,
    IReadOnlyDictionary<string, string>? Tags
);

/// <summary>What lies in a bundle: an object of its own beside it, so that one member is read by a range.</summary>
/// <param name="Ripen">The format, 1.</param>
/// <param name="Bundle">The bundle's key.</param>
/// <param name="Members">In the order of the archive.</param>
public sealed record BundleIndex([property: JsonPropertyName("ripenBundle")] int Ripen, string Bundle, IReadOnlyList<BundleMember> Members)
{
    public const string ArchiveEnd = ".bundle.tar";

    private const string IndexEnd = ".bundle.json";

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    /// <summary>The key of the index of the bundle with this key.</summary>
    public static string KeyOf(string bundle) => bundle[..^ArchiveEnd.Length] + IndexEnd;

    /// <summary>Whether an object with this key is a bundle or the index of one.</summary>
    public static bool IsOf(string key) =>
        key.EndsWith(ArchiveEnd, StringComparison.Ordinal) || key.EndsWith(IndexEnd, StringComparison.Ordinal);

    public byte[] Write() => JsonSerializer.SerializeToUtf8Bytes(this, Json);

    /// <summary>No index of ours is longer: ten thousand members with the longest keys.</summary>
    public const long MostBytes = 50_000_000;

    /// <exception cref="RefusalException">It is no index, or one of another format.</exception>
    public static BundleIndex Read(byte[] text, string key)
    {
        try
        {
            if (JsonSerializer.Deserialize<BundleIndex>(text, Json) is { Ripen: 1, Members: { } members } index && members.All(IsMember))
                return index;
        }
        catch (JsonException)
        {
            // Told below, like any other text.
        }
        throw NoIndex(key);
    }

    public static RefusalException NoIndex(string key) =>
        new(RefusalKind.Damaged, "no-bundle-index", $"'{key}' is not the index of a bundle that this program knows.");

    /// <summary>Anybody may have written the text.</summary>
    private static bool IsMember(BundleMember? member) => member is { Key: not null, Sha256: not null, Offset: >= 0, Bytes: >= 0 };
}
