using System.Runtime.InteropServices;
using Ripen.Backup.Chunking;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Runs;

/// <summary>What a run is to do beyond the usual.</summary>
public sealed record RunOptions
{
    /// <summary>Reads and stores everything, whatever the point before says of it. Where the pool deduplicates, what it has is not stored
    /// again all the same.</summary>
    public bool Full { get; init; }

    /// <summary>The source encrypted it: it is kept apart, because nothing in it is ever equal, and not compressed.</summary>
    public bool EncryptedAtSource { get; init; }

    /// <summary>The plan whose point it is; null for a run by hand.</summary>
    public string? Plan { get; init; }

    /// <summary>The first day on which the point is kept no more, unless it is the newest of its plan and workload; null for a point that
    /// somebody has to remove.</summary>
    public DateOnly? KeptUntil { get; init; }

    /// <summary>The instant that the point bears; null for the clock's.</summary>
    public DateTimeOffset? Taken { get; init; }

    /// <summary>The point of another pool that is stored here: it stays the same one, of the same moment. Null for a new one.</summary>
    public Point? As { get; init; }
}

/// <summary>How far a run is.</summary>
public sealed record RunProgress(long Files, long Bytes, long NewBytes, string? Path);

/// <summary>
/// Backs a source up into a pool: one restore point. A run that ends early leaves no point and harms none; the packs that it put are taken
/// in by the next.
/// </summary>
public static class BackupRun
{
    /// <summary>Entries are many and small: their list is cut finely, so that a change of one file stores little of it.</summary>
    private const int AverageOfEntries = 1 << 14;

    /// <param name="pool">Where to.</param>
    /// <param name="source">What.</param>
    /// <param name="workload">Whose points these are: the last one says which files are unchanged, and are not read again.</param>
    /// <param name="options">Beyond the usual; null for nothing.</param>
    /// <param name="clock">Dates the point.</param>
    /// <param name="progress">Told now and then; null for nobody.</param>
    /// <param name="cancel">Ends the run early.</param>
    /// <exception cref="RefusalException">The source is not there, or the pool's place takes nothing or is damaged.</exception>
    public static async Task<Point> Of(
        Pool pool,
        ISource source,
        string workload,
        RunOptions? options,
        TimeProvider clock,
        IProgress<RunProgress>? progress,
        CancellationToken cancel
    )
    {
        var (full, encrypted) = (options?.Full ?? false, options?.EncryptedAtSource ?? false);
        if (encrypted && pool.Description.Format < PoolDescription.Newest)
            throw new RefusalException(
                RefusalKind.Conflict,
                "old-format",
                "This pool was made by an older program, and keeps nothing apart. Make another pool for what arrives encrypted."
            );
        source.Demand();
        var taken = options?.Taken ?? clock.GetUtcNow();
        var begun = clock.GetTimestamp();
        await using var lease = await RunLease.Begin(pool.Objects, clock, cancel);
        pool.Forget();
        var before = (await pool.Points(cancel)).Points.LastOrDefault(p =>
            p.Workload == workload && p.Taken < (options?.As?.Taken ?? taken)
        );
        var average = before?.AverageChunk ?? Chunker.AverageFor(SizeOf(source));
        var index = await pool.Index(cancel);
        await using var writer = new PackWriter(pool, index, cancel);
        await using var known = new KnownEntries(pool, index, full ? null : before, cancel);
        var storing = new Storing(Apart: encrypted, AsItIs: encrypted);
        using var list = new EntryList(new Chunker(pool.Keys.Gear, AverageOfEntries), writer);
        await using var batches = new Batches(new Chunker(pool.Keys.Gear, average), new Naming(writer, storing, list).Take, cancel);
        var run = new Walk(source, batches, writer, progress);
        try
        {
            foreach (var found in source.Walk(run.Problem))
            {
                cancel.ThrowIfCancellationRequested();
                await run.Take(found, await known.SameAs(found));
            }
            await batches.Finish();
        }
        catch (OperationCanceledException) when (batches.Failure is { } failure)
        {
            throw failure;
        }
        var entries = list.Finish();
        await writer.Finish(cancel);
        var point = new Point
        {
            Id = Point.NewId(taken),
            Workload = workload,
            Plan = options?.Plan,
            KeptUntil = options?.KeptUntil,
            Taken = taken,
            Seconds = clock.GetElapsedTime(begun).TotalSeconds,
            Files = run.Files,
            LogicalBytes = run.Bytes,
            NewBytes = writer.NewBytes,
            StoredBytes = writer.StoredBytes,
            AverageChunk = average,
            IsFull = pool.Description.Deduplicates && !encrypted ? null : full || before is null,
            Entries = entries,
            ProblemCount = run.ProblemCount,
            Problems = run.Problems,
        };
        if (options?.As is { } original)
            point = point with
            {
                Id = original.Id,
                Taken = original.Taken,
                Seconds = original.Seconds,
                ProblemCount = original.ProblemCount,
                Problems = original.Problems,
            };
        lease.Demand();
        await pool.PutSmall(Point.Folder + point.Id, point.Write(), cancel);
        return point;
    }

