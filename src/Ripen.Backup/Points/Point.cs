using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Points;

/// <summary>Something that a run met and could not store as it was.</summary>
public sealed record RunProblem(string Path, string What);

/// <summary>A restore point: what a workload was when a run took it.</summary>
public sealed record Point
{
    public const string Folder = "points/";

    /// <summary>So many problems are listed; all are counted.</summary>
    public const int MostProblems = 1000;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { TypeInfoResolver = Stored.Members };

    /// <summary>The object's key below <see cref="Folder"/>: the instant, then random digits.</summary>
    public required string Id { get; init; }
    public required string Workload { get; init; }

    /// <summary>The plan whose run took it; absent for a run by hand.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Plan { get; init; }

    /// <summary>The first day on which it is kept no more, unless it is the newest of its plan and workload; absent for one that stays until
    /// somebody removes it.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public DateOnly? KeptUntil { get; init; }
    public required DateTimeOffset Taken { get; init; }
    public required double Seconds { get; init; }

    /// <summary>Files and links.</summary>
    public required long Files { get; init; }

    /// <summary>Bytes of all files.</summary>
    public required long LogicalBytes { get; init; }

    /// <summary>Content that the pool did not have, before compression.</summary>
    public required long NewBytes { get; init; }

    /// <summary>What was written for it, the packs' lists included.</summary>
    public required long StoredBytes { get; init; }

    /// <summary>The average chunk of its files; later runs of the workload keep to it.</summary>
    public required int AverageChunk { get; init; }

    /// <summary>Whether its run stored everything, or only what had changed since the point before; null where equal content is stored
    /// once.</summary>
    public bool? IsFull { get; init; }

    /// <summary>Ids of the chunks that hold the list of entries.</summary>
    public required byte[] Entries { get; init; }
    public required long ProblemCount { get; init; }

    /// <summary>The first <see cref="MostProblems"/>.</summary>
    public required IReadOnlyList<RunProblem> Problems { get; init; }

    public static string NewId(DateTimeOffset taken) =>
        $"{taken.UtcDateTime:yyyyMMdd'T'HHmmssfff'Z'}-{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8))}";

    public byte[] Write() => Stored.Write(this, Json);

    public static Point Read(byte[] text, string key)
    {
        try
        {
            return Stored.Read<Point>(text, Json) ?? throw Damage.Of(key, "is no point");
        }
        catch (JsonException)
        {
            throw Damage.Of(key, "is no point");
        }
    }
}
