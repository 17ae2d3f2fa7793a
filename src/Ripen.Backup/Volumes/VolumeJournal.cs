using System.Globalization;
using System.Threading.Channels;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>
/// What was acknowledged and is not yet in the bucket: one segment that takes writes and, while a checkpoint brings it away, one that takes
/// none any more. Writes go to the disk together, in the order in which they came.
/// </summary>
internal sealed class VolumeJournal : IAsyncDisposable
{
    private const int PageBytes = JournalSegment.PageBytes;
    private const int MostBatchBytes = 8 << 20;
    private const string Names = "journal-";
    private const int MostUnsynced = 4;
    private const int MostLags = 6;
    private const int QuietPart = 5;

    private readonly string folder;
    private readonly long half;
    private readonly long pagesPerBlock;
    private readonly Lock gate = new();
    private readonly SemaphoreSlim appending = new(1);
    private readonly Channel<Pending> queue = Channel.CreateUnbounded<Pending>(new UnboundedChannelOptions { SingleReader = true });
    private readonly Channel<(List<Pending> Batch, JournalSegment Into)> unsynced = Channel.CreateBounded<(List<Pending>, JournalSegment)>(
        MostUnsynced
    );
    private readonly CancellationTokenSource stop = new();
    private JournalSegment active;
    private JournalSegment? leaving;
    private TaskCompletionSource room = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private Func<long, Memory<byte>, CancellationToken, Task>? read;
    private Checkpoints? checkpoints;
    private Task running = Task.CompletedTask;
    private Task syncing = Task.CompletedTask;
    private long next;
    private Exception? broken;
    private long firstAt;
    private long lastAt;

    private VolumeJournal(VolumeDisk disk, VolumeDescription description, Guid owner)
    {
        folder = disk.Folder;
        half = disk.JournalBytes / 2;
        pagesPerBlock = description.BlockBytes / PageBytes;
        Owner = owner;
        var there = Directory.GetFiles(folder, Names + "*").Order(StringComparer.Ordinal).ToList();
        next = there.Count > 0 ? long.Parse(Path.GetFileName(there[^1])[Names.Length..], CultureInfo.InvariantCulture) + 1 : 1;
        leaving = there.Count > 1 ? JournalSegment.Open(there[0], pagesPerBlock) : null;
        active = there.Count > 0 ? JournalSegment.Open(there[^1], pagesPerBlock) : Fresh();
    }

    /// <summary>The local disk's own mark, which every map that it writes bears.</summary>
    public Guid Owner { get; }

    public long Bytes
    {
        get
        {
            lock (gate)
                return active.Length + (leaving?.Length ?? 0);
        }
    }

    /// <exception cref="RefusalException">The folder belongs to another volume.</exception>
    public static VolumeJournal Open(VolumeDisk disk, VolumeDescription description)
    {
        var mark = Path.Combine(disk.Folder, "volume");
        if (!File.Exists(mark))
        {
            File.WriteAllText(mark, $"{description.Id} {Guid.NewGuid()}");
            Durable.Folder(disk.Folder);
        }
        var words = File.ReadAllText(mark).Split(' ');
        if (words.Length != 2 || words[0] != description.Id || !Guid.TryParse(words[1], out var owner))
            throw new RefusalException(
                RefusalKind.Conflict,
                "foreign-disk",
                $"'{disk.Folder}' is the local disk of another volume: what its journal holds belongs there. Use another folder."
            );
        return new VolumeJournal(disk, description, owner);
    }

    /// <param name="reader">Reads the volume, for what is written beside the bounds of pages.</param>
    /// <param name="known">Which blocks are stored, and who makes room.</param>
    public void Start(Func<long, Memory<byte>, CancellationToken, Task> reader, Checkpoints known)
    {
        (read, checkpoints) = (reader, known);
        running = Task.Run(Run);
        syncing = Task.Run(Sync);
    }

    /// <summary>Whether a checkpoint should begin: something waits since <paramref name="lag"/> and nothing more comes in, or it has waited
    /// for long, or the journal fills. A burst of writes is not slowed by its own way to the bucket.</summary>
    public bool IsDue(TimeSpan lag)
    {
        lock (gate)
        {
            if (leaving is not null || active.Length > half / 2)
                return true;
            if (active.Length == 0)
                return false;
            var now = Environment.TickCount64;
            var (waits, quiet) = (now - firstAt, now - lastAt);
            return waits > MostLags * lag.TotalMilliseconds || (waits > lag.TotalMilliseconds && quiet > lag.TotalMilliseconds / QuietPart);
        }
    }

    /// <summary>On return it is on the disk for good.</summary>
    public async Task Write(long offset, long bytes, ReadOnlyMemory<byte>? content, CancellationToken cancel)
    {
        var pending = new Pending(offset, bytes, content);
        if (!queue.Writer.TryWrite(pending))
            throw new IOException("The volume is closed.");
        await pending.Done.Task.WaitAsync(cancel);
    }

