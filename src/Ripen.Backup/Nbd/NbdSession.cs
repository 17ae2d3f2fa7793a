using System.Buffers;
using System.Buffers.Binary;
using System.Net.Sockets;
using System.Text;
using Ripen.Backup.Volumes;

namespace Ripen.Backup.Nbd;

/// <summary>One client's connection, from the greeting to its end. Requests are answered as they are done, in any order.</summary>
internal sealed class NbdSession(Socket socket, IReadOnlyDictionary<string, IBlockDevice> exports) : IAsyncDisposable
{
    private const string Allocation = "base:allocation";
    private const uint AllocationId = 1;
    private const uint HoleAndZero = 3;
    private const int MostUnderWay = 32;
    private const int PreferredBytes = 4096;

    private readonly NetworkStream stream = new(socket, ownsSocket: true);
    private readonly SemaphoreSlim sending = new(1);
    private readonly CancellationTokenSource stop = new();
    private bool structured;
    private bool allocation;
    private bool noZeroes;
    private IBlockDevice? device;

    /// <summary>Null until the client has chosen one.</summary>
    public string? Export { get; private set; }

    public void End()
    {
        try
        {
            stop.Cancel();
            socket.Close();
        }
        catch (ObjectDisposedException)
        {
            // It ended by itself.
        }
    }

    public async Task Run()
    {
        try
        {
            if (await Negotiate())
                await Transmit();
        }
        catch (Exception ended)
            when (ended is IOException or SocketException or ObjectDisposedException or OperationCanceledException or BadClientException)
        {
            // The client went away, or said something that leaves no common ground: the connection is all that ends.
        }
    }

    public async ValueTask DisposeAsync()
    {
        await stream.DisposeAsync();
        sending.Dispose();
        stop.Dispose();
    }

    private async Task<bool> Negotiate()
    {
        var hello = new byte[18];
        BinaryPrimitives.WriteUInt64BigEndian(hello, NbdWire.Greeting);
        BinaryPrimitives.WriteUInt64BigEndian(hello.AsSpan(8), NbdWire.OptionMagic);
        BinaryPrimitives.WriteUInt16BigEndian(hello.AsSpan(16), NbdWire.FixedNewstyle | NbdWire.NoZeroes);
        await stream.WriteAsync(hello, stop.Token);
        var flags = BinaryPrimitives.ReadUInt32BigEndian(await Take(4));
        if ((flags & ~(uint)(NbdWire.FixedNewstyle | NbdWire.NoZeroes)) != 0)
            throw new BadClientException();
        noZeroes = (flags & NbdWire.NoZeroes) != 0;
        while (true)
        {
            var head = await Take(16);
            var length = BinaryPrimitives.ReadUInt32BigEndian(head.AsSpan(12));
            if (BinaryPrimitives.ReadUInt64BigEndian(head) != NbdWire.OptionMagic || length > NbdWire.MostOption)
                throw new BadClientException();
            var option = (NbdOption)BinaryPrimitives.ReadUInt32BigEndian(head.AsSpan(8));
            var data = await Take((int)length);
            switch (option)
            {
                case NbdOption.ExportName:
                    return await ChooseOld(Encoding.UTF8.GetString(data));
                case NbdOption.Abort:
                    await Answer(option, NbdReply.Ack, []);
                    return false;
                case NbdOption.List:
                    await List(option, data);
                    break;
                case NbdOption.Info or NbdOption.Go:
                    if (await Describe(option, data))
                        return true;
                    break;
                case NbdOption.StructuredReply:
                    structured |= data.Length == 0;
                    await Answer(option, data.Length == 0 ? NbdReply.Ack : NbdReply.Invalid, []);
                    break;
                case NbdOption.ListMetaContext or NbdOption.SetMetaContext:
                    await Contexts(option, data);
                    break;
                default:
                    await Answer(option, NbdReply.Unsupported, []);
                    break;
            }
        }
    }

    private async Task List(NbdOption option, byte[] data)
    {
        if (data.Length > 0)
        {
            await Answer(option, NbdReply.Invalid, []);
            return;
        }
        foreach (var name in exports.Keys.Order(StringComparer.Ordinal))
        {
            var text = Encoding.UTF8.GetBytes(name);
            var entry = new byte[4 + text.Length];
            BinaryPrimitives.WriteUInt32BigEndian(entry, (uint)text.Length);
            text.CopyTo(entry, 4);
            await Answer(option, NbdReply.Server, entry);
        }
        await Answer(option, NbdReply.Ack, []);
    }

