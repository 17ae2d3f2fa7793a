using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>What the object <c>volume.json</c> says: everything that is needed besides the passphrase.</summary>
public sealed record VolumeDescription
{
    public const string Key = "volume.json";
    public const int Newest = 1;
    private const int MostBytes = 1 << 16;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    public required int Format { get; init; }

    /// <summary>32 hexadecimal digits, random.</summary>
    public required string Id { get; init; }
    public required DateTimeOffset Made { get; init; }

    /// <summary>Presented to clients.</summary>
    public required long SizeBytes { get; init; }

    /// <summary>Of one object in the bucket, before it is compressed.</summary>
    public required int BlockBytes { get; init; }
    public required bool Encrypts { get; init; }
    public required WrappedSecret Wrapped { get; init; }

    public byte[] Write() => Stored.Write(this, Json);

    /// <exception cref="RefusalException">There is none (code <c>no-volume</c>), or one that this program cannot read.</exception>
    public static async Task<VolumeDescription> Read(IPoolObjects objects, CancellationToken cancel)
    {
        VolumeDescription? read;
        try
        {
            read = Stored.Read<VolumeDescription>(await objects.Read(Key, 0, MostBytes, cancel), Json);
        }
        catch (RefusalException none) when (none.Code == "no-object")
        {
            throw new RefusalException(RefusalKind.NotFound, "no-volume", "There is no volume here yet; make one.");
        }
        catch (JsonException)
        {
            throw Damage.Of(Key, "is no description of a volume");
        }
        if (read is null || read.BlockBytes < 4096 || read.BlockBytes % 4096 != 0 || read.SizeBytes < 1 || read.SizeBytes % 4096 != 0)
            throw Damage.Of(Key, "is no description of a volume");
        return read.Format == Newest
            ? read
            : throw new RefusalException(
                RefusalKind.Invalid,
                "unknown-format",
                $"This volume is of format {read.Format}, and this program reads and writes format {Newest}."
            );
    }
}
