using Microsoft.Win32.SafeHandles;

namespace Ripen.Backup.Pools;

/// <summary>A pool's objects as files of a directory: written beside, synced, and renamed into their place.</summary>
/// <param name="folder">Made when it is not there.</param>
/// <param name="capacityBytes">It takes no object that would bring it above; null for no limit but the disk's. What lets go of others
/// is always taken.</param>
public sealed class DirectoryObjects(string folder, long? capacityBytes = null) : IPoolObjects
{
    /// <summary>ENOSPC of POSIX, as Linux numbers it.</summary>
    private const int NoSpace = 28;

    private const int BufferBytes = 1 << 20;

    /// <summary>A <see cref="PoolPart"/>, where the pool lies in several directories.</summary>
    private const string MarkFile = ".part-of-a-pool";

    private readonly Lock counting = new();
    private long? stored;

    /// <summary>Of all objects together.</summary>
    public long StoredBytes
    {
        get
        {
            lock (counting)
                return stored ??= All().Sum(o => o.Bytes);
        }
    }

    public long ObjectCount => All().Count();

    public string Folder => folder;

    /// <summary>What it may still take: up to its capacity, and never more than the disk under it has left.</summary>
    public long FreeBytes
    {
        get
        {
            var disk = Disk.Under(folder).FreeBytes;
            return capacityBytes is { } limit ? Math.Clamp(limit - StoredBytes, 0, disk) : disk;
        }
    }

    public bool Has(string key) => File.Exists(PathOf(key));

    internal bool IsMarked => Has(MarkFile);

    /// <summary>Which part of a pool it is; null where all of one lies here, or none.</summary>
    /// <exception cref="RefusalException">It bears a mark that nobody can read.</exception>
    public PoolPart? Part => IsMarked ? PoolPart.Read(File.ReadAllBytes(PathOf(MarkFile)), PathOf(MarkFile)) : null;

    internal void Mark(PoolPart part)
    {
        Directory.CreateDirectory(folder);
        var beside = $"{PathOf(MarkFile)}.part";
        using (var file = new FileStream(beside, FileMode.Create, FileAccess.Write, FileShare.None))
        {
            file.Write(part.Write());
            file.Flush(flushToDisk: true);
        }
        File.Move(beside, PathOf(MarkFile), overwrite: true);
        Durable.Folder(folder);
    }

    internal void Unmark()
    {
        if (Directory.Exists(folder))
            File.Delete(PathOf(MarkFile));
    }

    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        DemandNew(key);
        if (!TryTake(key, content.Length))
            throw Full(content.Length);
        return Put(key, content.Length, file => file.WriteAsync(content, cancel));
    }

    /// <summary>Where that much may not fit it is gathered first: how much it is decides whether it is taken.</summary>
    public async Task Put(string key, Stream content, int most, CancellationToken cancel)
    {
        DemandNew(key);
        if (Disk.Under(folder).FreeBytes < most || !TryTake(key, most))
            await Put(key, await IPoolObjects.Gathered(content, cancel), cancel);
        else
            await Put(key, most, file => new ValueTask(content.CopyToAsync(file, BufferBytes, cancel)));
    }

    /// <param name="key">Of the new object.</param>
    /// <param name="taken">Room for so much; what is not needed is given back, and for more it is looked again.</param>
    /// <param name="write">Does.</param>
    private async Task Put(string key, long taken, Func<FileStream, ValueTask> write)
    {
        var path = PathOf(key);
        var beside = $"{path}.{Guid.NewGuid():N}.part";
        try
        {
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            long bytes;
            await using (
                var file = new FileStream(beside, FileMode.CreateNew, FileAccess.Write, FileShare.None, 0, FileOptions.Asynchronous)
            )
            {
                await write(file);
                bytes = file.Length;
                if (bytes > taken)
                {
                    if (!TryTake(key, bytes - taken))
                        throw Full(bytes);
                    taken = bytes;
                }
                file.Flush(flushToDisk: true);
            }
            File.Move(beside, path, overwrite: false);
            Durable.Folder(Path.GetDirectoryName(path)!);
            GiveBack(taken - bytes);
        }
        catch (Exception failed)
        {
            GiveBack(taken);
            File.Delete(beside);
            if (failed is IOException && (failed.HResult & 0xffff) == NoSpace)
                throw Full("the disk under it has no room left");
            throw;
        }
    }

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) =>
        Read(
            key,
            async file =>
            {
                var (at, count) = Ranges.Of(from, length, RandomAccess.GetLength(file));
                var bytes = new byte[count];
                await Fill(file, key, at, bytes, cancel);
                return bytes;
            }
        );

    public Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel) =>
        Read(
            key,
            async file =>
            {
                var (at, count) = Ranges.Of(from, into.Length, RandomAccess.GetLength(file));
                await Fill(file, key, at, into[..count], cancel);
                return count;
            }
        );

    private static async Task Fill(SafeFileHandle file, string key, long at, Memory<byte> bytes, CancellationToken cancel)
    {
        for (var read = 0; read < bytes.Length; )
        {
            var more = await RandomAccess.ReadAsync(file, bytes[read..], at + read, cancel);
            if (more == 0)
                throw Damage.Short(key);
            read += more;
        }
    }

    private async Task<T> Read<T>(string key, Func<SafeFileHandle, Task<T>> read)
    {
        try
        {
            using var file = File.OpenHandle(PathOf(key), options: FileOptions.Asynchronous);
            return await read(file);
        }
        catch (Exception gone) when (gone is FileNotFoundException or DirectoryNotFoundException)
        {
            throw RefusalException.NoObject(key);
        }
    }

    public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel)
    {
        return Task.FromResult<IReadOnlyList<PoolObject>>([.. All().Where(o => o.Key.StartsWith(prefix, StringComparison.Ordinal))]);
    }

    public Task Delete(string key, CancellationToken cancel)
    {
        var file = new FileInfo(PathOf(key));
        if (file.Exists)
        {
            var bytes = file.Length;
            file.Delete();
            GiveBack(bytes);
        }
        return Task.CompletedTask;
    }

    private IEnumerable<PoolObject> All() =>
        Directory.Exists(folder)
            ? new DirectoryInfo(folder)
                .EnumerateFiles("*", SearchOption.AllDirectories)
                .Where(f => f.Extension != ".part" && f.Name != MarkFile)
                .Select(f => new PoolObject(Path.GetRelativePath(folder, f.FullName), f.Length))
            : [];

    private bool TryTake(string key, long bytes)
    {
        lock (counting)
        {
            var now = StoredBytes;
            if (now + bytes > capacityBytes && !key.StartsWith(PoolPrune.Folder, StringComparison.Ordinal))
                return false;
            stored = now + bytes;
            return true;
        }
    }

    private void GiveBack(long bytes)
    {
        lock (counting)
            stored -= bytes;
    }

    private void DemandNew(string key)
    {
        if (Has(key))
            throw Exists(key);
    }

    internal static RefusalException Exists(string key) =>
        new(RefusalKind.Conflict, "exists", $"There is an object '{key}' in the pool already.");

    private RefusalException Full(long bytes) =>
        Full($"{Wording.Bytes(bytes)} more would bring it above {Wording.Bytes(capacityBytes!.Value)}");

    private static RefusalException Full(string why) =>
        new(
            RefusalKind.Full,
            "place-full",
            $"The place is full: {why}. Nothing that is there is harmed. Remove restore points and prune, or give the target more room."
        );

    private string PathOf(string key) => Path.Combine(folder, key);
}
