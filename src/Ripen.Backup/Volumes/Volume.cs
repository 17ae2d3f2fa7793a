using System.Collections.Concurrent;
using System.Security.Cryptography;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Volumes;

/// <summary>The local disk of a volume.</summary>
/// <param name="Folder">Of this volume alone; made when it is not there.</param>
/// <param name="JournalBytes">What may be acknowledged and not yet be in the bucket; a single write may go above.</param>
/// <param name="ReadBytes">Blocks that are kept near.</param>
public sealed record VolumeDisk(string Folder, long JournalBytes, long ReadBytes)
{
    /// <summary>How long a write waits for others before it goes to the bucket.</summary>
    public TimeSpan Lag { get; init; } = TimeSpan.FromSeconds(5);
}

/// <summary>How a volume stands.</summary>
/// <param name="JournalBytes">Acknowledged and not yet in the bucket, with its heads; 0: everything is there.</param>
/// <param name="CachedBytes">Blocks of the bucket that lie near.</param>
/// <param name="StoredBlocks">Blocks that hold something, in the bucket.</param>
/// <param name="LocalReads">Reads of blocks answered without the bucket, since it was opened.</param>
/// <param name="FarReads">Reads of blocks that had to ask it.</param>
/// <param name="Failure">Why the bucket takes nothing at the moment; it is tried again and again.</param>
public sealed record VolumeStatus(long JournalBytes, long CachedBytes, long StoredBlocks, long LocalReads, long FarReads, string? Failure);

/// <summary>
/// A block device of any size whose blocks lie in a bucket. A write is acknowledged when it is in the journal on the local disk for good;
/// from there it goes to the bucket in checkpoints, each of which is a state that the volume had. A block in the bucket is never
/// overwritten: a checkpoint writes new ones and then, as the one step that counts, the map that says which block is which.
/// </summary>
public sealed class Volume : IBlockDevice, IAsyncDisposable
{
    public const int UsualBlockBytes = 1 << 20;

    private const int PageBytes = JournalSegment.PageBytes;

    private readonly SealedObjects objects;
    private readonly ReadCache cache;
    private readonly VolumeJournal journal;
    private readonly Checkpoints checkpoints;
    private readonly FileStream disk;
    private readonly ConcurrentDictionary<(long, long), Lazy<Task<byte[]>>> fetches = [];
    private long localReads;
    private long farReads;

    private Volume(
        VolumeDescription description,
        SealedObjects objects,
        ReadCache cache,
        VolumeJournal journal,
        Checkpoints checkpoints,
        FileStream disk
    )
    {
        Description = description;
        this.objects = objects;
        this.cache = cache;
        this.journal = journal;
        this.checkpoints = checkpoints;
        this.disk = disk;
    }

    public VolumeDescription Description { get; }

    public long SizeBytes => Description.SizeBytes;

    public bool IsReadOnly => false;

    public VolumeStatus Status =>
        new(
            journal.Bytes,
            cache.Bytes,
            checkpoints.StoredBlocks,
            Interlocked.Read(ref localReads),
            Interlocked.Read(ref farReads),
            checkpoints.Failure
        );

    /// <returns>The secret that opens it.</returns>
    /// <exception cref="RefusalException">There is one already (code <c>exists</c>).</exception>
    public static async Task<byte[]> Create(
        IPoolObjects objects,
        long sizeBytes,
        int blockBytes,
        string? passphrase,
        DateTimeOffset now,
        CancellationToken cancel
    )
    {
        var secret = RandomNumberGenerator.GetBytes(PoolKeys.Size);
        var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
        var description = new VolumeDescription
        {
            Format = VolumeDescription.Newest,
            Id = id,
            Made = now,
            SizeBytes = sizeBytes,
            BlockBytes = blockBytes,
            Encrypts = passphrase is not null,
            Wrapped = WrappedSecret.Of(secret, passphrase, id),
        };
        await objects.Put(VolumeDescription.Key, description.Write(), cancel);
        return secret;
    }