    /// <summary>The option of old clients: it has no way to refuse but to close.</summary>
    private async Task<bool> ChooseOld(string name)
    {
        if (!Choose(name))
            return false;
        var reply = new byte[noZeroes ? 10 : 134];
        BinaryPrimitives.WriteUInt64BigEndian(reply, (ulong)device!.SizeBytes);
        BinaryPrimitives.WriteUInt16BigEndian(reply.AsSpan(8), (ushort)Flags(device));
        await stream.WriteAsync(reply, stop.Token);
        return true;
    }

    /// <returns>Whether the options have ended.</returns>
    private async Task<bool> Describe(NbdOption option, byte[] data)
    {
        var length = data.Length < 6 ? uint.MaxValue : BinaryPrimitives.ReadUInt32BigEndian(data);
        if (length > data.Length - 6)
        {
            await Answer(option, NbdReply.Invalid, []);
            return false;
        }
        var name = Encoding.UTF8.GetString(data, 4, (int)length);
        if (!exports.TryGetValue(name, out var asked))
        {
            await Answer(option, NbdReply.Unknown, Encoding.UTF8.GetBytes($"There is no export '{name}'."));
            return false;
        }
        var export = new byte[12];
        BinaryPrimitives.WriteUInt16BigEndian(export, (ushort)NbdInfo.Export);
        BinaryPrimitives.WriteUInt64BigEndian(export.AsSpan(2), (ulong)asked.SizeBytes);
        BinaryPrimitives.WriteUInt16BigEndian(export.AsSpan(10), (ushort)Flags(asked));
        await Answer(option, NbdReply.Info, export);
        var sizes = new byte[14];
        BinaryPrimitives.WriteUInt16BigEndian(sizes, (ushort)NbdInfo.BlockSize);
        BinaryPrimitives.WriteUInt32BigEndian(sizes.AsSpan(2), 1);
        BinaryPrimitives.WriteUInt32BigEndian(sizes.AsSpan(6), PreferredBytes);
        BinaryPrimitives.WriteUInt32BigEndian(sizes.AsSpan(10), NbdWire.MostPayload);
        await Answer(option, NbdReply.Info, sizes);
        if (option == NbdOption.Go && !Choose(name))
        {
            await Answer(option, NbdReply.Unknown, []);
            return false;
        }
        await Answer(option, NbdReply.Ack, []);
        return option == NbdOption.Go;
    }

    private async Task Contexts(NbdOption option, byte[] data)
    {
        if (!structured || ReadContexts(data) is not { } asked || !exports.ContainsKey(asked.Export))
        {
            await Answer(option, NbdReply.Invalid, []);
            return;
        }
        var listing = option == NbdOption.ListMetaContext;
        var wanted = asked.Queries.Any(q => q == Allocation || (listing && q == "base:")) || (listing && asked.Queries.Count == 0);
        if (!listing)
            allocation = wanted;
        if (wanted)
        {
            var text = Encoding.UTF8.GetBytes(Allocation);
            var entry = new byte[4 + text.Length];
            BinaryPrimitives.WriteUInt32BigEndian(entry, listing ? 0 : AllocationId);
            text.CopyTo(entry, 4);
            await Answer(option, NbdReply.MetaContext, entry);
        }
        await Answer(option, NbdReply.Ack, []);
    }

    private static (string Export, List<string> Queries)? ReadContexts(byte[] data)
    {
        var at = 0;
        if (Text() is not { } export || data.Length - at < 4)
            return null;
        var count = BinaryPrimitives.ReadUInt32BigEndian(data.AsSpan(at));
        at += 4;
        var queries = new List<string>();
        for (var i = 0; i < count; i++)
        {
            if (Text() is not { } query)
                return null;
            queries.Add(query);
        }
        return at == data.Length ? (export, queries) : null;

        string? Text()
        {
            if (data.Length - at < 4)
                return null;
            var length = BinaryPrimitives.ReadUInt32BigEndian(data.AsSpan(at));
            at += 4;
            if (length > data.Length - at)
                return null;
            at += (int)length;
            return Encoding.UTF8.GetString(data, at - (int)length, (int)length);
        }
    }

    private bool Choose(string name)
    {
        if (!exports.TryGetValue(name, out device))
            return false;
        Export = name;
        return true;
    }

    private static NbdTransmission Flags(IBlockDevice device) =>
        NbdTransmission.HasFlags
        | NbdTransmission.Flush
        | NbdTransmission.DontFragment
        | NbdTransmission.MultiConnection
        | (device.IsReadOnly ? NbdTransmission.ReadOnly : NbdTransmission.Fua | NbdTransmission.Trim | NbdTransmission.WriteZeroes);

