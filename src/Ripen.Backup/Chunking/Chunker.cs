using System.Buffers;
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

    /// <summary>Hands on the content of a stream chunk by chunk; memory for one of the largest twice.</summary>
    /// <returns>How many bytes there were.</returns>
    public long Read(Stream content, ReadOnlySpanAction take)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(Largest * 2);
        try
        {
            return Read(content, buffer, take);
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    private long Read(Stream content, byte[] buffer, ReadOnlySpanAction take)
    {
        var (from, to, total) = (0, 0, 0L);
        var ended = false;
        while (true)
        {
            if (!ended && to - from < Largest)
            {
                buffer.AsSpan(from, to - from).CopyTo(buffer);
                (from, to) = (0, to - from);
                while (to < buffer.Length)
                {
                    var more = content.Read(buffer, to, buffer.Length - to);
                    if (more == 0)
                    {
                        ended = true;
                        break;
                    }
                    to += more;
                }
            }
            if (from == to)
                return total;
            var length = Cut(buffer.AsSpan(from, to - from));
            take(buffer.AsSpan(from, length));
            from += length;
            total += length;
        }
    }

    /// <summary>Takes a chunk, which is there until it returns.</summary>
    public delegate void ReadOnlySpanAction(ReadOnlySpan<byte> chunk);
}
