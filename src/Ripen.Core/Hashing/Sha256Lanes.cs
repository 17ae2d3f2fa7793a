using System.Buffers.Binary;
using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Ripen.Core.Hashing;

/// <summary>The compression of SHA-256 (FIPS 180-4, section 6.2.2) on eight messages at once, each in a lane of the processor's vectors.</summary>
public static unsafe class Sha256Lanes
{
    public const int Count = 8;
    public const int BlockBytes = 64;

    /// <summary>Of a state of one message.</summary>
    public const int Words = 8;

    /// <summary>Of what <see cref="Pad"/> writes, at most.</summary>
    public const int EndBytes = 2 * BlockBytes;

    private const int Rounds = 64;
    private const int WordsOfBlock = 16;

    /// <summary>FIPS 180-4, section 5.3.3.</summary>
    public static ReadOnlySpan<uint> Initial =>
        [0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19];

    /// <summary>FIPS 180-4, section 4.2.2.</summary>
    private static ReadOnlySpan<uint> Constants =>
        [
            0x428a2f98,
            0x71374491,
            0xb5c0fbcf,
            0xe9b5dba5,
            0x3956c25b,
            0x59f111f1,
            0x923f82a4,
            0xab1c5ed5,
            0xd807aa98,
            0x12835b01,
            0x243185be,
            0x550c7dc3,
            0x72be5d74,
            0x80deb1fe,
            0x9bdc06a7,
            0xc19bf174,
            0xe49b69c1,
            0xefbe4786,
            0x0fc19dc6,
            0x240ca1cc,
            0x2de92c6f,
            0x4a7484aa,
            0x5cb0a9dc,
            0x76f988da,
            0x983e5152,
            0xa831c66d,
            0xb00327c8,
            0xbf597fc7,
            0xc6e00bf3,
            0xd5a79147,
            0x06ca6351,
            0x14292967,
            0x27b70a85,
            0x2e1b2138,
            0x4d2c6dfc,
            0x53380d13,
            0x650a7354,
            0x766a0abb,
            0x81c2c92e,
            0x92722c85,
            0xa2bfe8a1,
            0xa81a664b,
            0xc24b8b70,
            0xc76c51a3,
            0xd192e819,
            0xd6990624,
            0xf40e3585,
            0x106aa070,
            0x19a4c116,
            0x1e376c08,
            0x2748774c,
            0x34b0bcb5,
            0x391c0cb3,
            0x4ed8aa4a,
            0x5b9cca4f,
            0x682e6ff3,
            0x748f82ee,
            0x78a5636f,
            0x84c87814,
            0x8cc70208,
            0x90befffa,
            0xa4506ceb,
            0xbef9a3f7,
            0xc67178f2,
        ];

    public static bool CanBeUsed => Avx2.IsSupported;

    /// <summary>Whether they are faster than the system's own: a processor with instructions for SHA does without them.</summary>
    // CPUID leaf 7, EBX bit 29: Intel 64 and IA-32 Architectures Software Developer's Manual, volume 2A.
    public static bool Pay { get; } = CanBeUsed && (X86Base.CpuId(7, 0).Ebx & (1 << 29)) == 0;

    /// <param name="state">The first word of a lane's; the others are a vector apart.</param>
    /// <param name="to">What it becomes.</param>
    public static void SetState(uint* state, ReadOnlySpan<uint> to)
    {
        for (var word = 0; word < Words; word++)
            state[word * Count] = to[word];
    }

    /// <param name="state">The first word of a lane's; the others are a vector apart.</param>
    /// <param name="hash">32 bytes, which the state is as a hash.</param>
    public static void Write(uint* state, Span<byte> hash)
    {
        for (var word = 0; word < Words; word++)
            BinaryPrimitives.WriteUInt32BigEndian(hash[(word * sizeof(uint))..], state[word * Count]);
    }

