using System.Globalization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>How a volume calls its objects.</summary>
internal static class VolumeNames
{
    public const string Blocks = "blocks/";
    public const string Maps = "maps/";
    public const string Snapshots = "snapshots/";

    public static string BlocksOf(long checkpoint) => $"{Blocks}{checkpoint:x10}/";

    public static string Block(long block, long checkpoint) => $"{BlocksOf(checkpoint)}{block:x10}";

    public static string Map(long checkpoint) => $"{Maps}{checkpoint:x10}";

    /// <exception cref="RefusalException">The key is none of a map.</exception>
    public static long CheckpointOf(string mapKey) =>
        long.TryParse(mapKey[Maps.Length..], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw Damage.Of(mapKey, "is no name of a map");
}
