using System.Security.Cryptography;
using Ripen.Backup.Points;

namespace Ripen.Backup.Pools;

/// <summary>How a pool is to be made.</summary>
public sealed record PoolOptions
{
    public bool Compresses { get; init; } = true;

    /// <inheritdoc cref="PoolDescription.Deduplicates"/>
    public bool Deduplicates { get; init; } = true;

    /// <summary>Wraps the pool's secret; null for a pool that is not encrypted, whose secret lies in clear beside it.</summary>
    public string? Passphrase { get; init; }

    /// <summary>From 8 to 64 million.</summary>
    public int PackBytes { get; init; } = 16_000_000;
}

/// <summary>
/// A pool: deduplicated (unless it is plain), compressed and sealed content in packs, and points that say what of it was where and when. Everything is ordinary
/// objects of the place that it lies in, none of which changes once it is written.
/// </summary>
public sealed class Pool : IDisposable
{
    private const int LargestPart = 1 << 30;
    private const int ChunksAhead = 4;

    private readonly SemaphoreSlim indexing = new(1);
    private readonly BlockCache blocks;
    private PoolIndex? index;
    private List<(string Key, IReadOnlyList<PackedChunk> Chunks)> adopted = [];

    private Pool(IPoolObjects objects, PoolDescription description, byte[] secret)
    {
        (Objects, Description, Secret, Keys) = (objects, description, secret, new PoolKeys(secret));
        blocks = new BlockCache(objects);
    }

    public PoolDescription Description { get; }

    /// <summary>32 bytes that open everything in it.</summary>
    public byte[] Secret { get; }

    internal IPoolObjects Objects { get; }

    internal PoolKeys Keys { get; }

    /// <summary>Makes a pool where none is.</summary>
    /// <exception cref="RefusalException">There is one already (code <c>exists</c>).</exception>
    public static async Task<Pool> Create(IPoolObjects objects, PoolOptions options, DateTimeOffset now, CancellationToken cancel)
    {
        if (options.PackBytes is < 8_000_000 or > 64_000_000)
            throw new RefusalException(
                RefusalKind.Invalid,
                "out-of-range",
                "A pack has from 8,000,000 to 64,000,000 bytes.",
                "$.packBytes"
            );
        var secret = RandomNumberGenerator.GetBytes(PoolKeys.Size);
        var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
        var description = new PoolDescription
        {
            Format = PoolDescription.Newest,
            Id = id,
            Made = now,
            Compresses = options.Compresses,
            Deduplicates = options.Deduplicates,
            Encrypts = options.Passphrase is not null,
            PackBytes = options.PackBytes,
            Wrapped = WrappedSecret.Of(secret, options.Passphrase, id),
        };
        await objects.Put(PoolDescription.Key, description.Write(), cancel);
        return new Pool(objects, description, secret);
    }

    /// <exception cref="RefusalException">There is none (<c>no-pool</c>), it is of another format (<c>unknown-format</c>), or the passphrase
    /// is not its (<c>wrong-passphrase</c>).</exception>
    public static async Task<Pool> Open(IPoolObjects objects, string? passphrase, CancellationToken cancel)
    {
        var description = await Describe(objects, cancel);
        return new Pool(objects, description, description.Wrapped.Unwrap(passphrase, description.Id));
    }

    /// <summary>The same by its secret, for who keeps that instead of the passphrase.</summary>
    /// <param name="objects">Where it lies.</param>
    /// <param name="secret">As <see cref="Secret"/> told it.</param>
    /// <param name="cancel">Stops.</param>
    /// <exception cref="RefusalException">There is none, or it is of another format.</exception>
    public static async Task<Pool> OpenBySecret(IPoolObjects objects, byte[] secret, CancellationToken cancel) =>
        new(objects, await Describe(objects, cancel), secret);

