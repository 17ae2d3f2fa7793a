namespace Ripen.Backup.Pools;

/// <summary>Reads packs in blocks, of which the last used stay in memory: chunks that were written one after the other are read by one
/// request. What is in memory is had while other blocks are read.</summary>
internal sealed class BlockCache(IPoolObjects objects)
{
    private const int BlockBytes = 4 << 20;
    private const int MostBlocks = 6;

    private readonly Lock gate = new();
    private readonly Dictionary<(string Key, long Number), LinkedListNode<Block>> known = [];
    private readonly LinkedList<Block> lastUsed = [];

    /// <summary>What is on its way, for all who wait for it.</summary>
    private readonly Dictionary<(string Key, long Number), Task> reading = [];

    private sealed record Block((string, long) Name, byte[] Space, int Length)
    {
        public ReadOnlySpan<byte> Bytes => Space.AsSpan(0, Length);
    }

    /// <param name="key">Of the pack.</param>
    /// <param name="from">Its first byte that is of interest.</param>
    /// <param name="into">As much is read as it is long.</param>
    /// <exception cref="RefusalException">The pack is shorter, or gone.</exception>
    public async Task Read(string key, long from, ChunkContent into)
    {
        for (var done = 0; done < into.Span.Length; )
        {
            if (Copy(key, from + done, into.Span[done..], out var read) is { } part)
                done += part > 0 ? part : throw Damage.Short(key);
            else
                await read;
        }
    }

    /// <summary>Whoever still holds the pool holds no more than it.</summary>
    public void Clear()
    {
        lock (gate)
        {
            known.Clear();
            lastUsed.Clear();
        }
    }

    /// <returns>How many bytes were copied; null when they are on their way first.</returns>
    private int? Copy(string key, long from, Span<byte> into, out Task read)
    {
        var name = (key, from / BlockBytes);
        read = Task.CompletedTask;
        // Under the lock: a block's space is another's once it was given up.
        lock (gate)
        {
            if (known.TryGetValue(name, out var node))
            {
                lastUsed.Remove(node);
                lastUsed.AddFirst(node);
                var inside = Math.Min((int)(from % BlockBytes), node.Value.Length);
                var part = Math.Min(into.Length, node.Value.Length - inside);
                node.Value.Bytes.Slice(inside, part).CopyTo(into);
                return part;
            }
            if (!reading.TryGetValue(name, out read!))
                reading[name] = read = Fetch(name, lastUsed.Count + reading.Count < MostBlocks ? [] : GiveUpOldest());
            return null;
        }
    }

    /// <summary>Nobody's token ends it: others may wait for it.</summary>
    private async Task Fetch((string Key, long Number) name, byte[] space)
    {
        await Task.Yield();
        try
        {
            int length;
            if (space.Length == BlockBytes)
                length = await objects.Read(name.Key, name.Number * BlockBytes, space, CancellationToken.None);
            else
            {
                // No more than there is of a small pack.
                space = await objects.Read(name.Key, name.Number * BlockBytes, BlockBytes, CancellationToken.None);
                length = space.Length;
            }
            lock (gate)
                known[name] = lastUsed.AddFirst(new Block(name, space, length));
        }
        finally
        {
            lock (gate)
                reading.Remove(name);
        }
    }

    private byte[] GiveUpOldest()
    {
        if (lastUsed.Last is not { } oldest)
            return [];
        known.Remove(oldest.Value.Name);
        lastUsed.RemoveLast();
        return oldest.Value.Space;
    }
}
