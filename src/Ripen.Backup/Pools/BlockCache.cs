namespace Ripen.Backup.Pools;

/// <summary>Reads packs in blocks, of which the last used stay in memory: chunks that were written one after the other are read by one
/// request.</summary>
internal sealed class BlockCache(IPoolObjects objects) : IDisposable
{
    private const int BlockBytes = 4 << 20;
    private const int MostBlocks = 8;

    private readonly Dictionary<(string Key, long Block), LinkedListNode<Block>> known = [];
    private readonly LinkedList<Block> lastUsed = [];
    private readonly SemaphoreSlim one = new(1);

    private sealed record Block((string, long) Name, byte[] Space, int Length)
    {
        public ReadOnlySpan<byte> Bytes => Space.AsSpan(0, Length);
    }

    /// <param name="key">Of the pack.</param>
    /// <param name="from">Its first byte that is of interest.</param>
    /// <param name="into">As much is read as it is long.</param>
    /// <param name="cancel">Stops.</param>
    /// <exception cref="RefusalException">The pack is shorter, or gone.</exception>
    public async Task Read(string key, long from, ChunkContent into, CancellationToken cancel)
    {
        await one.WaitAsync(cancel);
        try
        {
            var length = into.Span.Length;
            for (var done = 0; done < length; )
            {
                var at = from + done;
                var block = await Find(key, at / BlockBytes, cancel);
                var inside = (int)(at % BlockBytes);
                var part = Math.Min(length - done, block.Bytes.Length - inside);
                if (part <= 0)
                    throw Damage.Short(key);
                block.Bytes.Slice(inside, part).CopyTo(into.Span[done..]);
                done += part;
            }
        }
        finally
        {
            one.Release();
        }
    }

    public void Dispose() => one.Dispose();

    private async Task<Block> Find(string key, long number, CancellationToken cancel)
    {
        if (known.TryGetValue((key, number), out var node))
        {
            lastUsed.Remove(node);
            lastUsed.AddFirst(node);
            return node.Value;
        }
        var space = lastUsed.Count < MostBlocks ? [] : GiveUpOldest();
        Block block;
        if (space.Length == BlockBytes)
            block = new Block((key, number), space, await objects.Read(key, number * BlockBytes, space, cancel));
        else
        {
            // No more than there is of a small pack.
            space = await objects.Read(key, number * BlockBytes, BlockBytes, cancel);
            block = new Block((key, number), space, space.Length);
        }
        known[block.Name] = lastUsed.AddFirst(block);
        return block;
    }

    private byte[] GiveUpOldest()
    {
        var oldest = lastUsed.Last!.Value;
        known.Remove(oldest.Name);
        lastUsed.RemoveLast();
        return oldest.Space;
    }
}
