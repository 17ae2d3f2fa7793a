using ZstdSharp;

namespace Ripen.Backup.Pools;

/// <summary>Zstandard (RFC 8878), one frame for each part.</summary>
internal static class Zstd
{
    /// <summary>The level that its authors have as the default.</summary>
    public const int Level = 3;

    /// <summary>Making one takes longer than using it for a chunk.</summary>
    [ThreadStatic]
    private static Decompressor? decompressor;

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
