using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Ripen.Backup.Pools;

/// <summary>The compression of SHA-256 (FIPS 180-4, section 6.2.2) on eight messages at once, each in a lane of the processor's vectors.</summary>
internal static unsafe class Sha256Lanes
{
    public const int Count = 8;
    public const int BlockBytes = 64;

    /// <summary>Of a state of one message.</summary>
    public const int Words = 8;

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

    /// <param name="states">Word by word, eight lanes of each.</param>
    /// <param name="blocks">Where each lane's next block is; moved behind what was taken.</param>
    /// <param name="idle">Bit by lane: its block is taken again and again, and not moved.</param>
    /// <param name="count">How many blocks each takes.</param>
    public static void Compress(uint* states, byte** blocks, int idle, int count)
    {
        var state = (Vector256<uint>*)states;
        var w = stackalloc Vector256<uint>[Rounds];
        ref var k = ref MemoryMarshal.GetReference(Constants);
        for (; count > 0; count--)
        {
            Load(blocks, 0, w);
            Load(blocks, 1, w);
            for (var t = WordsOfBlock; t < Rounds; t++)
            {
                var (x, y) = (w[t - 15], w[t - 2]);
                var sigma0 = Rotate(x, 7) ^ Rotate(x, 18) ^ (x >>> 3);
                var sigma1 = Rotate(y, 17) ^ Rotate(y, 19) ^ (y >>> 10);
                w[t] = w[t - 16] + sigma0 + w[t - 7] + sigma1;
            }
            var (a, b, c, d, e, f, g, h) = (state[0], state[1], state[2], state[3], state[4], state[5], state[6], state[7]);
            for (var t = 0; t < Rounds; t += 8)
            {
                Round(a, b, c, ref d, e, f, g, ref h, w[t] + Vector256.Create(Unsafe.Add(ref k, t)));
                Round(h, a, b, ref c, d, e, f, ref g, w[t + 1] + Vector256.Create(Unsafe.Add(ref k, t + 1)));
                Round(g, h, a, ref b, c, d, e, ref f, w[t + 2] + Vector256.Create(Unsafe.Add(ref k, t + 2)));
                Round(f, g, h, ref a, b, c, d, ref e, w[t + 3] + Vector256.Create(Unsafe.Add(ref k, t + 3)));
                Round(e, f, g, ref h, a, b, c, ref d, w[t + 4] + Vector256.Create(Unsafe.Add(ref k, t + 4)));
                Round(d, e, f, ref g, h, a, b, ref c, w[t + 5] + Vector256.Create(Unsafe.Add(ref k, t + 5)));
                Round(c, d, e, ref f, g, h, a, ref b, w[t + 6] + Vector256.Create(Unsafe.Add(ref k, t + 6)));
                Round(b, c, d, ref e, f, g, h, ref a, w[t + 7] + Vector256.Create(Unsafe.Add(ref k, t + 7)));
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
        h += (Rotate(e, 6) ^ Rotate(e, 11) ^ Rotate(e, 25)) + (g ^ (e & (f ^ g))) + added;
        d += h;
        h += (Rotate(a, 2) ^ Rotate(a, 13) ^ Rotate(a, 22)) + ((a & b) | (c & (a | b)));
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<uint> Rotate(Vector256<uint> value, [ConstantExpected] byte bits) =>
        Avx512F.VL.IsSupported ? Avx512F.VL.RotateRight(value, bits) : (value >>> bits) | (value << (32 - bits));

    /// <summary>Eight words of each lane's block, their bytes turned round, so that a vector holds the same word of all lanes.</summary>
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
        var rows = stackalloc Vector256<uint>[Count];
        for (var lane = 0; lane < Count; lane++)
            rows[lane] = Avx2.Shuffle(Vector256.Load(blocks[lane] + (half * sizeof(Vector256<uint>))), turned).AsUInt32();
        var pairs = stackalloc Vector256<ulong>[Count];
        for (var i = 0; i < Count; i += 2)
        {
            pairs[i] = Avx2.UnpackLow(rows[i], rows[i + 1]).AsUInt64();
            pairs[i + 1] = Avx2.UnpackHigh(rows[i], rows[i + 1]).AsUInt64();
        }
        var to = w + (half * Count);
        for (var word = 0; word < Count / 2; word++)
        {
            // Words 0 and 1 are in the low pairs, 2 and 3 in the high ones; each half of a vector is turned by itself.
            var i = word / 2;
            var (low, high) = (
                word % 2 == 0
                    ? (Avx2.UnpackLow(pairs[i], pairs[i + 2]), Avx2.UnpackLow(pairs[i + 4], pairs[i + 6]))
                    : (Avx2.UnpackHigh(pairs[i], pairs[i + 2]), Avx2.UnpackHigh(pairs[i + 4], pairs[i + 6]))
            );
            to[word] = Avx2.Permute2x128(low, high, 0x20).AsUInt32();
            to[word + 4] = Avx2.Permute2x128(low, high, 0x31).AsUInt32();
        }
    }
}
