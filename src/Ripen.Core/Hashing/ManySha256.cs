using System.Buffers;
using System.Security.Cryptography;

namespace Ripen.Core.Hashing;

/// <summary>SHA-256 of several messages of one length at once, in the lanes of <see cref="Sha256Lanes"/> where those are the faster.</summary>
public static unsafe class ManySha256
{
    public const int Size = SHA256.HashSizeInBytes;

    /// <summary>Of fewer, most lanes would stand empty.</summary>
    private const int WorthLanes = 4;

    /// <param name="messages">Of any lengths; what is as long as the first, a multiple of 64, can share the lanes.</param>
    /// <returns>32 bytes for each, in their order.</returns>
    public static byte[] Hash(IReadOnlyList<ReadOnlyMemory<byte>> messages)
    {
        var hashes = new byte[messages.Count * Size];
        var at = 0;
        while (at < messages.Count)
        {
            var alike = Sha256Lanes.Pay ? Alike(messages, at) : 0;
            if (alike >= WorthLanes)
            {
                HashInLanes([.. messages.Skip(at).Take(alike)], hashes.AsSpan(at * Size));
                at += alike;
            }
            else
            {
                SHA256.HashData(messages[at].Span, hashes.AsSpan(at * Size));
                at++;
            }
        }
        return hashes;
    }

    private static int Alike(IReadOnlyList<ReadOnlyMemory<byte>> messages, int from)
    {
        var length = messages[from].Length;
        return length % Sha256Lanes.BlockBytes == 0
            ? messages.Skip(from).Take(Sha256Lanes.Count).TakeWhile(m => m.Length == length).Count()
            : 0;
    }

    /// <param name="messages">One for each lane at most, of one length, a multiple of 64.</param>
    /// <param name="hashes">32 bytes for each are written to it.</param>
    internal static void HashInLanes(ReadOnlyMemory<byte>[] messages, Span<byte> hashes)
    {
        var pins = new MemoryHandle[messages.Length];
        try
        {
            var states = stackalloc uint[Sha256Lanes.Words * Sha256Lanes.Count];
            var at = stackalloc byte*[Sha256Lanes.Count];
            var end = stackalloc byte[Sha256Lanes.EndBytes];
            for (var lane = 0; lane < Sha256Lanes.Count; lane++)
            {
                Sha256Lanes.SetState(states + lane, Sha256Lanes.Initial);
                if (lane < messages.Length)
                    pins[lane] = messages[lane].Pin();
                at[lane] = lane < messages.Length ? (byte*)pins[lane].Pointer : end;
            }
            var idle = (1 << Sha256Lanes.Count) - (1 << messages.Length);
            Sha256Lanes.Compress(states, at, idle, messages[0].Length / Sha256Lanes.BlockBytes);
            Sha256Lanes.Pad(end, messages[0].Span);
            for (var lane = 0; lane < Sha256Lanes.Count; lane++)
                at[lane] = end;
            Sha256Lanes.Compress(states, at, idle: 0, count: 1);
            for (var lane = 0; lane < messages.Length; lane++)
                Sha256Lanes.Write(states + lane, hashes[(lane * Size)..]);
        }
        finally
        {
            foreach (var pin in pins)
                pin.Dispose();
        }
    }
}