    private async Task Answer(NbdOption option, NbdReply reply, byte[] data)
    {
        var answer = new byte[20 + data.Length];
        BinaryPrimitives.WriteUInt64BigEndian(answer, NbdWire.OptionReplyMagic);
        BinaryPrimitives.WriteUInt32BigEndian(answer.AsSpan(8), (uint)option);
        BinaryPrimitives.WriteUInt32BigEndian(answer.AsSpan(12), (uint)reply);
        BinaryPrimitives.WriteUInt32BigEndian(answer.AsSpan(16), (uint)data.Length);
        data.CopyTo(answer, 20);
        await stream.WriteAsync(answer, stop.Token);
    }

    private async Task Transmit()
    {
        using var slots = new SemaphoreSlim(MostUnderWay);
        using var memory = new ByteBudget(NbdWire.MostPayload);
        var head = new byte[28];
        try
        {
            while (true)
            {
                await stream.ReadExactlyAsync(head, stop.Token);
                var request = new NbdRequest(
                    BinaryPrimitives.ReadUInt16BigEndian(head.AsSpan(4)),
                    (NbdCommand)BinaryPrimitives.ReadUInt16BigEndian(head.AsSpan(6)),
                    BinaryPrimitives.ReadUInt64BigEndian(head.AsSpan(8)),
                    BinaryPrimitives.ReadUInt64BigEndian(head.AsSpan(16)),
                    BinaryPrimitives.ReadUInt32BigEndian(head.AsSpan(24))
                );
                if (BinaryPrimitives.ReadUInt32BigEndian(head) != NbdWire.RequestMagic)
                    throw new BadClientException();
                if (request.Command == NbdCommand.Disconnect)
                    return;
                // More than the protocol allows to send: what follows cannot be told from the next request.
                if (request.Command == NbdCommand.Write && request.Length > NbdWire.MostPayload)
                    throw new BadClientException();
                var held = request.Command is NbdCommand.Write or NbdCommand.Read ? (int)Math.Min(request.Length, NbdWire.MostPayload) : 0;
                await memory.Take(held, stop.Token);
                var rented = ArrayPool<byte>.Shared.Rent(held);
                var content = rented.AsMemory(0, held);
                if (request.Command == NbdCommand.Write)
                    await stream.ReadExactlyAsync(content, stop.Token);
                await slots.WaitAsync(stop.Token);
                _ = Task.Run(async () =>
                {
                    await Serve(request, content);
                    ArrayPool<byte>.Shared.Return(rented);
                    memory.GiveBack(held);
                    slots.Release();
                });
            }
        }
        finally
        {
            // What was taken is carried out, whatever became of the connection.
            for (var i = 0; i < MostUnderWay; i++)
                await slots.WaitAsync();
        }
    }

    private async Task Serve(NbdRequest request, Memory<byte> content)
    {
        try
        {
            try
            {
                var error = await Do(request, content);
                if (error is { } refused)
                    await Reply(request, refused);
            }
            catch (RefusalException refusal)
            {
                await Reply(request, refusal.Kind == RefusalKind.Full ? NbdError.NoSpace : NbdError.Io);
            }
            catch (IOException failed) when (!stop.IsCancellationRequested && socket.Connected)
            {
                const int diskFull = 28;
                await Reply(request, (failed.HResult & 0xffff) == diskFull ? NbdError.NoSpace : NbdError.Io);
            }
        }
        catch (Exception gone) when (gone is IOException or SocketException or ObjectDisposedException or OperationCanceledException)
        {
            // Nobody is there to be told.
        }
    }

    /// <param name="request">As it came.</param>
    /// <param name="content">What is written, or room for what is read.</param>
    /// <returns>What is still to be answered; null when it was.</returns>
    private async Task<NbdError?> Do(NbdRequest request, Memory<byte> content)
    {
        var known = device!;
        var (offset, length) = ((long)request.Offset, (long)request.Length);
        var writes = request.Command is NbdCommand.Write or NbdCommand.Trim or NbdCommand.WriteZeroes;
        if (writes && known.IsReadOnly)
            return NbdError.NotPermitted;
        if (request.Command != NbdCommand.Flush && (request.Offset > long.MaxValue || offset > known.SizeBytes - length))
            return writes ? NbdError.NoSpace : NbdError.Invalid;
        switch (request.Command)
        {
            case NbdCommand.Read when length <= NbdWire.MostPayload:
                await known.Read(offset, content, stop.Token);
                await SendContent(request, content);
                return null;
            case NbdCommand.Write:
                await known.Write(offset, content, CancellationToken.None);
                return NbdError.None;
            // Every answered write is on the disk already.
            case NbdCommand.Flush:
                return NbdError.None;
            case NbdCommand.Trim or NbdCommand.WriteZeroes:
                await known.Zero(offset, length, CancellationToken.None);
                return NbdError.None;
            case NbdCommand.BlockStatus when structured && allocation && length > 0:
                await SendStatus(request, known.Extents(offset, length));
                return null;
            default:
                return NbdError.Invalid;
        }
    }