    /// <summary>What of a block lies in the journal, and which stored one lies under it; both of one moment.</summary>
    public JournalView Look(long block, int from, int count, Checkpoints stored)
    {
        var first = from / PageBytes;
        var pages = new (JournalSegment? In, PageAt At)[((from + count - 1) / PageBytes) - first + 1];
        lock (gate)
        {
            for (var i = 0; i < pages.Length; i++)
            {
                var page = (block * pagesPerBlock) + first + i;
                if (active.Find(page) is { } newest)
                    pages[i] = (active, newest);
                else if (leaving?.Find(page) is { } older)
                    pages[i] = (leaving, older);
            }
            active.Hold();
            leaving?.Hold();
            return new JournalView(stored.Of(block), first, pages, active, leaving);
        }
    }

    public IReadOnlyList<DeviceExtent> Extents(long offset, long bytes, Checkpoints stored)
    {
        lock (gate)
            return DeviceExtents.Of(offset, bytes, stored.SizeBytes, stored.BlockBytes, IsHole);

        bool IsHole(long block) => stored.Of(block) == 0 && !active.Touched.Contains(block) && leaving?.Touched.Contains(block) != true;
    }

    /// <summary>The segment that is to be brought away: one that is already, or all that was acknowledged until now; null for nothing.</summary>
    public async Task<JournalSegment?> Seal(CancellationToken cancel)
    {
        await appending.WaitAsync(cancel);
        try
        {
            lock (gate)
            {
                if (leaving is not null || active.Length == 0)
                    return leaving;
                (leaving, active) = (active, Fresh());
                MakeRoom();
                return leaving;
            }
        }
        finally
        {
            appending.Release();
        }
    }

    /// <summary>What the sealed segment held is in the bucket from now on; <paramref name="publish"/> says where.</summary>
    public void Publish(Action publish)
    {
        JournalSegment gone;
        lock (gate)
        {
            publish();
            gone = leaving!;
            leaving = null;
            MakeRoom();
        }
        gone.Retire();
    }

    /// <summary>Nothing is acknowledged any more, because it could not be kept.</summary>
    public void Break(Exception why)
    {
        lock (gate)
        {
            broken ??= why;
            MakeRoom();
        }
    }

    public async ValueTask DisposeAsync()
    {
        queue.Writer.TryComplete();
        await stop.CancelAsync();
        await running;
        unsynced.Writer.TryComplete();
        await syncing;
        active.Dispose();
        leaving?.Dispose();
        appending.Dispose();
        stop.Dispose();
    }

    private JournalSegment Fresh() =>
        JournalSegment.Create(Path.Combine(folder, $"{Names}{(next++).ToString("D12", CultureInfo.InvariantCulture)}"), pagesPerBlock);

