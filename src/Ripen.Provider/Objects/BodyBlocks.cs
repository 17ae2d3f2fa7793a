using System.Buffers;
using System.Runtime.CompilerServices;
using System.Threading.Channels;

namespace Ripen.Provider.Objects;

/// <summary>A body in blocks of <see cref="ContentFiles.BlockBytes"/>, the last as long as it is.</summary>
internal static class BodyBlocks
{
    /// <summary>Some blocks at a time, each there until the next are asked for; those are received meanwhile. What lies in memory already is not
    /// copied.</summary>
    public static IAsyncEnumerable<IReadOnlyList<ReadOnlyMemory<byte>>> Of(Stream body, int atOnce, CancellationToken cancel) =>
        body is MemoryStream memory && memory.TryGetBuffer(out var content)
            ? InMemory(content.AsMemory((int)memory.Position)).Chunk(atOnce).ToAsyncEnumerable()
            : Received(body, atOnce, cancel);

    private static IEnumerable<ReadOnlyMemory<byte>> InMemory(ReadOnlyMemory<byte> content)
    {
        for (var at = 0; at < content.Length; at += ContentFiles.BlockBytes)
            yield return content.Slice(at, Math.Min(ContentFiles.BlockBytes, content.Length - at));
    }

    private static async IAsyncEnumerable<IReadOnlyList<ReadOnlyMemory<byte>>> Received(
        Stream body,
        int atOnce,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var blocks = Channel.CreateBounded<(byte[] Block, int Length)>(1 + atOnce);
        var receiving = Task.Run(() => Receive(body, blocks.Writer, stop.Token), cancel);
        try
        {
            while (await Next(blocks.Reader, atOnce, cancel) is { Count: > 0 } group)
            {
                yield return [.. group.Select(b => (ReadOnlyMemory<byte>)b.Block.AsMemory(0, b.Length))];
                foreach (var (block, _) in group)
                    ArrayPool<byte>.Shared.Return(block);
            }
            await receiving;
        }
        finally
        {
            await stop.CancelAsync();
        }
    }

    private static async Task Receive(Stream body, ChannelWriter<(byte[] Block, int Length)> blocks, CancellationToken cancel)
    {
        try
        {
            while (true)
            {
                var block = ArrayPool<byte>.Shared.Rent(ContentFiles.BlockBytes);
                var length = await body.ReadAtLeastAsync(
                    block.AsMemory(0, ContentFiles.BlockBytes),
                    ContentFiles.BlockBytes,
                    throwOnEndOfStream: false,
                    cancel
                );
                if (length > 0)
                    await blocks.WriteAsync((block, length), cancel);
                if (length < ContentFiles.BlockBytes)
                    break;
            }
            blocks.Complete();
        }
        catch (Exception error)
        {
            blocks.Complete(error);
        }
    }

    /// <returns>None at the end.</returns>
    private static async Task<List<(byte[] Block, int Length)>> Next(
        ChannelReader<(byte[] Block, int Length)> blocks,
        int count,
        CancellationToken cancel
    )
    {
        var group = new List<(byte[], int)>(count);
        while (group.Count < count && await blocks.WaitToReadAsync(cancel))
        {
            while (group.Count < count && blocks.TryRead(out var block))
                group.Add(block);
        }
        return group;
    }
}
