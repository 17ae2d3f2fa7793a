using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Points;

public enum EntryKind
{
    File,
    Folder,
    Link,
}

/// <summary>A file, folder or symbolic link as a point has it.</summary>
public sealed record Entry
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        TypeInfoResolver = Stored.Members,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault,
        Converters = { new JsonStringEnumConverter<EntryKind>(JsonNamingPolicy.CamelCase) },
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    /// <summary>From the source's root, parts apart by '/'.</summary>
    public required string Path { get; init; }

    [JsonIgnore(Condition = JsonIgnoreCondition.Never)]
    public required EntryKind Kind { get; init; }

    /// <summary>POSIX permission bits.</summary>
    public int Mode { get; init; }
    public int Owner { get; init; }
    public int Group { get; init; }

    /// <summary>Last change of the content, nanoseconds since 1970.</summary>
    public long Modified { get; init; }

    /// <summary>Last change of content or inode, nanoseconds since 1970: with the inode's number what tells that a file is the same.</summary>
    public long Changed { get; init; }
    public ulong Inode { get; init; }

    /// <summary>Bytes of a file.</summary>
    public long Size { get; init; }

    /// <summary>Whether the file has holes.</summary>
    public bool Sparse { get; init; }

    /// <summary>Of a link.</summary>
    public string? Target { get; init; }

    /// <summary>Ids of a file's chunks, one after the other.</summary>
    public byte[]? Chunks { get; init; }

    [JsonIgnore]
    public int ChunkCount => (Chunks?.Length ?? 0) / ChunkId.Size;

    public ChunkId Chunk(int i) => ChunkId.Read(Chunks.AsSpan(i * ChunkId.Size));

    /// <summary>A line of JSON, with the line's end.</summary>
    public byte[] Write() => [.. Stored.Write(this, Json), (byte)'\n'];

    public static Entry Read(ReadOnlySpan<byte> line) => Stored.Read<Entry>(line, Json) ?? throw new JsonException("An entry is missing.");

    /// <summary>The order of entries in a point: a folder before what lies in it, siblings by the UTF-16 units of their names.</summary>
    public static int Compare(string a, string b)
    {
        for (var i = 0; i < Math.Min(a.Length, b.Length); i++)
        {
            var (x, y) = (a[i] == '/' ? '\0' : a[i], b[i] == '/' ? '\0' : b[i]);
            if (x != y)
                return x - y;
        }
        return a.Length - b.Length;
    }
}