    private void MakeRoom()
    {
        room.TrySetResult();
        room = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    private async Task Run()
    {
        while (await queue.Reader.WaitToReadAsync())
        {
            var batch = Batch();
            try
            {
                List<JournalWrite> writes = IsAligned(batch[0])
                    ? [.. batch.Select(p => new JournalWrite(p.Offset / PageBytes, p.Bytes / PageBytes, p.Content))]
                    : await Aligned(batch[0]);
                await unsynced.Writer.WriteAsync((batch, await Append(writes)));
            }
            catch (Exception failed) when (failed is IOException or RefusalException or OperationCanceledException)
            {
                foreach (var pending in batch)
                    pending.Done.TrySetException(failed is OperationCanceledException ? new IOException("The volume is closed.") : failed);
            }
        }
    }

    /// <summary>Acknowledges what is on the disk for good: while one batch is forced there, the next is written.</summary>
    private async Task Sync()
    {
        var batches = new List<(List<Pending> Batch, JournalSegment Into)>();
        while (await unsynced.Reader.WaitToReadAsync())
        {
            batches.Clear();
            while (unsynced.Reader.TryRead(out var next))
                batches.Add(next);
            foreach (var segment in batches.GroupBy(b => b.Into))
            {
                var pending = segment.SelectMany(b => b.Batch);
                try
                {
                    segment.Key.Sync();
                    foreach (var done in pending)
                        done.Done.TrySetResult();
                }
                catch (IOException failed)
                {
                    foreach (var lost in pending)
                        lost.Done.TrySetException(failed);
                }
                foreach (var _ in segment)
                    segment.Key.Dispose();
            }
        }
    }

    /// <summary>Whole pages together, up to a limit; a write with a part of a page by itself, because it must see what was before it.</summary>
    private List<Pending> Batch()
    {
        var batch = new List<Pending>();
        var bytes = 0L;
        while (bytes < MostBatchBytes && queue.Reader.TryPeek(out var pending))
        {
            if (!IsAligned(pending) && batch.Count > 0)
                break;
            queue.Reader.TryRead(out _);
            batch.Add(pending);
            bytes += pending.Content?.Length ?? 0;
            if (!IsAligned(pending))
                break;
        }
        return batch;
    }

    private static bool IsAligned(Pending pending) => pending.Offset % PageBytes == 0 && pending.Bytes % PageBytes == 0;

    private async Task<List<JournalWrite>> Aligned(Pending pending)
    {
        var (first, from) = Math.DivRem(pending.Offset, PageBytes);
        var end = pending.Offset + pending.Bytes;
        var last = (end - 1) / PageBytes;
        if (pending.Content is { } content)
        {
            var whole = new byte[(last - first + 1) * PageBytes];
            await read!(first * PageBytes, whole.AsMemory(0, PageBytes), stop.Token);
            await read(last * PageBytes, whole.AsMemory(whole.Length - PageBytes), stop.Token);
            content.CopyTo(whole.AsMemory((int)from));
            return [new JournalWrite(first, last - first + 1, whole)];
        }
        var writes = new List<JournalWrite>();
        await Edge(first, (int)from, (int)Math.Min(PageBytes, from + pending.Bytes));
        if (last > first + 1)
            writes.Add(new JournalWrite(first + 1, last - first - 1, null));
        if (last > first)
            await Edge(last, 0, (int)(end - (last * PageBytes)));
        return writes;

        async Task Edge(long page, int zeroFrom, int zeroTo)
        {
            var edge = new byte[PageBytes];
            await read!(page * PageBytes, edge, stop.Token);
            edge.AsSpan(zeroFrom, zeroTo - zeroFrom).Clear();
            writes.Add(new JournalWrite(page, 1, edge));
        }
    }

    /// <returns>The segment that has them, held.</returns>
    private async Task<JournalSegment> Append(List<JournalWrite> writes)
    {
        await WaitForRoom(writes.Sum(w => (long)(w.Content?.Length ?? 0)));
        await appending.WaitAsync(stop.Token);
        var into = active;
        try
        {
            var isFirst = active.Length == 0;
            var places = active.Append(writes);
            lock (gate)
            {
                lastAt = Environment.TickCount64;
                if (isFirst)
                    firstAt = lastAt;
                for (var w = 0; w < writes.Count; w++)
                    active.Tell(writes[w], places[w].At, places[w].Crcs, MayHold);
                into.Hold();
            }
        }
        finally
        {
            appending.Release();
        }
        if (active.Length > half / 2)
            checkpoints!.Wake();
        return into;

        bool MayHold(long block) => checkpoints!.Of(block) != 0 || leaving?.Touched.Contains(block) == true;
    }

    private async Task WaitForRoom(long bytes)
    {
        while (true)
        {
            Task more;
            lock (gate)
            {
                if (broken is not null)
                    throw new IOException(broken.Message, broken);
                if (active.Length == 0 || active.Length + bytes <= half)
                    return;
                more = room.Task;
            }
            checkpoints!.Wake();
            await more.WaitAsync(stop.Token);
        }
    }

    private sealed record Pending(long Offset, long Bytes, ReadOnlyMemory<byte>? Content)
    {
        public TaskCompletionSource Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }
}

/// <summary>What of a stretch lies in the journal, and what under it, as of one moment.</summary>
internal sealed class JournalView(
    long checkpoint,
    int firstPage,
    (JournalSegment? In, PageAt At)[] pages,
    JournalSegment active,
    JournalSegment? leaving
) : IDisposable
{
    private const int PageBytes = JournalSegment.PageBytes;

    /// <summary>That wrote the stored block; 0 for none.</summary>
    public long Checkpoint => checkpoint;

    /// <summary>Whether some of it is not in the journal.</summary>
    public bool NeedsStored => pages.Any(p => p.In is null);

    /// <summary>Lays what is in the journal over what is there.</summary>
    /// <param name="from">In the block, where <paramref name="into"/> begins.</param>
    /// <param name="into">As long as was asked for.</param>
    public void Lay(int from, Span<byte> into)
    {
        Span<byte> edge = stackalloc byte[PageBytes];
        for (var i = 0; i < pages.Length; )
        {
            if (pages[i].In is not { } segment)
            {
                i++;
                continue;
            }
            var at = ((firstPage + i) * PageBytes) - from;
            if (at < 0 || at + PageBytes > into.Length)
            {
                segment.Read(pages[i].At, edge);
                var skip = Math.Max(0, -at);
                var count = Math.Min(PageBytes - skip, into.Length - Math.Max(0, at));
                edge.Slice(skip, count).CopyTo(into[Math.Max(0, at)..]);
                i++;
                continue;
            }
            var run = RunFrom(i, (into.Length - at) / PageBytes);
            var first = i;
            segment.Read(pages[i].At.At, into.Slice(at, run * PageBytes), page => pages[first + page].At.Crc);
            i += run;
        }
    }

    /// <summary>How many pages from one on lie one behind the other in its segment, or are zeros.</summary>
    private int RunFrom(int start, int most)
    {
        var run = 1;
        var step = pages[start].At.At < 0 ? 0 : PageBytes;
        while (
            run < most
            && start + run < pages.Length
            && pages[start + run].In == pages[start].In
            && pages[start + run].At.At == pages[start].At.At + ((long)run * step)
        )
            run++;
        return run;
    }

    public void Dispose()
    {
        active.Dispose();
        leaving?.Dispose();
    }
}