    /// <summary>What can be known of a pool without its passphrase.</summary>
    /// <exception cref="RefusalException">There is none, or one of another format.</exception>
    public static async Task<PoolDescription> Describe(IPoolObjects objects, CancellationToken cancel)
    {
        byte[] text;
        try
        {
            text = await objects.Read(PoolDescription.Key, 0, LargestPart, cancel);
        }
        catch (RefusalException none) when (none.Code == "no-object")
        {
            throw new RefusalException(RefusalKind.NotFound, "no-pool", "There is no pool here: it is made before the first run.");
        }
        return PoolDescription.Read(text);
    }

    /// <summary>All points, oldest first. Those that cannot be read are named and do not hide the others.</summary>
    public async Task<(IReadOnlyList<Point> Points, IReadOnlyList<RunProblem> Unreadable)> Points(CancellationToken cancel)
    {
        var (points, unreadable) = (new List<Point>(), new List<RunProblem>());
        foreach (var stored in (await Objects.List(Point.Folder, cancel)).OrderBy(o => o.Key, StringComparer.Ordinal))
        {
            try
            {
                points.Add(Point.Read(await OpenSmall(stored.Key, cancel), stored.Key));
            }
            catch (RefusalException damaged) when (damaged.Kind == RefusalKind.Damaged)
            {
                unreadable.Add(new RunProblem(stored.Key, damaged.Message));
            }
        }
        return (points, unreadable);
    }

    /// <summary>Of all points, oldest first, without reading them.</summary>
    public async Task<IReadOnlyList<string>> PointIds(CancellationToken cancel) =>
        [.. (await Objects.List(Point.Folder, cancel)).Select(o => o.Key[Point.Folder.Length..]).Order(StringComparer.Ordinal)];

    /// <exception cref="RefusalException">There is no point of this id.</exception>
    public async Task<Point> FindPoint(string id, CancellationToken cancel)
    {
        // An id that is no name of an object is none, and leads to no other file of a directory.
        if (id.Length == 0 || !id.All(c => char.IsAsciiLetterOrDigit(c) || c == '-'))
            throw NoPoint(id);
        var key = $"{Point.Folder}{id}";
        try
        {
            return Point.Read(await OpenSmall(key, cancel), key);
        }
        catch (RefusalException none) when (none.Code == "no-object")
        {
            throw NoPoint(id);
        }
    }

    private static RefusalException NoPoint(string id) => new(RefusalKind.NotFound, "no-point", $"The pool has no restore point '{id}'.");

    /// <summary>The entries of a point, in their order.</summary>
    /// <exception cref="RefusalException">The list itself is damaged.</exception>
    public async IAsyncEnumerable<Entry> Entries(
        Point point,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel
    )
    {
        var rest = Array.Empty<byte>();
        for (var at = 0; at < point.Entries.Length; at += ChunkId.Size)
        {
            var chunk = await Chunk(ChunkId.Read(point.Entries.AsSpan(at)), cancel);
            byte[] text = rest.Length == 0 ? chunk : [.. rest, .. chunk];
            var from = 0;
            for (int end; (end = Array.IndexOf(text, (byte)'\n', from)) >= 0; from = end + 1)
                yield return Entry.Read(text.AsSpan(from, end - from));
            rest = text[from..];
        }
    }

    /// <summary>Every chunk that a point needs, its list of entries included; one that is needed twice comes twice.</summary>
    /// <exception cref="RefusalException">The list itself is damaged.</exception>
    internal async IAsyncEnumerable<ChunkId> ChunksOf(
        Point point,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel
    )
    {
        for (var at = 0; at < point.Entries.Length; at += ChunkId.Size)
            yield return ChunkId.Read(point.Entries.AsSpan(at));
        await foreach (var entry in Entries(point, cancel))
        {
            for (var i = 0; i < entry.ChunkCount; i++)
                yield return entry.Chunk(i);
        }
    }

