using System.Text.Json;
using Ripen.Backup.Points;
using Ripen.Backup.Runs;

namespace Ripen.Backup.Pools;

/// <summary>What a prune did.</summary>
/// <param name="RemovedPacks">Gone for good.</param>
/// <param name="RemovedBytes">Of them.</param>
/// <param name="RewrittenBytes">Needed content of packs that held little else, moved into new ones.</param>
/// <param name="WaitingPacks">Doomed, and removed by a prune after the runs that are at work now.</param>
/// <param name="Kept">What could not be removed, and why: a retention, most often.</param>
public sealed record PruneResult(
    int RemovedPacks,
    long RemovedBytes,
    long RewrittenBytes,
    int WaitingPacks,
    IReadOnlyList<RunProblem> Kept
);

/// <summary>
/// Removes what no point needs, in two phases: packs are doomed, from when on no run relies on them; and what is doomed is removed once no run
/// is at work that may have begun before. A point that needs a doomed pack after all spares it. One prune at a time; every moment is safe to
/// be killed at.
/// </summary>
public static class PoolPrune
{
    internal const string Folder = "doomed/";

    /// <summary>A pack of which less than this share is needed is rewritten.</summary>
    internal const double WorthKeeping = 0.5;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { TypeInfoResolver = Stored.Members };

    /// <summary>Packs to be removed, as a doomed object lists them.</summary>
    internal sealed record Doom(DateTimeOffset At, IReadOnlyList<string> Packs);

    /// <exception cref="RefusalException">A point cannot be read: what it needs is not known, and nothing is removed.</exception>
    public static async Task<PruneResult> Of(Pool pool, TimeProvider clock, CancellationToken cancel)
    {
        await using var lease = await RunLease.Alone(pool.Objects, clock, cancel);
        pool.Forget();
        var index = await pool.Index(cancel);
        var needed = await Needed(pool, cancel);
        var rewritten = await Rewrite(pool, index, needed, cancel);
        await Condemn(pool, index, needed, rewritten.Packs, clock, cancel);
        var swept = await Sweep(pool, lease, clock, cancel);
        if (swept.RemovedPacks > 0)
            await Compact(pool, cancel);
        pool.Forget();
        return swept with { RewrittenBytes = rewritten.Bytes };
    }

    internal static Doom Read(byte[] text, string key)
    {
        try
        {
            return Stored.Read<Doom>(text, Json) ?? throw Damage.Of(key, "is no list of packs");
        }
        catch (JsonException)
        {
            throw Damage.Of(key, "is no list of packs");
        }
    }

    /// <summary>The points of a pool, oldest first, when none is missing among them.</summary>
    /// <exception cref="RefusalException">One cannot be read: what it needs is not known.</exception>
    internal static async Task<IReadOnlyList<Point>> AllPoints(Pool pool, CancellationToken cancel)
    {
        var (points, unreadable) = await pool.Points(cancel);
        return unreadable.Count == 0
            ? points
            : throw Damage.Of(unreadable[0].Path, "cannot be read, and what it needs is not known: nothing is removed");
    }

    /// <summary>Every chunk that a point needs, its list of entries included.</summary>
    private static async Task<HashSet<ChunkId>> Needed(Pool pool, CancellationToken cancel)
    {
        var points = await AllPoints(pool, cancel);
        var needed = new HashSet<ChunkId>();
        foreach (var point in points)
        {
            await foreach (var chunk in pool.ChunksOf(point, cancel))
                needed.Add(chunk);
        }
        return needed;
    }

    /// <summary>Moves what is needed out of packs that hold little else. The copies are in the index before the packs are doomed. Where the
    /// place is full, what would not fit stays where it is, until what else goes has made room.</summary>
    private static async Task<(HashSet<string> Packs, long Bytes)> Rewrite(
        Pool pool,
        PoolIndex index,
        HashSet<ChunkId> needed,
        CancellationToken cancel
    )
    {
        var sparse = new HashSet<string>();
        var written = new List<(string Key, IReadOnlyList<PackedChunk> Chunks)>();
        var bytes = 0L;
        try
        {
            foreach (var folder in index.PackKeys.Select(Packs.FolderOf).Distinct())
                bytes += await Rewrite(pool, index, needed, folder, sparse, written, cancel);
        }
        catch (RefusalException full) when (full.Kind == RefusalKind.Full)
        {
            // What was written is in packs of its own, and is told of below.
        }
        await pool.WriteIndex(written, cancel);
        return (sparse, bytes);
    }

