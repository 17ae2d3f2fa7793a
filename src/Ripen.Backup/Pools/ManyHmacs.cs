using System.Security.Cryptography;
using Ripen.Core.Hashing;

namespace Ripen.Backup.Pools;

/// <summary>
/// HMAC-SHA-256 (RFC 2104) of many messages under one key, several at a time: a processor without instructions for SHA needs less than a third of
/// the time that one after the other takes. Elsewhere the system's own is as fast, and does it.
/// </summary>
internal sealed unsafe class ManyHmacs
{
    public const int Size = 32;

    /// <summary>Of fewer, most lanes would stand empty.</summary>
    private const int WorthLanes = 4;

    private readonly byte[] key;
    private readonly uint[] inner;
    private readonly uint[] outer;

    /// <param name="key">At most 64 bytes, a block of the hash.</param>
    public ManyHmacs(ReadOnlySpan<byte> key)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan(key.Length, Sha256Lanes.BlockBytes);
        this.key = key.ToArray();
        (inner, outer) = Sha256Lanes.CanBeUsed ? (After(0x36), After(0x5c)) : ([], []);
    }

    /// <param name="messages">One behind the other.</param>
    /// <param name="lengths">Of each.</param>
    /// <param name="hashes">32 bytes for each, in their order.</param>
    public void Hash(ReadOnlySpan<byte> messages, ReadOnlySpan<int> lengths, Span<byte> hashes)
    {
        if (Sha256Lanes.Pay && lengths.Length >= WorthLanes)
        {
            HashInLanes(messages, lengths, hashes);
            return;
        }
        foreach (var length in lengths)
        {
            HMACSHA256.HashData(key, messages[..length], hashes);
            messages = messages[length..];
            hashes = hashes[Size..];
        }
    }

    /// <inheritdoc cref="Hash"/>
    internal void HashInLanes(ReadOnlySpan<byte> messages, ReadOnlySpan<int> lengths, Span<byte> hashes)
    {
        // The longest first: so the lanes end at about the same time.
        var longestFirst = LongestFirst(lengths);
        fixed (byte* first = messages)
        fixed (Message* inOrder = longestFirst)
        fixed (byte* hashTo = hashes)
        {
            var states = stackalloc uint[Sha256Lanes.Words * Sha256Lanes.Count];
            var at = stackalloc byte*[Sha256Lanes.Count];
            var ends = stackalloc byte[Sha256Lanes.Count * Sha256Lanes.EndBytes];
            var lanes = stackalloc Lane[Sha256Lanes.Count];
            var waiting = new Waiting
            {
                Messages = first,
                Hashes = hashTo,
                Next = inOrder,
                Left = lengths.Length,
            };
            for (var i = 0; i < Sha256Lanes.Count; i++)
            {
                lanes[i] = new Lane { State = states + i, End = ends + (i * Sha256Lanes.EndBytes) };
                at[i] = lanes[i].End;
                Begin(ref lanes[i], ref waiting, ref at[i]);
            }
            while (true)
            {
                var (steps, idle) = (int.MaxValue, 0);
                for (var i = 0; i < Sha256Lanes.Count; i++)
                {
                    if (lanes[i].Part == Part.Idle)
                        idle |= 1 << i;
                    else
                        steps = Math.Min(steps, lanes[i].Blocks);
                }
                if (steps == int.MaxValue)
                    return;
                Sha256Lanes.Compress(states, at, idle, steps);
                for (var i = 0; i < Sha256Lanes.Count; i++)
                {
                    if (lanes[i].Part != Part.Idle && (lanes[i].Blocks -= steps) == 0)
                        GoOn(ref lanes[i], ref waiting, ref at[i]);
                }
            }
        }
    }

    private static Message[] LongestFirst(ReadOnlySpan<int> lengths)
    {
        var inOrder = new Message[lengths.Length];
        var at = 0;
        for (var i = 0; i < inOrder.Length; at += lengths[i++])
            inOrder[i] = new Message(i, at, lengths[i]);
        Array.Sort(inOrder, (x, y) => y.Length.CompareTo(x.Length));
        return inOrder;
    }

    private void Begin(ref Lane lane, ref Waiting waiting, ref byte* at)
    {
        if (waiting.Left == 0)
        {
            lane.Part = Part.Idle;
            at = lane.End;
            return;
        }
        var (place, from, length) = *waiting.Next;
        lane.Hash = waiting.Hashes + (place * Size);
        at = waiting.Messages + from;
        Sha256Lanes.SetState(lane.State, inner);
        lane.EndBlocks = Sha256Lanes.Pad(lane.End, new ReadOnlySpan<byte>(at, length), before: Sha256Lanes.BlockBytes);
        waiting.Next++;
        waiting.Left--;
        (lane.Part, lane.Blocks) = (Part.Body, length / Sha256Lanes.BlockBytes);
        if (lane.Blocks == 0)
            GoOn(ref lane, ref waiting, ref at);
    }

    private void GoOn(ref Lane lane, ref Waiting waiting, ref byte* at)
    {
        switch (lane.Part)
        {
            case Part.Body:
                (lane.Part, lane.Blocks) = (Part.End, lane.EndBlocks);
                at = lane.End;
                break;
            case Part.End:
                var hash = stackalloc byte[Size];
                Sha256Lanes.Write(lane.State, new Span<byte>(hash, Size));
                Sha256Lanes.SetState(lane.State, outer);
                (lane.Part, lane.Blocks) = (
                    Part.Outer,
                    Sha256Lanes.Pad(lane.End, new ReadOnlySpan<byte>(hash, Size), before: Sha256Lanes.BlockBytes)
                );
                at = lane.End;
                break;
            case Part.Outer:
                Sha256Lanes.Write(lane.State, new Span<byte>(lane.Hash, Size));
                Begin(ref lane, ref waiting, ref at);
                break;
        }
    }

    /// <summary>The hash's state when it has taken the key.</summary>
    private uint[] After(byte pad)
    {
        var block = stackalloc byte[Sha256Lanes.BlockBytes];
        for (var i = 0; i < Sha256Lanes.BlockBytes; i++)
            block[i] = (byte)(pad ^ (i < key.Length ? key[i] : 0));
        var states = stackalloc uint[Sha256Lanes.Words * Sha256Lanes.Count];
        var at = stackalloc byte*[Sha256Lanes.Count];
        for (var i = 0; i < Sha256Lanes.Count; i++)
        {
            at[i] = block;
            Sha256Lanes.SetState(states + i, Sha256Lanes.Initial);
        }
        Sha256Lanes.Compress(states, at, idle: 0, count: 1);
        var state = new uint[Sha256Lanes.Words];
        for (var word = 0; word < state.Length; word++)
            state[word] = states[word * Sha256Lanes.Count];
        return state;
    }

    private enum Part
    {
        Idle,

        /// <summary>Whole blocks of the message.</summary>
        Body,

        /// <summary>What is behind them, padded.</summary>
        End,

        /// <summary>The hash of that hash.</summary>
        Outer,
    }

    /// <summary>A message: the how manyth it is, the byte that it begins with, and how many it has.</summary>
    private readonly record struct Message(int Place, int From, int Length);

    /// <summary>Messages that no lane has begun.</summary>
    private struct Waiting
    {
        public byte* Messages;
        public byte* Hashes;
        public Message* Next;
        public int Left;
    }

    private struct Lane
    {
        public Part Part;
        public int Blocks;
        public byte* End;
        public int EndBlocks;
        public byte* Hash;

        /// <summary>Its first word; the others are a vector apart.</summary>
        public uint* State;
    }
}