    /// <summary>The content of a chunk, as it was.</summary>
    /// <exception cref="RefusalException">Its pack is gone, cut short or changed.</exception>
    public async Task<byte[]> Chunk(ChunkId id, CancellationToken cancel)
    {
        using var content = await Lend(id, cancel);
        return content.Span.ToArray();
    }

    /// <inheritdoc cref="Chunk"/>
    internal async Task<ChunkContent> Lend(ChunkId id, CancellationToken cancel)
    {
        var known = await Index(cancel);
        var place = known.Find(id);
        var key = known.KeyOf(place);
        using var sealedPart = ChunkContent.OfLength(place.SealedBytes);
        await blocks.Read(key, place.Offset, sealedPart);
        return Open(key, place, id, sealedPart.Span);
    }

    /// <summary>The content of a file, chunk by chunk and in order; some are read and opened while the one before them is used. Each is there
    /// until the next is asked for.</summary>
    /// <exception cref="RefusalException">A pack is gone, cut short or changed.</exception>
    public async IAsyncEnumerable<ReadOnlyMemory<byte>> Content(
        Entry file,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel
    )
    {
        var ahead = new Queue<Task<ChunkContent>>(ChunksAhead);
        try
        {
            for (var i = 0; i < file.ChunkCount; i++)
            {
                var id = file.Chunk(i);
                ahead.Enqueue(file.ChunkCount == 1 ? Lend(id, cancel) : Task.Run(() => Lend(id, cancel), cancel));
                if (ahead.Count < ChunksAhead)
                    continue;
                using var first = await ahead.Dequeue();
                yield return first.Memory;
            }
            while (ahead.TryDequeue(out var next))
            {
                using var content = await next;
                yield return content.Memory;
            }
        }
        finally
        {
            // Whoever stops early may let go of the pool next.
            await Task.WhenAll(ahead).ContinueWith(_ => { }, TaskScheduler.Default);
        }
    }

    private ChunkContent Open(string key, ChunkPlace place, ChunkId id, ReadOnlySpan<byte> sealedPart)
    {
        Span<byte> about = stackalloc byte[ChunkId.Size];
        id.Write(about);
        var bytes = sealedPart.Length - PoolKeys.TagSize;
        if (!place.IsCompressed && bytes != place.RawBytes)
            throw Damage.Short(key);
        var content = ChunkContent.OfLength(place.RawBytes);
        try
        {
            using var seal = Keys.Of(key);
            if (!place.IsCompressed)
            {
                seal.Open((ulong)place.Part, sealedPart, about, content.Span);
                return content;
            }
            using var payload = ChunkContent.OfLength(bytes);
            seal.Open((ulong)place.Part, sealedPart, about, payload.Span);
            return Zstd.Expand(payload.Span, key, content.Span) == place.RawBytes ? content : throw Damage.Short(key);
        }
        catch
        {
            content.Dispose();
            throw;
        }
    }

    /// <summary>
    /// The index, read once. Packs that none tells of, of a run that did not come to its end, are taken in by their own lists; those that are
    /// no longer there are left out, so that a run stores again what they held.
    /// </summary>
    internal async Task<PoolIndex> Index(CancellationToken cancel)
    {
        await indexing.WaitAsync(cancel);
        try
        {
            if (index is not null)
                return index;
            var there = (await Packs.In(Objects, cancel)).ToDictionary(p => p.Key);
            var doomed = new HashSet<string>();
            foreach (var stored in await Objects.List(PoolPrune.Folder, cancel))
                doomed.UnionWith(PoolPrune.Read(await OpenSmall(stored.Key, cancel), stored.Key).Packs);
            var (told, _) = await Told(await Objects.List(PoolIndex.Folder, cancel), cancel);
            var newly = new List<(string, IReadOnlyList<PackedChunk>)>();
            foreach (var pack in there.Values.Where(p => !told.ContainsKey(p.Key)))
            {
                try
                {
                    told[pack.Key] = await Packs.ReadList(Objects, Keys, pack, cancel);
                    newly.Add((pack.Key, told[pack.Key]));
                }
                catch (RefusalException damaged) when (damaged.Kind == RefusalKind.Damaged)
                {
                    // Nobody relies on a pack that no index tells of.
                }
            }
            var read = new PoolIndex();
            foreach (var (key, chunks) in told.Where(t => there.ContainsKey(t.Key)).OrderBy(t => t.Key, StringComparer.Ordinal))
                read.Add(key, chunks, doomed.Contains(key));
            adopted = newly;
            return index = read;
        }
        finally
        {
            indexing.Release();
        }
    }

