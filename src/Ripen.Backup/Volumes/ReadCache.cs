using Microsoft.Win32.SafeHandles;

namespace Ripen.Backup.Volumes;

/// <summary>
/// Blocks of the bucket that lie on the local disk as well: those read longest ago make room. It is no more than a copy, and what the disk
/// spoils is noticed and forgotten.
/// </summary>
internal sealed class ReadCache : IDisposable
{
    private const int PageBytes = JournalSegment.PageBytes;

    private readonly string indexPath;
    private readonly SafeFileHandle file;
    private readonly int blockBytes;
    private readonly int most;
    private readonly Lock gate = new();
    private readonly Dictionary<(long Block, long Checkpoint), LinkedListNode<Slot>> slots = [];
    private readonly LinkedList<Slot> byUse = new();
    private readonly Stack<int> free = new();
    private int made;

    /// <param name="folder">On the local disk.</param>
    /// <param name="bytes">It takes up at most; room for less than a block is none.</param>
    /// <param name="blockBytes">Of a block.</param>
    public ReadCache(string folder, long bytes, int blockBytes)
    {
        this.blockBytes = blockBytes;
        most = (int)Math.Min(bytes / blockBytes, int.MaxValue);
        indexPath = Path.Combine(folder, "cache.index");
        file = File.OpenHandle(Path.Combine(folder, "cache"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read);
        Load();
    }

    public long Bytes
    {
        get
        {
            lock (gate)
                return (long)slots.Count * blockBytes;
        }
    }

    /// <summary>Whether the bytes were there.</summary>
    public bool TryRead(long block, long checkpoint, int from, Span<byte> into)
    {
        LinkedListNode<Slot>? node;
        lock (gate)
        {
            if (!slots.TryGetValue((block, checkpoint), out node))
                return false;
            byUse.Remove(node);
            byUse.AddLast(node);
            node.Value.Readers++;
        }
        var whole = false;
        try
        {
            whole = Copy(node.Value, from, into);
        }
        finally
        {
            lock (gate)
            {
                node.Value.Readers--;
                if (node.List is not null && !whole)
                    Drop(node);
                else if (node.List is null && node.Value.Readers == 0)
                    free.Push(node.Value.Place);
            }
        }
        return whole;
    }

    /// <summary>Does nothing where there is no room, or it is there.</summary>
    public void Add(long block, long checkpoint, ReadOnlySpan<byte> content)
    {
        int place;
        lock (gate)
        {
            if (most == 0 || slots.ContainsKey((block, checkpoint)))
                return;
            if (free.Count == 0 && made == most && Oldest() is { } oldest)
                Drop(oldest);
            if (free.Count == 0 && made == most)
                return;
            place = free.Count > 0 ? free.Pop() : made++;
        }
        var slot = new Slot(place, block, checkpoint, new uint[blockBytes / PageBytes]);
        for (var i = 0; i < slot.Crcs.Length; i++)
            slot.Crcs[i] = Crc.Of(content.Slice(i * PageBytes, PageBytes));
        try
        {
            RandomAccess.Write(file, content, (long)place * blockBytes);
        }
        catch (IOException)
        {
            // A local disk without room makes reads slower and nothing else.
            lock (gate)
                free.Push(place);
            return;
        }
        lock (gate)
        {
            if (!slots.TryAdd((block, checkpoint), byUse.AddLast(slot)))
            {
                byUse.RemoveLast();
                free.Push(place);
            }
        }
    }

    public void Forget(long block, long checkpoint)
    {
        lock (gate)
        {
            if (slots.TryGetValue((block, checkpoint), out var node))
                Drop(node);
        }
    }

    public void Dispose()
    {
        lock (gate)
        {
            Save();
            file.Dispose();
        }
    }

    private bool Copy(Slot slot, int from, Span<byte> into)
    {
        Span<byte> page = stackalloc byte[PageBytes];
        while (into.Length > 0)
        {
            var (number, within) = Math.DivRem(from, PageBytes);
            if (
                RandomAccess.Read(file, page, ((long)slot.Place * blockBytes) + ((long)number * PageBytes)) != PageBytes
                || Crc.Of(page) != slot.Crcs[number]
            )
                return false;
            var count = Math.Min(PageBytes - within, into.Length);
            page.Slice(within, count).CopyTo(into);
            into = into[count..];
            from += count;
        }
        return true;
    }

    private LinkedListNode<Slot>? Oldest()
    {
        for (var node = byUse.First; node is not null; node = node.Next)
        {
            if (node.Value.Readers == 0)
                return node;
        }
        return null;
    }

    private void Drop(LinkedListNode<Slot> node)
    {
        slots.Remove((node.Value.Block, node.Value.Checkpoint));
        byUse.Remove(node);
        // Where somebody still reads, the last one frees the place.
        if (node.Value.Readers == 0)
            free.Push(node.Value.Place);
    }

    private void Save()
    {
        using var writer = new BinaryWriter(File.Create(indexPath));
        writer.Write(blockBytes);
        writer.Write(slots.Count);
        foreach (var slot in byUse)
        {
            writer.Write(slot.Place);
            writer.Write(slot.Block);
            writer.Write(slot.Checkpoint);
            foreach (var crc in slot.Crcs)
                writer.Write(crc);
        }
    }

    /// <summary>What a clean end left; after any other end the cache begins empty.</summary>
    private void Load()
    {
        if (File.Exists(indexPath))
        {
            try
            {
                using var reader = new BinaryReader(File.OpenRead(indexPath));
                var (bytes, count) = (reader.ReadInt32(), reader.ReadInt32());
                for (var i = 0; bytes == blockBytes && i < count; i++)
                {
                    var slot = new Slot(reader.ReadInt32(), reader.ReadInt64(), reader.ReadInt64(), new uint[blockBytes / PageBytes]);
                    for (var c = 0; c < slot.Crcs.Length; c++)
                        slot.Crcs[c] = reader.ReadUInt32();
                    if (slot.Place < most)
                        slots[(slot.Block, slot.Checkpoint)] = byUse.AddLast(slot);
                }
            }
            catch (EndOfStreamException)
            {
                slots.Clear();
                byUse.Clear();
            }
            File.Delete(indexPath);
        }
        var taken = byUse.Select(s => s.Place).ToHashSet();
        made = taken.Count > 0 ? taken.Max() + 1 : 0;
        for (var place = 0; place < made; place++)
        {
            if (!taken.Contains(place))
                free.Push(place);
        }
        RandomAccess.SetLength(file, (long)made * blockBytes);
    }

    private sealed class Slot(int place, long block, long checkpoint, uint[] crcs)
    {
        public int Place => place;
        public long Block => block;
        public long Checkpoint => checkpoint;
        public uint[] Crcs => crcs;
        public int Readers { get; set; }
    }
}