    private static long SizeOf(ISource source) => source.Walk(_ => { }).Where(e => e.Kind == EntryKind.File).Sum(e => e.Size);

    /// <summary>What the walk has met so far.</summary>
    private sealed class Walk(ISource source, Batches batches, PackWriter writer, IProgress<RunProgress>? progress)
    {
        private readonly List<RunProblem> problems = [];

        public long Files { get; private set; }

        public long Bytes { get; private set; }

        public long ProblemCount { get; private set; }

        public IReadOnlyList<RunProblem> Problems => problems;

        public void Problem(RunProblem problem)
        {
            ProblemCount++;
            if (problems.Count < Point.MostProblems)
                problems.Add(problem);
        }

        /// <summary>Reads it, unless it is no file or unchanged.</summary>
        /// <param name="found">As the walk saw it.</param>
        /// <param name="same">The entry of the point before, when the file is unchanged since.</param>
        public async Task Take(Entry found, Entry? same)
        {
            var entry =
                same is not null ? found with { Chunks = same.Chunks }
                : found.Kind == EntryKind.File ? await Read(found)
                : found;
            await batches.Add(entry);
            if (entry is null || entry.Kind == EntryKind.Folder)
                return;
            Files++;
            Bytes += entry.Size;
            progress?.Report(new RunProgress(Files, Bytes, writer.NewBytes, entry.Path));
        }

        /// <returns>Without its chunks; null when it could not be read.</returns>
        private async Task<Entry?> Read(Entry found)
        {
            try
            {
                using var file = source.Open(found);
                var size = await batches.Read(file);
                var now = source.Look(found.Path);
                if (now is null)
                    Problem(new RunProblem(found.Path, "It was removed while it was read; it is stored as it was read."));
                else if ((now.Changed, now.Size, now.Inode) != (found.Changed, found.Size, found.Inode))
                    Problem(
                        new RunProblem(found.Path, "It was changed while it was read; it is stored as it was read, perhaps half of either.")
                    );
                return found with { Size = size, Chunks = [], Changed = now?.Changed == found.Changed ? found.Changed : 0 };
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                Problem(new RunProblem(found.Path, FolderSource.Why(error)));
                return null;
            }
        }
    }

    /// <summary>Has chunks stored, and gives entries the ids of theirs.</summary>
    private sealed class Naming(PackWriter writer, Storing storing, EntryList list)
    {
        /// <summary>Of chunks in earlier batches, of a file that goes on.</summary>
        private readonly List<byte> begun = [];

        public void Take(Batch batch)
        {
            ReadOnlySpan<byte> ids = writer.Add(batch.Content, CollectionsMarshal.AsSpan(batch.Lengths), storing);
            var from = 0;
            foreach (var (entry, chunks) in batch.Entries)
            {
                var own = ids[from..(chunks * ChunkId.Size)];
                if (entry is not null)
                    list.Add(begun.Count + own.Length == 0 ? entry : entry with { Chunks = [.. begun, .. own] });
                begun.Clear();
                from += own.Length;
            }
            begun.AddRange(ids[from..]);
        }
    }

    /// <summary>The list of entries, cut into chunks like content: what did not change in it is stored once.</summary>
    private sealed class EntryList(Chunker chunker, PackWriter writer) : IDisposable
    {
        private readonly MemoryStream waiting = new();
        private readonly MemoryStream ids = new();

        public void Add(Entry entry)
        {
            waiting.Write(entry.Write());
            while (waiting.Length >= chunker.Largest)
                CutOne();
        }

        public byte[] Finish()
        {
            while (waiting.Length > 0)
                CutOne();
            return ids.ToArray();
        }

        public void Dispose()
        {
            waiting.Dispose();
            ids.Dispose();
        }

        private void CutOne()
        {
            var text = waiting.GetBuffer().AsSpan(0, (int)waiting.Length);
            var length = chunker.Cut(text);
            ids.Write(writer.Add(text[..length], [length], new Storing(Apart: false, AsItIs: false, IsList: true)));
            text[length..].CopyTo(text);
            waiting.SetLength(text.Length - length);
            waiting.Position = waiting.Length;
        }
    }
}
