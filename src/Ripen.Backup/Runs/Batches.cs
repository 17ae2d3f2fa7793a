using System.Collections.Concurrent;
using System.Threading.Channels;
using Ripen.Backup.Chunking;
using Ripen.Backup.Points;

namespace Ripen.Backup.Runs;

/// <summary>Content of files one behind the other, cut into chunks, and entries, all in the order of the walk.</summary>
internal sealed class Batch(int most)
{
    public byte[] Space { get; } = new byte[most];

    public int Bytes { get; set; }

    /// <summary>Of each chunk.</summary>
    public List<int> Lengths { get; } = [];

    /// <summary>Entries that are complete; an entry has the chunks behind those of the one before, up to so many of this batch. Null is for a
    /// file that could not be read to its end.</summary>
    public List<(Entry? Entry, int Chunks)> Entries { get; } = [];

    public ReadOnlySpan<byte> Content => Space.AsSpan(0, Bytes);

    public void Clear()
    {
        Bytes = 0;
        Lengths.Clear();
        Entries.Clear();
    }
}

/// <summary>
/// Gathers what a walk reads, so that reading and cutting go on while what was read before is named and stored. Memory for four batches at most.
/// </summary>
internal sealed class Batches : IAsyncDisposable
{
    /// <summary>Enough to keep all lanes of <see cref="Pools.ManyHmacs"/> at work.</summary>
    private const int LargestAtOnce = 8;

    /// <summary>More is not gathered of large chunks.</summary>
    private const int MostBytes = 1 << 24;

    private const int MostEntries = 1000;

    private readonly Chunker chunker;
    private readonly int batchBytes;
    private readonly Channel<Batch> full = Channel.CreateBounded<Batch>(1);

    /// <summary>To be filled again.</summary>
    private readonly ConcurrentQueue<Batch> stored = [];
    private readonly CancellationTokenSource failed;
    private readonly Task storing;
    private Batch batch;

    /// <param name="chunker">Cuts the content.</param>
    /// <param name="store">Takes one batch after the other, on another task, and may wait.</param>
    /// <param name="cancel">Ends everything early.</param>
    public Batches(Chunker chunker, Action<Batch> store, CancellationToken cancel)
    {
        this.chunker = chunker;
        batchBytes = Math.Min(LargestAtOnce * chunker.Largest, MostBytes);
        batch = Empty();
        failed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        storing = Task.Run(() => Store(store), CancellationToken.None);
    }

    /// <summary>Why storing ended early; null while it did not.</summary>
    public Exception? Failure { get; private set; }

    /// <summary>Content of an entry that is added next.</summary>
    /// <returns>How many bytes there were.</returns>
    /// <exception cref="IOException">It could not be read to its end: null is added next.</exception>
    /// <exception cref="OperationCanceledException">Storing ended early.</exception>
    public async Task<long> Read(Stream content)
    {
        var (waiting, total) = (0, 0L);
        while (true)
        {
            var room = batch.Space.AsMemory(batch.Bytes);
            waiting += content.ReadAtLeast(room.Span[waiting..], room.Length - waiting, throwOnEndOfStream: false);
            var ended = waiting < room.Length;
            var cut = chunker.Cut(room.Span[..waiting], ended, batch.Lengths);
            batch.Bytes += cut;
            total += cut;
            if (ended)
                return total;
            waiting -= cut;
            var next = Empty();
            room.Span[cut..].CopyTo(next.Space);
            await HandOn(next);
        }
    }

    /// <exception cref="OperationCanceledException">Storing ended early.</exception>
    public async ValueTask Add(Entry? entry)
    {
        batch.Entries.Add((entry, batch.Lengths.Count));
        if (batch.Entries.Count == MostEntries)
            await HandOn(Empty());
    }

    /// <summary>Everything that was added is stored on return.</summary>
    public async Task Finish()
    {
        await full.Writer.WriteAsync(batch, failed.Token);
        full.Writer.Complete();
        await storing;
    }

    private Batch Empty() => stored.TryDequeue(out var used) ? used : new Batch(batchBytes);

    private async ValueTask HandOn(Batch next)
    {
        await full.Writer.WriteAsync(batch, failed.Token);
        batch = next;
    }

    private async Task Store(Action<Batch> store)
    {
        try
        {
            await foreach (var next in full.Reader.ReadAllAsync(failed.Token))
            {
                store(next);
                next.Clear();
                stored.Enqueue(next);
            }
        }
        catch (Exception error)
        {
            Failure = error;
            await failed.CancelAsync();
            throw;
        }
    }

    public async ValueTask DisposeAsync()
    {
        await failed.CancelAsync();
        await storing.ContinueWith(_ => { }, TaskScheduler.Default);
        failed.Dispose();
    }
}