    /// <summary>What indexes tell of packs. One that is damaged is named and passed over: a pack's own list tells the same.</summary>
    internal async Task<(Dictionary<string, IReadOnlyList<PackedChunk>> Packs, IReadOnlyList<RunProblem> Damaged)> Told(
        IReadOnlyList<PoolObject> indexes,
        CancellationToken cancel
    )
    {
        var (packs, damaged) = (new Dictionary<string, IReadOnlyList<PackedChunk>>(), new List<RunProblem>());
        foreach (var stored in indexes)
        {
            try
            {
                foreach (var (key, chunks) in PoolIndex.Read(await OpenSmall(stored.Key, cancel), stored.Key))
                    packs[key] = chunks;
            }
            catch (RefusalException refusal) when (refusal.Kind == RefusalKind.Damaged)
            {
                damaged.Add(new RunProblem(stored.Key, refusal.Message));
            }
        }
        return (packs, damaged);
    }

    /// <summary>What is asked next is looked at anew: others may have written and removed.</summary>
    internal void Forget()
    {
        index = null;
        adopted = [];
    }

    /// <summary>Removes a point. What only it needed goes with the next prune.</summary>
    /// <exception cref="RefusalException">There is none, or something keeps it.</exception>
    public async Task Remove(string pointId, CancellationToken cancel)
    {
        await FindPoint(pointId, cancel);
        await Objects.Delete($"{Point.Folder}{pointId}", cancel);
    }

    /// <summary>Seals all that a point needs: its packs, the pool's description, which has the key, and last the point itself. An index is
    /// not: the packs tell what they hold.</summary>
    /// <exception cref="RefusalException">The place cannot seal (code <c>cannot-seal</c>), or something of the point is not there.</exception>
    public async Task Seal(Point point, DateOnly until, CancellationToken cancel)
    {
        var index = await Index(cancel);
        var needed = new HashSet<string> { PoolDescription.Key, $"{Point.Folder}{point.Id}" };
        await foreach (var chunk in ChunksOf(point, cancel))
            needed.Add(index.KeyOf(index.Find(chunk)));
        await Objects.Seal(needed, until, cancel);
    }

    /// <summary>Tells of packs, and of those that were taken in.</summary>
    internal async Task WriteIndex(List<(string Key, IReadOnlyList<PackedChunk> Chunks)> packs, CancellationToken cancel)
    {
        packs.InsertRange(0, adopted);
        if (packs.Count > 0)
            await PutSmall(PoolIndex.NewKey(), PoolIndex.Write(packs), cancel);
        adopted = [];
    }

    internal async Task PutSmall(string key, byte[] plain, CancellationToken cancel)
    {
        var packed = Zstd.Compress(plain);
        var bytes = new byte[packed.Length + PoolKeys.TagSize];
        using (var seal = Keys.Of(key))
            seal.Seal(0, packed, [], bytes);
        await Objects.Put(key, bytes, cancel);
    }

    internal async Task<byte[]> OpenSmall(string key, CancellationToken cancel)
    {
        var bytes = await Objects.Read(key, 0, LargestPart, cancel);
        using var seal = Keys.Of(key);
        return Zstd.Expand(seal.Open(0, bytes, []), key, LargestPart);
    }

    public void Dispose()
    {
        indexing.Dispose();
        blocks.Clear();
    }
}