    private Task SendContent(NbdRequest request, Memory<byte> content)
    {
        if (!structured)
            return Send(Simple(request, NbdError.None), content);
        if (content.Length == 0)
            return Send(Chunk(request, NbdChunk.None, 0), default);
        var head = Chunk(request, NbdChunk.OffsetData, 8 + content.Length, extra: 8);
        BinaryPrimitives.WriteUInt64BigEndian(head.AsSpan(20), request.Offset);
        return Send(head, content);
    }

    private Task SendStatus(NbdRequest request, IReadOnlyList<DeviceExtent> extents)
    {
        const ushort onlyOne = 8;
        var told = (request.Flags & onlyOne) != 0 ? extents.Take(1).ToList() : [.. extents];
        var head = Chunk(request, NbdChunk.BlockStatus, 4 + (8 * told.Count), extra: 4 + (8 * told.Count));
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(20), AllocationId);
        for (var i = 0; i < told.Count; i++)
        {
            BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(24 + (8 * i)), (uint)told[i].Bytes);
            BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(28 + (8 * i)), told[i].IsHole ? HoleAndZero : 0);
        }
        return Send(head, default);
    }

    private Task Reply(NbdRequest request, NbdError error)
    {
        if (!structured || request.Command is not (NbdCommand.Read or NbdCommand.BlockStatus))
            return Send(Simple(request, error), default);
        var head = Chunk(request, NbdChunk.Error, 6, extra: 6);
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(20), (uint)error);
        return Send(head, default);
    }

    private static byte[] Simple(NbdRequest request, NbdError error)
    {
        var head = new byte[16];
        BinaryPrimitives.WriteUInt32BigEndian(head, NbdWire.SimpleReplyMagic);
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(4), (uint)error);
        BinaryPrimitives.WriteUInt64BigEndian(head.AsSpan(8), request.Cookie);
        return head;
    }

    /// <summary>Each answer is one chunk, so that none is torn.</summary>
    private static byte[] Chunk(NbdRequest request, NbdChunk kind, int length, int extra = 0)
    {
        const ushort done = 1;
        var head = new byte[20 + extra];
        BinaryPrimitives.WriteUInt32BigEndian(head, NbdWire.StructuredReplyMagic);
        BinaryPrimitives.WriteUInt16BigEndian(head.AsSpan(4), done);
        BinaryPrimitives.WriteUInt16BigEndian(head.AsSpan(6), (ushort)kind);
        BinaryPrimitives.WriteUInt64BigEndian(head.AsSpan(8), request.Cookie);
        BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(16), (uint)length);
        return head;
    }

    private async Task Send(byte[] head, ReadOnlyMemory<byte> content)
    {
        await sending.WaitAsync(stop.Token);
        try
        {
            await stream.WriteAsync(head, stop.Token);
            if (content.Length > 0)
                await stream.WriteAsync(content, stop.Token);
        }
        finally
        {
            sending.Release();
        }
    }

    private async Task<byte[]> Take(int bytes)
    {
        var taken = GC.AllocateUninitializedArray<byte>(bytes);
        await stream.ReadExactlyAsync(taken, stop.Token);
        return taken;
    }

    private sealed record NbdRequest(ushort Flags, NbdCommand Command, ulong Cookie, ulong Offset, uint Length);

    private sealed class BadClientException : Exception;

    /// <summary>Bytes that may be under way; only one asks at a time.</summary>
    private sealed class ByteBudget(long most) : IDisposable
    {
        private readonly SemaphoreSlim changed = new(0);
        private long free = most;

        public async Task Take(int bytes, CancellationToken cancel)
        {
            while (Interlocked.Read(ref free) < bytes)
                await changed.WaitAsync(cancel);
            Interlocked.Add(ref free, -bytes);
        }

        public void GiveBack(int bytes)
        {
            Interlocked.Add(ref free, bytes);
            changed.Release();
        }

        public void Dispose() => changed.Dispose();
    }
}
