using ZstdSharp;

namespace Ripen.Backup.Pools;

/// <summary>Zstandard (RFC 8878), one frame for each part.</summary>
internal static class Zstd
{
    /// <summary>The level that its authors have as the default.</summary>
    public const int Level = 3;

    /// <summary>Bytes that <see cref="MayShrink"/> looks at: of even ones, the estimate is off by one per cent then.</summary>
    private const int Sampled = 2048;

    /// <summary>In fewer, places would be looked at twice.</summary>
    private const int LeastSampled = 4 * Sampled;

    /// <summary>2^32 over the golden ratio: its multiples lie everywhere in [0, 2^32), and in step with no record's length (Knuth, "The Art of
    /// Computer Programming", volume 3, section 6.4).</summary>
    private const uint Golden = 2654435769;

    /// <summary>Bits of a byte from which on it could hardly be coded in fewer.</summary>
    private const double Even = 7.9;

    /// <summary>Making one takes longer than using it for a chunk.</summary>
    [ThreadStatic]
    private static Decompressor? decompressor;

    /// <summary>
    /// Whether it is worth a try, from a sample over all of it: false where all bytes come about equally often, as in what is compressed or
    /// encrypted already. The chance that two of its bytes are equal is 2^-H2 with the collision entropy H2, and no code of single bytes takes
    /// fewer bits for each than that (Rényi, 1961).
    /// </summary>
    public static bool MayShrink(ReadOnlySpan<byte> plain)
    {
        if (plain.Length < LeastSampled)
            return true;
        Span<int> counts = stackalloc int[byte.MaxValue + 1];
        for (var i = 0u; i < Sampled; i++)
            counts[plain[(int)((ulong)(i * Golden) * (uint)plain.Length >> 32)]]++;
        var equal = 0L;
        foreach (var count in counts)
            equal += (long)count * (count - 1);
        return equal > Math.Pow(2, -Even) * Sampled * (Sampled - 1);
    }

    public static byte[] Compress(ReadOnlySpan<byte> plain)
    {
        using var compressor = new Compressor(Level);
        return compressor.Wrap(plain).ToArray();
    }

    /// <returns>How many bytes there were.</returns>
    /// <exception cref="RefusalException">It is no frame, or one of more bytes.</exception>
    public static int Expand(ReadOnlySpan<byte> packed, string key, Span<byte> into)
    {
        try
        {
            return (decompressor ??= new Decompressor()).Unwrap(packed, into);
        }
        catch (ZstdException)
        {
            throw Damage.Of(key, "does not expand");
        }
    }

    /// <param name="packed">A frame.</param>
    /// <param name="key">The object that it is of, for the error.</param>
    /// <param name="most">More than that is not written.</param>
    /// <exception cref="RefusalException">It is no frame, or one of more bytes.</exception>
    public static byte[] Expand(ReadOnlySpan<byte> packed, string key, int most)
    {
        try
        {
            using var decompressor = new Decompressor();
            return decompressor.Unwrap(packed, most).ToArray();
        }
        catch (ZstdException)
        {
            throw Damage.Of(key, "does not expand");
        }
    }
}
