using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text.Json;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>What a volume's bucket says, as it was found.</summary>
/// <param name="Map">Which checkpoint wrote each block.</param>
/// <param name="Number">Of the last checkpoint.</param>
/// <param name="ChangesSinceWhole">Entries of maps that are not whole.</param>
/// <param name="Snapshots">Oldest first.</param>
internal sealed record VolumeState(BlockMap Map, long Number, long ChangesSinceWhole, IReadOnlyList<VolumeSnapshot> Snapshots);

/// <summary>
/// Brings the journal to the bucket, one sealed segment at a time, and keeps snapshots. All of it happens in one loop, so that none of it
/// meets another.
/// </summary>
internal sealed class Checkpoints(
    SealedObjects objects,
    VolumeDescription description,
    VolumeJournal journal,
    ReadCache cache,
    VolumeState found,
    TimeSpan lag
) : IAsyncDisposable
{
    private const int Uploads = 4;
    private const int LeastChanges = 4096;
    private const int LooksInALag = 5;

    private static readonly TimeSpan FirstPause = TimeSpan.FromMilliseconds(200);
    private static readonly TimeSpan LongestPause = TimeSpan.FromSeconds(30);

    private readonly BlockMap map = found.Map;
    private readonly ConcurrentQueue<Request> requests = [];
    private readonly Queue<(long Block, long Old, long By)> superseded = [];
    private readonly SemaphoreSlim wake = new(0);
    private readonly CancellationTokenSource stop = new();
    private IReadOnlyList<VolumeSnapshot> snapshots = found.Snapshots;
    private long number = found.Number;
    private long changes = found.ChangesSinceWhole;
    private long stored = found.Map.Stored().LongCount();
    private Func<long, long, int, Memory<byte>, CancellationToken, Task>? readStored;
    private Task running = Task.CompletedTask;

    public long SizeBytes => description.SizeBytes;

    public int BlockBytes => description.BlockBytes;

    public long StoredBlocks => Interlocked.Read(ref stored);

    public string? Failure { get; private set; }

    public IReadOnlyList<VolumeSnapshot> Snapshots => snapshots;

    /// <summary>The checkpoint that wrote a block; 0 where it is not stored.</summary>
    public long Of(long block) => map[block];

    /// <summary>Finds what is there, and lays claim to it with a map of nothing: whoever had the volume before finds the next map's name
    /// taken, and stops.</summary>
    /// <exception cref="RefusalException">The local disk holds writes, and another disk wrote the last map (code <c>taken-over</c>); or
    /// something is damaged.</exception>
    public static async Task<VolumeState> Load(
        SealedObjects objects,
        VolumeDescription description,
        Guid owner,
        bool journalHolds,
        CancellationToken cancel
    )
    {
        var blocks = (description.SizeBytes + description.BlockBytes - 1) / description.BlockBytes;
        var names = (await objects.Raw.List(VolumeNames.Maps, cancel)).Select(o => o.Key).Order(StringComparer.Ordinal).ToList();
        var parts = new Stack<MapPart>();
        var oldest = names.Count;
        while (oldest > 0 && !(parts.Count > 0 && parts.Peek().IsWhole))
        {
            oldest--;
            parts.Push(MapPart.Read(await objects.Read(names[oldest], MapPart.MostBytes, cancel), names[oldest], blocks));
        }
        if (journalHolds && names.Count > 0 && parts.Last().Owner != owner)
            throw new RefusalException(
                RefusalKind.Conflict,
                "taken-over",
                "Another machine has opened this volume since, and the journal here holds writes that are not in it. Nothing was changed: "
                    + "save the local disk's folder, then remove it to open the volume as it is in the bucket."
            );
        var number = (names.Count > 0 ? VolumeNames.CheckpointOf(names[^1]) : 0) + 1;
        await Claim(objects, number, owner, cancel);

        var map = new BlockMap(blocks);
        var superseded = new List<(long Block, long Old, long By)>();
        var changes = 0L;
        var at = oldest;
        foreach (var part in parts)
        {
            var by = VolumeNames.CheckpointOf(names[at++]);
            foreach (var (block, checkpoint) in part.Entries)
            {
                if (map[block] is var old && old != 0 && old != checkpoint)
                    superseded.Add((block, old, by));
                map[block] = checkpoint;
            }
            changes = part.IsWhole ? 0 : changes + part.Entries.Count;
        }
        var kept = await ReadSnapshots(objects, map, blocks, cancel);
        // What a crash left: blocks of checkpoints that were never said, and what the said ones had replaced. Where nothing was said since a
        // claim, who made it may have died before it looked here.
        var claims = parts.Reverse().TakeWhile(p => p is { IsWhole: false, Entries.Count: 0 }).Count();
        var gone = superseded.Where(s => !IsKept(kept, s.Old, s.By)).Select(s => VolumeNames.Block(s.Block, s.Old)).ToList();
        foreach (var unsaid in names.TakeLast(claims).Select(VolumeNames.CheckpointOf).Append(number))
            gone.AddRange((await objects.Raw.List(VolumeNames.BlocksOf(unsaid), cancel)).Select(o => o.Key));
        foreach (var key in gone.Concat(names.Take(oldest)))
            await TryDelete(objects, key, cancel);
        return new VolumeState(map, number, changes, kept);
    }

    public void Start(Func<long, long, int, Memory<byte>, CancellationToken, Task> reader)
    {
        readStored = reader;
        running = Task.Run(Run);
    }

    public void Wake()
    {
        if (wake.CurrentCount == 0)
            wake.Release();
    }

    public Task Drain(CancellationToken cancel) => Ask(_ => Task.FromResult(true), cancel);

    public Task<VolumeSnapshot> TakeSnapshot(string name, bool scheduled, DateTimeOffset now, CancellationToken cancel) =>
        Ask(
            async token =>
            {
                var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8));
                var snapshot = new VolumeSnapshot(id, name, now, number, scheduled);
                var whole = new MapPart(journal.Owner, IsWhole: true, [.. map.Stored()]);
                await objects.Put(MapKey(id), whole.Write(), token);
                await objects.Put(TextKey(id), Stored.Write(snapshot), token);
                snapshots = [.. snapshots, snapshot];
                return snapshot;
            },
            cancel
        );

    public Task RemoveSnapshot(string id, CancellationToken cancel) =>
        Ask(
            async token =>
            {
                var gone = Find(id);
                var others = snapshots.Where(s => s.Id != id).ToList();
                var content = await MapOf(id, token);
                await objects.Raw.Delete(TextKey(id), token);
                snapshots = others;
                await LetGo(objects, gone.Checkpoint, content, others, map, token);
                await objects.Raw.Delete(MapKey(id), token);
                return true;
            },
            cancel
        );

    /// <exception cref="RefusalException">There is no such snapshot, or it is damaged.</exception>
    public async Task<BlockMap> MapOf(string id, CancellationToken cancel) => await ReadMap(objects, Find(id).Id, map.Blocks, cancel);

    public async ValueTask DisposeAsync()
    {
        await stop.CancelAsync();
        await running;
        while (requests.TryDequeue(out var request))
            request.Fail(new IOException("The volume is closed."));
        stop.Dispose();
        wake.Dispose();
    }

    private VolumeSnapshot Find(string id) =>
        snapshots.FirstOrDefault(s => s.Id == id)
        ?? throw new RefusalException(RefusalKind.NotFound, "no-snapshot", $"The volume has no snapshot '{id}'.");

    private async Task<T> Ask<T>(Func<CancellationToken, Task<T>> act, CancellationToken cancel)
    {
        var done = new TaskCompletionSource<T>(TaskCreationOptions.RunContinuationsAsynchronously);
        requests.Enqueue(new Request(async token => done.TrySetResult(await act(token)), error => done.TrySetException(error)));
        Wake();
        if (stop.IsCancellationRequested)
            throw new IOException("The volume is closed.");
        return await done.Task.WaitAsync(cancel);
    }

    private async Task Run()
    {
        var pause = FirstPause;
        while (!stop.IsCancellationRequested)
        {
            try
            {
                await wake.WaitAsync(lag / LooksInALag, stop.Token);
                var asked = requests.Count;
                if (asked == 0 && superseded.Count == 0 && !journal.IsDue(lag))
                    continue;
                if (await journal.Seal(stop.Token) is { } segment)
                    await Upload(segment, stop.Token);
                // The first may have been one that failed before: what was acknowledged since is asked for as well.
                if (asked > 0 && await journal.Seal(stop.Token) is { } rest)
                    await Upload(rest, stop.Token);
                await TidyUp(stop.Token);
                (Failure, pause) = (null, FirstPause);
                for (; asked > 0 && requests.TryDequeue(out var request); asked--)
                    await Answer(request);
            }
            catch (OperationCanceledException) when (stop.IsCancellationRequested)
            {
                return;
            }
            catch (RefusalException over) when (over.Code == "taken-over")
            {
                Failure = over.Message;
                journal.Break(over);
                while (requests.TryDequeue(out var request))
                    request.Fail(over);
                return;
            }
            catch (Exception failed) when (failed is RefusalException or IOException)
            {
                Failure = failed.Message;
                try
                {
                    await Task.Delay(pause, stop.Token);
                }
                catch (OperationCanceledException)
                {
                    return;
                }
                pause = pause * 2 < LongestPause ? pause * 2 : LongestPause;
                Wake();
            }
        }
    }

    private async Task Answer(Request request)
    {
        try
        {
            await request.Act(stop.Token);
        }
        catch (Exception failed) when (failed is RefusalException or IOException or OperationCanceledException)
        {
            request.Fail(failed);
        }
    }

    /// <summary>May be done again after it failed: a sealed segment never changes, and neither do the blocks that it makes.</summary>
    private async Task Upload(JournalSegment segment, CancellationToken cancel)
    {
        var checkpoint = number + 1;
        var blocks = segment.Touched.Order().ToArray();
        var entries = new (long Block, long Checkpoint)[blocks.Length];
        await Parallel.ForEachAsync(
            Enumerable.Range(0, blocks.Length),
            new ParallelOptions { MaxDegreeOfParallelism = Uploads, CancellationToken = cancel },
            async (i, token) => entries[i] = (blocks[i], await UploadBlock(segment, blocks[i], checkpoint, token))
        );
        var part = new MapPart(journal.Owner, IsWhole: false, entries);
        await Say(checkpoint, part, cancel);
        journal.Publish(() =>
        {
            foreach (var (block, by) in entries)
            {
                var old = map[block];
                map[block] = by;
                if (old != 0)
                    superseded.Enqueue((block, old, checkpoint));
                stored += (by != 0 ? 1 : 0) - (old != 0 ? 1 : 0);
            }
            number = checkpoint;
        });
        changes += entries.Length;
    }

    private async Task TidyUp(CancellationToken cancel)
    {
        for (; superseded.TryPeek(out var gone); superseded.Dequeue())
        {
            cache.Forget(gone.Block, gone.Old);
            if (!IsKept(snapshots, gone.Old, gone.By) && !await TryDelete(objects, VolumeNames.Block(gone.Block, gone.Old), cancel))
                return;
        }
        if (changes > Math.Max(LeastChanges, StoredBlocks))
            await SayWhole(cancel);
    }

    /// <returns>The checkpoint, or 0 for a block of zeros, which is not stored.</returns>
    private async Task<long> UploadBlock(JournalSegment segment, long block, long checkpoint, CancellationToken cancel)
    {
        var content = new byte[description.BlockBytes];
        var pagesPerBlock = description.BlockBytes / JournalSegment.PageBytes;
        var pages = Enumerable.Range(0, pagesPerBlock).Select(i => segment.Find((block * pagesPerBlock) + i)).ToArray();
        if (pages.Any(p => p is null))
            await readStored!(block, map[block], 0, content, cancel);
        for (var i = 0; i < pages.Length; i++)
        {
            if (pages[i] is { } page)
                segment.Read(page, content.AsSpan(i * JournalSegment.PageBytes, JournalSegment.PageBytes));
        }
        if (!content.AsSpan().ContainsAnyExcept((byte)0))
            return 0;
        try
        {
            await objects.Put(VolumeNames.Block(block, checkpoint), content, cancel);
        }
        catch (RefusalException again) when (again.Code == "exists") { }
        cache.Add(block, checkpoint, content);
        return checkpoint;
    }

    private async Task SayWhole(CancellationToken cancel)
    {
        await Say(number + 1, new MapPart(journal.Owner, IsWhole: true, [.. map.Stored()]), cancel);
        number++;
        changes = 0;
        foreach (var earlier in await objects.Raw.List(VolumeNames.Maps, cancel))
        {
            if (VolumeNames.CheckpointOf(earlier.Key) < number)
                await objects.Raw.Delete(earlier.Key, cancel);
        }
    }

    /// <summary>The one step that counts. A map of this name may be our own, whose answer was lost.</summary>
    private async Task Say(long checkpoint, MapPart part, CancellationToken cancel)
    {
        var key = VolumeNames.Map(checkpoint);
        try
        {
            await objects.Put(key, part.Write(), cancel);
        }
        catch (RefusalException taken) when (taken.Code == "exists")
        {
            var there = MapPart.Read(await objects.Read(key, MapPart.MostBytes, cancel), key, map.Blocks);
            if (there.Owner != journal.Owner || !there.Entries.SequenceEqual(part.Entries))
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "taken-over",
                    "Another machine has opened this volume: nothing is written from here any more. What the journal here holds stays in it."
                );
        }
    }

    private static async Task Claim(SealedObjects objects, long number, Guid owner, CancellationToken cancel)
    {
        try
        {
            await objects.Put(VolumeNames.Map(number), new MapPart(owner, IsWhole: false, []).Write(), cancel);
        }
        catch (RefusalException taken) when (taken.Code == "exists")
        {
            throw new RefusalException(RefusalKind.Conflict, "under-way", "Another machine writes into this volume at this moment.");
        }
    }

    private static async Task<IReadOnlyList<VolumeSnapshot>> ReadSnapshots(
        SealedObjects objects,
        BlockMap map,
        long blocks,
        CancellationToken cancel
    )
    {
        var keys = (await objects.Raw.List(VolumeNames.Snapshots, cancel)).Select(o => o.Key).ToHashSet(StringComparer.Ordinal);
        var kept = new List<VolumeSnapshot>();
        foreach (var key in keys.Where(k => k.EndsWith(".json", StringComparison.Ordinal)))
        {
            try
            {
                kept.Add(Stored.Read<VolumeSnapshot>(await objects.Read(key, 1 << 16, cancel))!);
            }
            catch (JsonException)
            {
                throw Damage.Of(key, "is no snapshot");
            }
        }
        kept.Sort((a, b) => a.Checkpoint.CompareTo(b.Checkpoint));
        // A map whose text is gone was being removed: its blocks are looked at as if it had been the last thing to go.
        foreach (var key in keys.Where(k => k.EndsWith(".map", StringComparison.Ordinal)))
        {
            var id = key[VolumeNames.Snapshots.Length..^".map".Length];
            if (kept.Any(s => s.Id == id))
                continue;
            var content = await ReadMap(objects, id, blocks, cancel);
            var last = content.Stored().Select(s => s.Checkpoint).DefaultIfEmpty().Max();
            await LetGo(objects, last, content, kept, map, cancel);
            await objects.Raw.Delete(key, cancel);
        }
        return kept;
    }

    /// <summary>Removes what of a snapshot neither another one nor the volume needs. A block that one checkpoint wrote is in every state
    /// from there until it was replaced: what the next state does not have, no later one has.</summary>
    private static async Task LetGo(
        SealedObjects objects,
        long checkpoint,
        BlockMap content,
        IReadOnlyList<VolumeSnapshot> others,
        BlockMap now,
        CancellationToken cancel
    )
    {
        var before = others.Where(s => s.Checkpoint <= checkpoint).Select(s => s.Checkpoint).DefaultIfEmpty().Max();
        var after = others.Where(s => s.Checkpoint > checkpoint).MinBy(s => s.Checkpoint);
        var next = after is null ? now : await ReadMap(objects, after.Id, now.Blocks, cancel);
        foreach (var (block, by) in content.Stored())
        {
            if (by > before && next[block] != by)
                await objects.Raw.Delete(VolumeNames.Block(block, by), cancel);
        }
    }

    /// <summary>Whether it went: a bucket may keep for a while what nothing needs any more.</summary>
    private static async Task<bool> TryDelete(SealedObjects objects, string key, CancellationToken cancel)
    {
        try
        {
            await objects.Raw.Delete(key, cancel);
            return true;
        }
        catch (RefusalException)
        {
            return false;
        }
    }

    private static async Task<BlockMap> ReadMap(SealedObjects objects, string id, long blocks, CancellationToken cancel)
    {
        var map = new BlockMap(blocks);
        foreach (var (block, by) in MapPart.Read(await objects.Read(MapKey(id), MapPart.MostBytes, cancel), MapKey(id), blocks).Entries)
            map[block] = by;
        return map;
    }

    private static bool IsKept(IReadOnlyList<VolumeSnapshot> snapshots, long from, long until) =>
        snapshots.Any(s => from <= s.Checkpoint && s.Checkpoint < until);

    private static string MapKey(string id) => $"{VolumeNames.Snapshots}{id}.map";

    private static string TextKey(string id) => $"{VolumeNames.Snapshots}{id}.json";

    private sealed record Request(Func<CancellationToken, Task> Act, Action<Exception> Fail);
}
