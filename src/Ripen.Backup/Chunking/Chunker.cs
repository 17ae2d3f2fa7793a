using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Ripen.Backup.Chunking;

/// <summary>
/// Cuts content where it says so itself, so that an insertion moves two cuts and not all that follow: FastCDC (Xia et al., USENIX ATC 2016),
/// a gear hash with normalised chunking of level 2. A cut is where the hash is below a bound, which asks its topmost bits: the paper's masks
/// spread the same number of bits.
/// </summary>
public sealed class Chunker
{
    /// <summary>Bits that the bound is stricter before, and laxer behind, the average.</summary>
    private const int Normalisation = 2;

    private readonly ulong[] gear;
    private readonly ulong strict;
    private readonly ulong lax;

    /// <param name="gear">A random word for each byte.</param>
    /// <param name="average">Bytes, a power of two from 256 on.</param>
    public Chunker(IReadOnlyList<ulong> gear, int average)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(average, 256);
        ArgumentOutOfRangeException.ThrowIfNotEqual(gear.Count, byte.MaxValue + 1, nameof(gear));
        if (!BitOperations.IsPow2(average))
            throw new ArgumentOutOfRangeException(nameof(average), average, "The average is a power of two.");
        this.gear = [.. gear];
        (Average, Smallest, Largest) = (average, average / 4, average * 4);
        var bits = BitOperations.Log2((uint)average);
        strict = 1UL << (64 - bits - Normalisation);
        lax = 1UL << (64 - bits + Normalisation);
    }

    public int Average { get; }

    /// <summary>A quarter of the average; only the last chunk may be smaller.</summary>
    public int Smallest { get; }

    /// <summary>Four times the average.</summary>
    public int Largest { get; }

    /// <summary>The average for a source of so many bytes: 64 KiB below 16 GiB, 1 MiB from 1 TiB on, powers of two between, so that the list of
    /// chunks of one workload stays about as long.</summary>
    public static int AverageFor(long bytes) =>
        bytes < 1L << 34 ? 1 << 16 : 1 << Math.Min(20, 17 + ((BitOperations.Log2((ulong)bytes) - 34) / 2));

    /// <summary>The length of the first chunk.</summary>
    /// <param name="data">At least <see cref="Largest"/> bytes, or all that is left.</param>
    public int Cut(ReadOnlySpan<byte> data)
    {
        if (data.Length <= Smallest)
            return data.Length;
        // A byte is an index of any table of 256, and the loops end with the data: without the checks they take half the time.
        ref var table = ref MemoryMarshal.GetArrayDataReference(gear);
        ref var bytes = ref MemoryMarshal.GetReference(data);
        var hash = 0UL;
        var at = Smallest;
        for (var end = Math.Min(data.Length, Average); at < end; at++)
        {
            hash = (hash << 1) + Unsafe.Add(ref table, Unsafe.Add(ref bytes, at));
            if (hash < strict)
                return at + 1;
        }
        for (var end = Math.Min(data.Length, Largest); at < end; at++)
        {
            hash = (hash << 1) + Unsafe.Add(ref table, Unsafe.Add(ref bytes, at));
            if (hash < lax)
                return at + 1;
        }
        return at;
    }

    /// <summary>Cuts content as far as it is sure where: all of it where it ends, and else all but less than <see cref="Largest"/>.</summary>
    /// <param name="content">Behind the last cut.</param>
    /// <param name="ended">Whether nothing comes behind it.</param>
    /// <param name="lengths">The length of each chunk is added to it.</param>
    /// <returns>How many bytes the chunks are together.</returns>
    public int Cut(ReadOnlySpan<byte> content, bool ended, ICollection<int> lengths)
    {
        var cut = 0;
        while (cut < content.Length && (ended || content.Length - cut >= Largest))
        {
            var length = Cut(content[cut..]);
            lengths.Add(length);
            cut += length;
        }
        return cut;
    }
}