    /// <summary>The same for packs of content, or of lists.</summary>
    /// <returns>Bytes that were written anew.</returns>
    private static async Task<long> Rewrite(
        Pool pool,
        PoolIndex index,
        HashSet<ChunkId> needed,
        string folder,
        HashSet<string> sparse,
        List<(string Key, IReadOnlyList<PackedChunk> Chunks)> written,
        CancellationToken cancel
    )
    {
        // Packs of which the last chunk is in the pack that is being filled.
        var ending = new List<string>();
        var bytes = 0L;
        OpenPack? pack = null;
        try
        {
            foreach (var own in index.InOrder().GroupBy(c => c.Place.Pack))
            {
                var key = index.KeyOf(own.First().Place);
                var live = own.Where(c => needed.Contains(c.Id)).ToList();
                if (
                    Packs.FolderOf(key) != folder
                    || live.Count == 0
                    || live.Sum(c => (long)c.Place.SealedBytes) >= WorthKeeping * index.BytesOf(own.Key)
                    || !await IsAtHand(pool, live[0].Id, cancel)
                )
                    continue;
                foreach (var (id, place) in live)
                {
                    var content = await pool.Chunk(id, cancel);
                    var packed = pool.Description.Compresses ? Zstd.Compress(content) : content;
                    var compressed = packed.Length < content.Length;
                    pack ??= new OpenPack(pool, folder, cancel);
                    await pack.Add(id, compressed ? packed : content, content.Length, compressed, place.IsApart);
                    if (pack.Bytes >= pool.Description.PackBytes)
                        await Close();
                }
                ending.Add(key);
            }
            if (pack is not null)
                await Close();
            sparse.UnionWith(ending);
            return bytes;
        }
        finally
        {
            if (pack is not null)
                await pack.DisposeAsync();
        }

        async Task Close()
        {
            await pack.Close();
            written.Add((pack.Key, pack.Chunks));
            bytes += pack.Chunks.Sum(c => (long)c.RawBytes);
            sparse.UnionWith(ending);
            ending.Clear();
            await pack.DisposeAsync();
            pack = null;
        }
    }

    /// <summary>Whether a chunk can be read without waiting; a pack that rests where reading takes a wait stays as it is.</summary>
    private static async Task<bool> IsAtHand(Pool pool, ChunkId chunk, CancellationToken cancel)
    {
        try
        {
            await pool.Chunk(chunk, cancel);
            return true;
        }
        catch (RefusalException away) when (Damage.IsAway(away))
        {
            return false;
        }
    }

    private static async Task Condemn(
        Pool pool,
        PoolIndex index,
        HashSet<ChunkId> needed,
        HashSet<string> rewritten,
        TimeProvider clock,
        CancellationToken cancel
    )
    {
        var living = index.InOrder().Where(c => needed.Contains(c.Id)).Select(c => index.KeyOf(c.Place)).ToHashSet();
        living.ExceptWith(rewritten);
        var doomed = index.PackKeys.Where(p => !living.Contains(p) && !index.IsDoomed(p)).ToList();
        if (doomed.Count > 0)
        {
            var key = $"{Folder}{Point.NewId(clock.GetUtcNow())}";
            await pool.PutSmall(key, Stored.Write(new Doom(clock.GetUtcNow(), doomed), Json), cancel);
        }
    }

    private static async Task<PruneResult> Sweep(Pool pool, RunLease lease, TimeProvider clock, CancellationToken cancel)
    {
        // Dooms first, leases then, points last: a run that is not seen here looks at the pool after the dooms, and relies on nothing in them.
        var dooms = new List<(string Key, Doom Doom)>();
        foreach (var stored in await pool.Objects.List(Folder, cancel))
            dooms.Add((stored.Key, Read(await pool.OpenSmall(stored.Key, cancel), stored.Key)));
        if (dooms.Count == 0 || await RunLease.IsAnyAlive(pool.Objects, clock, cancel))
            return new PruneResult(0, 0, 0, dooms.Sum(d => d.Doom.Packs.Count), []);

        pool.Forget();
        var index = await pool.Index(cancel);
        var needed = await Needed(pool, cancel);
        // A chunk that lies in another pack as well is found there: a doomed one is the last choice.
        var spared = index.InOrder().Where(c => needed.Contains(c.Id)).Select(c => index.KeyOf(c.Place)).ToHashSet();
        var sizes = (await Packs.In(pool.Objects, cancel)).ToDictionary(p => p.Key, p => p.Bytes);
        var (packs, bytes, kept) = (0, 0L, new List<RunProblem>());
        foreach (var (key, doom) in dooms)
        {
            var whole = true;
            foreach (var pack in doom.Packs.Where(p => !spared.Contains(p) && sizes.ContainsKey(p)))
            {
                lease.Demand();
                try
                {
                    await pool.Objects.Delete(pack, cancel);
                    packs++;
                    bytes += sizes[pack];
                }
                catch (RefusalException refusal)
                {
                    kept.Add(new RunProblem(pack, refusal.Message));
                    whole = false;
                }
            }
            if (whole)
                await pool.Objects.Delete(key, cancel);
        }
        return new PruneResult(packs, bytes, 0, 0, kept);
    }

    /// <summary>One index in the place of many, without packs that are gone. Those of runs that end meanwhile stay beside it.</summary>
    private static async Task Compact(Pool pool, CancellationToken cancel)
    {
        var old = await pool.Objects.List(PoolIndex.Folder, cancel);
        var there = (await Packs.In(pool.Objects, cancel)).Select(p => p.Key).ToHashSet();
        var (told, _) = await pool.Told(old, cancel);
        var packs = told.Where(p => there.Contains(p.Key)).Select(p => (p.Key, p.Value)).ToList();
        await pool.PutSmall(PoolIndex.NewKey(), PoolIndex.Write(packs), cancel);
        foreach (var stored in old)
        {
            try
            {
                await pool.Objects.Delete(stored.Key, cancel);
            }
            catch (RefusalException)
            {
                // What a retention keeps says nothing wrong: packs that are gone are passed over.
            }
        }
    }
}
