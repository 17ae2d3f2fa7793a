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

    /// <summary>Enough to keep all lanes of <see cref="Pools.ManyHmacs"/> at work.</summary>
    private const int LargestAtOnce = 8;

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

    /// <summary>Hands on the content of a stream, several chunks at a time; memory for eight of the largest.</summary>
    /// <returns>How many bytes there were.</returns>
    public long Read(Stream content, Take take)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(Largest * LargestAtOnce);
        try
        {
            return Read(content, buffer, take);
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    private long Read(Stream content, byte[] buffer, Take take)
    {
        var lengths = new List<int>();
        var (there, total) = (0, 0L);
        while (true)
        {
            var read = content.ReadAtLeast(buffer.AsSpan(there), buffer.Length - there, throwOnEndOfStream: false);
            there += read;
            var ended = there < buffer.Length;
            var cut = 0;
            lengths.Clear();
            while (cut < there && (ended || there - cut >= Largest))
            {
                var length = Cut(buffer.AsSpan(cut, there - cut));
                lengths.Add(length);
                cut += length;
            }
            if (cut > 0)
                take(buffer.AsSpan(0, cut), CollectionsMarshal.AsSpan(lengths));
            total += cut;
            if (ended)
                return total;
            buffer.AsSpan(cut, there - cut).CopyTo(buffer);
            there -= cut;
        }
    }

    /// <summary>Takes chunks that lie one behind the other, and are there until it returns.</summary>
    public delegate void Take(ReadOnlySpan<byte> chunks, ReadOnlySpan<int> lengths);
}
