using System.Numerics;
using System.Runtime.InteropServices;

namespace Ripen.Backup.Volumes;

/// <summary>CRC-32C (RFC 3720, appendix B.4): notices what a local disk spoils. What lies in the bucket is sealed.</summary>
internal static class Crc
{
    public static uint Of(ReadOnlySpan<byte> bytes)
    {
        var crc = ~0u;
        var words = MemoryMarshal.Cast<byte, ulong>(bytes);
        foreach (var word in words)
            crc = BitOperations.Crc32C(crc, word);
        foreach (var rest in bytes[(words.Length * sizeof(ulong))..])
            crc = BitOperations.Crc32C(crc, rest);
        return ~crc;
    }
}
