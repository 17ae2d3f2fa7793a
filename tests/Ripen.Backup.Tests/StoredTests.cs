using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

/// <summary>What a pool is read from means the same to the server, which finds its members at run time, and to the command line, which knows them as
/// they were compiled.</summary>
public sealed class StoredTests
{
    [Theory]
    [InlineData(
        """{ "format": 1, "id": "a", "made": "2026-11-01T00:00:00Z", "compresses": true, "encrypts": false, "packBytes": 9, "wrapped": { "secret": "AAEC" } }"""
    )]
    [InlineData(
        """{ "format": 3, "id": "a", "made": "2026-11-01T00:00:00Z", "compresses": false, "encrypts": true, "deduplicates": false, "packBytes": 9, "wrapped": { "kdf": "argon2id", "rounds": 3, "salt": "AA==", "secret": "AAEC" } }"""
    )]
    public void A_description(string text) => Same<PoolDescription>(text);

    [Fact]
    public void A_description_of_before_there_were_plain_pools_deduplicates()
    {
        const string text =
            """{ "format": 1, "id": "a", "made": "2026-11-01T00:00:00Z", "compresses": true, "encrypts": false, "packBytes": 9, "wrapped": { "secret": "AAEC" } }""";
        Assert.True(JsonSerializer.Deserialize<PoolDescription>(text, Options(StoredJson.Default))!.Deduplicates);
    }

    [Theory]
    [InlineData("""{ "path": "a/b", "kind": "file" }""")]
    [InlineData(
        """{ "path": "a", "kind": "link", "target": "b", "mode": 511, "owner": 1, "group": 2, "modified": -3, "changed": 4, "inode": 18446744073709551615 }"""
    )]
    [InlineData("""{ "path": "c", "kind": "file", "size": 9007199254740993, "sparse": true, "chunks": "AAECAwQ=" }""")]
    public void An_entry(string text)
    {
        Same<Entry>(text);
        // As the pool writes and reads it, by either.
        Assert.Equal(text, Encoding.UTF8.GetString(Entry.Read(Encoding.UTF8.GetBytes(text)).Write()).TrimEnd(), Alike);

        static bool Alike(string a, string b) =>
            JsonElement.DeepEquals(JsonDocument.Parse(a).RootElement, JsonDocument.Parse(b).RootElement);
    }

    [Theory]
    [InlineData(
        """{ "id": "p", "workload": "w", "taken": "2026-11-01T00:00:00Z", "seconds": 0.5, "files": 1, "logicalBytes": 2, "newBytes": 3, "storedBytes": 4, "averageChunk": 5, "entries": "AA==", "problemCount": 0, "problems": [] }"""
    )]
    [InlineData(
        """{ "id": "p", "workload": "w", "plan": "n", "keptUntil": "2027-01-01", "taken": "2026-11-01T00:00:00+02:00", "seconds": 1e3, "files": 1, "logicalBytes": 2, "newBytes": 3, "storedBytes": 4, "averageChunk": 5, "isFull": false, "entries": "AA==", "problemCount": 1, "problems": [ { "path": "a", "what": "gone" } ] }"""
    )]
    public void A_point(string text) => Same<Point>(text);

    [Fact]
    public void A_part_and_a_list_of_packs()
    {
        Same<PoolPart>("""{ "id": "a", "parts": { "a": "/here", "b": "/there" } }""");
        Same<PoolPrune.Doom>("""{ "at": "2026-11-01T00:00:00Z", "packs": [ "x", "y" ] }""");
    }

    private static void Same<T>(string text)
    {
        var (found, compiled) = (Options(new DefaultJsonTypeInfoResolver()), Options(StoredJson.Default));
        var read = JsonSerializer.Deserialize<T>(text, compiled);
        Assert.Equivalent(JsonSerializer.Deserialize<T>(text, found), read, strict: true);
        Assert.Equal(JsonSerializer.Serialize(read, found), JsonSerializer.Serialize(read, compiled));
    }

    private static JsonSerializerOptions Options(IJsonTypeInfoResolver members) =>
        new(JsonSerializerDefaults.Web)
        {
            TypeInfoResolver = members,
            Converters = { new System.Text.Json.Serialization.JsonStringEnumConverter<EntryKind>(JsonNamingPolicy.CamelCase) },
        };
}