    /// <summary>What is behind the whole blocks of a message, padded as FIPS 180-4, section 5.1.1, has it.</summary>
    /// <param name="to">Room for two blocks.</param>
    /// <param name="message">All of it.</param>
    /// <param name="before">Bytes that were hashed before it, and count to its length.</param>
    /// <returns>How many blocks it is, 1 or 2.</returns>
    public static int Pad(byte* to, ReadOnlySpan<byte> message, int before = 0)
    {
        var rest = message[^(message.Length % BlockBytes)..];
        var blocks = rest.Length + 1 + sizeof(ulong) <= BlockBytes ? 1 : 2;
        var end = new Span<byte>(to, blocks * BlockBytes);
        end.Clear();
        rest.CopyTo(end);
        end[rest.Length] = 0x80;
        BinaryPrimitives.WriteUInt64BigEndian(end[^sizeof(ulong)..], (ulong)(before + message.Length) * 8);
        return blocks;
    }

    /// <param name="states">Word by word, eight lanes of each.</param>
    /// <param name="blocks">Where each lane's next block is; moved behind what was taken.</param>
    /// <param name="idle">Bit by lane: its block is taken again and again, and not moved.</param>
    /// <param name="count">How many blocks each takes.</param>
    public static void Compress(uint* states, byte** blocks, int idle, int count)
    {
        var state = (Vector256<uint>*)states;
        var w = stackalloc Vector256<uint>[Rounds];
        // They are in the program's image, which nothing moves.
        var constants = (uint*)Unsafe.AsPointer(ref MemoryMarshal.GetReference(Constants));
        for (; count > 0; count--)
        {
            Load(blocks, 0, w);
            Load(blocks, 1, w);
            // From pointers, not from indices: those are reckoned anew for each of the four.
            for (var word = w + WordsOfBlock; word < w + Rounds; word++)
            {
                var (x, y) = (word[-15], word[-2]);
                var sigma0 = Rotate(x, 7) ^ Rotate(x, 18) ^ (x >>> 3);
                var sigma1 = Rotate(y, 17) ^ Rotate(y, 19) ^ (y >>> 10);
                *word = word[-16] + sigma0 + word[-7] + sigma1;
            }
            var (a, b, c, d, e, f, g, h) = (state[0], state[1], state[2], state[3], state[4], state[5], state[6], state[7]);
            var k = constants;
            for (var word = w; word < w + Rounds; word += 8, k += 8)
            {
                Round(a, b, c, ref d, e, f, g, ref h, *word + Vector256.Create(*k));
                Round(h, a, b, ref c, d, e, f, ref g, word[1] + Vector256.Create(k[1]));
                Round(g, h, a, ref b, c, d, e, ref f, word[2] + Vector256.Create(k[2]));
                Round(f, g, h, ref a, b, c, d, ref e, word[3] + Vector256.Create(k[3]));
                Round(e, f, g, ref h, a, b, c, ref d, word[4] + Vector256.Create(k[4]));
                Round(d, e, f, ref g, h, a, b, ref c, word[5] + Vector256.Create(k[5]));
                Round(c, d, e, ref f, g, h, a, ref b, word[6] + Vector256.Create(k[6]));
                Round(b, c, d, ref e, f, g, h, ref a, word[7] + Vector256.Create(k[7]));
            }
            (state[0], state[1], state[2], state[3]) = (state[0] + a, state[1] + b, state[2] + c, state[3] + d);
            (state[4], state[5], state[6], state[7]) = (state[4] + e, state[5] + f, state[6] + g, state[7] + h);
            for (var lane = 0; lane < Count; lane++)
                blocks[lane] += (idle & (1 << lane)) == 0 ? BlockBytes : 0;
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Round(
        Vector256<uint> a,
        Vector256<uint> b,
        Vector256<uint> c,
        ref Vector256<uint> d,
        Vector256<uint> e,
        Vector256<uint> f,
        Vector256<uint> g,
        ref Vector256<uint> h,
        Vector256<uint> added
    )
    {
        // What waits for the round before is added last.
        h = h + added + Choose(e, f, g) + (Rotate(e, 6) ^ Rotate(e, 11) ^ Rotate(e, 25));
        d += h;
        h = h + Majority(a, b, c) + (Rotate(a, 2) ^ Rotate(a, 13) ^ Rotate(a, 22));
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<uint> Rotate(Vector256<uint> value, [ConstantExpected] byte bits) =>
        Avx512F.VL.IsSupported ? Avx512F.VL.RotateRight(value, bits) : (value >>> bits) | (value << (32 - bits));

    // Any function of three operands is one instruction there, by its truth table: Intel 64 and IA-32 Architectures Software Developer's Manual,
    // volume 2C, VPTERNLOG. Sixteen lanes are faster still while they run, and the processor slower at all else meanwhile.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<uint> Choose(Vector256<uint> which, Vector256<uint> one, Vector256<uint> other) =>
        Avx512F.VL.IsSupported ? Avx512F.VL.TernaryLogic(which, one, other, 0xca) : other ^ (which & (one ^ other));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<uint> Majority(Vector256<uint> x, Vector256<uint> y, Vector256<uint> z) =>
        Avx512F.VL.IsSupported ? Avx512F.VL.TernaryLogic(x, y, z, 0xe8) : (x & y) | (z & (x | y));

    /// <summary>Eight words of each lane's block, their bytes turned round, so that a vector holds the same word of all lanes.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Load(byte** blocks, int half, Vector256<uint>* w)
    {
        var turned = Vector256.Create(
            (byte)3,
            2,
            1,
            0,
            7,
            6,
            5,
            4,
            11,
            10,
            9,
            8,
            15,
            14,
            13,
            12,
            3,
            2,
            1,
            0,
            7,
            6,
            5,
            4,
            11,
            10,
            9,
            8,
            15,
            14,
            13,
            12
        );
        var at = half * sizeof(Vector256<uint>);
        var (r0, r1, r2, r3) = (Turned(blocks[0] + at), Turned(blocks[1] + at), Turned(blocks[2] + at), Turned(blocks[3] + at));
        var (r4, r5, r6, r7) = (Turned(blocks[4] + at), Turned(blocks[5] + at), Turned(blocks[6] + at), Turned(blocks[7] + at));
        // Words 0 and 1 are in the low pairs, 2 and 3 in the high ones, of each half of a vector.
        var (low01, low23, low45, low67) = (Low(r0, r1), Low(r2, r3), Low(r4, r5), Low(r6, r7));
        var (high01, high23, high45, high67) = (High(r0, r1), High(r2, r3), High(r4, r5), High(r6, r7));
        w += half * Count;
        Store(w, Avx2.UnpackLow(low01, low23), Avx2.UnpackLow(low45, low67));
        Store(w + 1, Avx2.UnpackHigh(low01, low23), Avx2.UnpackHigh(low45, low67));
        Store(w + 2, Avx2.UnpackLow(high01, high23), Avx2.UnpackLow(high45, high67));
        Store(w + 3, Avx2.UnpackHigh(high01, high23), Avx2.UnpackHigh(high45, high67));

        Vector256<uint> Turned(byte* eightWords) => Avx2.Shuffle(Vector256.Load(eightWords), turned).AsUInt32();
        static Vector256<ulong> Low(Vector256<uint> x, Vector256<uint> y) => Avx2.UnpackLow(x, y).AsUInt64();
        static Vector256<ulong> High(Vector256<uint> x, Vector256<uint> y) => Avx2.UnpackHigh(x, y).AsUInt64();
        static void Store(Vector256<uint>* word, Vector256<ulong> ofFirstFour, Vector256<ulong> ofLastFour)
        {
            word[0] = Avx2.Permute2x128(ofFirstFour, ofLastFour, 0x20).AsUInt32();
            word[4] = Avx2.Permute2x128(ofFirstFour, ofLastFour, 0x31).AsUInt32();
        }
    }
}