    /// <summary>Opens it for this machine: whoever had it open before can write nothing into it any more.</summary>
    /// <exception cref="RefusalException">There is none, its secret is another one, something of it is damaged, or the local disk holds
    /// writes that it has gone past (code <c>taken-over</c>).</exception>
    /// <exception cref="IOException">The local disk is in use by another process.</exception>
    public static async Task<Volume> Open(IPoolObjects objects, byte[] secret, VolumeDisk disk, CancellationToken cancel)
    {
        var description = await VolumeDescription.Read(objects, cancel);
        Directory.CreateDirectory(disk.Folder);
        var inUse = new FileStream(Path.Combine(disk.Folder, "in-use"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        try
        {
            var stored = new SealedObjects(objects, new PoolKeys(secret));
            var journal = VolumeJournal.Open(disk, description);
            try
            {
                var state = await Checkpoints.Load(stored, description, journal.Owner, journal.Bytes > 0, cancel);
                var cache = new ReadCache(disk.Folder, disk.ReadBytes, description.BlockBytes);
                var checkpoints = new Checkpoints(stored, description, journal, cache, state, disk.Lag);
                var volume = new Volume(description, stored, cache, journal, checkpoints, inUse);
                journal.Start(volume.Read, checkpoints);
                checkpoints.Start(volume.ReadStored);
                return volume;
            }
            catch
            {
                await journal.DisposeAsync();
                throw;
            }
        }
        catch
        {
            await inUse.DisposeAsync();
            throw;
        }
    }

    public async Task Read(long offset, Memory<byte> into, CancellationToken cancel)
    {
        Demand(offset, into.Length);
        while (into.Length > 0)
        {
            var (block, within) = Math.DivRem(offset, Description.BlockBytes);
            var count = (int)Math.Min(Description.BlockBytes - within, into.Length);
            await ReadOf(block, (int)within, into[..count], cancel);
            into = into[count..];
            offset += count;
        }
    }

    public Task Write(long offset, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        Demand(offset, content.Length);
        return content.Length == 0 ? Task.CompletedTask : journal.Write(offset, content.Length, content, cancel);
    }

    public Task Zero(long offset, long bytes, CancellationToken cancel)
    {
        Demand(offset, bytes);
        return bytes == 0 ? Task.CompletedTask : journal.Write(offset, bytes, null, cancel);
    }

    public IReadOnlyList<DeviceExtent> Extents(long offset, long bytes)
    {
        Demand(offset, bytes);
        return journal.Extents(offset, bytes, checkpoints);
    }

    /// <summary>On return everything that was acknowledged before is in the bucket.</summary>
    public Task Drain(CancellationToken cancel) => checkpoints.Drain(cancel);

    /// <summary>Keeps the volume as it is now.</summary>
    /// <param name="name">For people.</param>
    /// <param name="scheduled">Whether a schedule asked for it, and may remove it.</param>
    /// <param name="now">The time that it bears.</param>
    /// <param name="cancel">Stops.</param>
    public Task<VolumeSnapshot> TakeSnapshot(string name, bool scheduled, DateTimeOffset now, CancellationToken cancel) =>
        checkpoints.TakeSnapshot(name, scheduled, now, cancel);

    /// <summary>Oldest first.</summary>
    public IReadOnlyList<VolumeSnapshot> Snapshots => checkpoints.Snapshots;

    /// <exception cref="RefusalException">There is none of this id.</exception>
    public Task RemoveSnapshot(string id, CancellationToken cancel) => checkpoints.RemoveSnapshot(id, cancel);

    /// <summary>The volume as it was, for reading.</summary>
    /// <exception cref="RefusalException">There is none of this id, or it is damaged.</exception>
    public async Task<IBlockDevice> OpenSnapshot(string id, CancellationToken cancel) =>
        new SnapshotDevice(Description, await checkpoints.MapOf(id, cancel), ReadStored);

    /// <summary>Lets go of the local disk. What is in the journal stays there for the next <see cref="Open"/>.</summary>
    public async ValueTask DisposeAsync()
    {
        await checkpoints.DisposeAsync();
        await journal.DisposeAsync();
        cache.Dispose();
        await disk.DisposeAsync();
    }

    private async Task ReadOf(long block, int from, Memory<byte> into, CancellationToken cancel)
    {
        while (true)
        {
            using var view = journal.Look(block, from, into.Length, checkpoints);
            if (!view.NeedsStored || await TryReadStored(block, view.Checkpoint, from, into, cancel))
            {
                view.Lay(from, into.Span);
                return;
            }
            // Meanwhile another checkpoint took its place, and the block that was meant is gone.
        }
    }

    private async Task<bool> TryReadStored(long block, long checkpoint, int from, Memory<byte> into, CancellationToken cancel)
    {
        try
        {
            await ReadStored(block, checkpoint, from, into, cancel);
            return true;
        }
        catch (RefusalException gone) when (gone.Code == "no-object" && checkpoints.Of(block) != checkpoint)
        {
            return false;
        }
    }

    /// <summary>From the cache, or from the bucket and into the cache.</summary>
    private async Task ReadStored(long block, long checkpoint, int from, Memory<byte> into, CancellationToken cancel)
    {
        if (checkpoint == 0)
        {
            into.Span.Clear();
            return;
        }
        if (cache.TryRead(block, checkpoint, from, into.Span))
        {
            Interlocked.Increment(ref localReads);
            return;
        }
        Interlocked.Increment(ref farReads);
        var fetch = fetches.GetOrAdd((block, checkpoint), key => new Lazy<Task<byte[]>>(() => Fetch(key.Item1, key.Item2)));
        try
        {
            (await fetch.Value.WaitAsync(cancel)).AsMemory(from, into.Length).CopyTo(into);
        }
        finally
        {
            fetches.TryRemove(KeyValuePair.Create((block, checkpoint), fetch));
        }
    }

    private async Task<byte[]> Fetch(long block, long checkpoint)
    {
        var key = VolumeNames.Block(block, checkpoint);
        var content = await objects.Read(key, Description.BlockBytes, CancellationToken.None);
        if (content.Length != Description.BlockBytes)
            throw Damage.Short(key);
        cache.Add(block, checkpoint, content);
        return content;
    }

    private void Demand(long offset, long bytes)
    {
        if (offset < 0 || bytes < 0 || offset > SizeBytes - bytes)
            throw new RefusalException(
                RefusalKind.Invalid,
                "beyond-the-end",
                $"The volume has {SizeBytes:#,0} bytes; {bytes:#,0} from byte {offset:#,0} on are not all in it."
            );
    }
}
