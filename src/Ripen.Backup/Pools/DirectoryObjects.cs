namespace Ripen.Backup.Pools;

/// <summary>A pool's objects as files of a directory: written beside, synced, and renamed into their place.</summary>
/// <param name="folder">Made when it is not there.</param>
public sealed class DirectoryObjects(string folder) : IPoolObjects
{
    public async Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        var path = PathOf(key);
        if (File.Exists(path))
            throw new RefusalException(RefusalKind.Conflict, "exists", $"There is an object '{key}' in the pool already.");
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        var beside = $"{path}.{Guid.NewGuid():N}.part";
        try
        {
            await using (
                var file = new FileStream(beside, FileMode.CreateNew, FileAccess.Write, FileShare.None, 0, FileOptions.Asynchronous)
            )
            {
                await file.WriteAsync(content, cancel);
                file.Flush(flushToDisk: true);
            }
            File.Move(beside, path, overwrite: false);
        }
        catch
        {
            File.Delete(beside);
            throw;
        }
    }

    public async Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        try
        {
            using var file = File.OpenHandle(PathOf(key), options: FileOptions.Asynchronous);
            var (at, count) = Ranges.Of(from, length, RandomAccess.GetLength(file));
            var bytes = new byte[count];
            for (var read = 0; read < count; )
            {
                var more = await RandomAccess.ReadAsync(file, bytes.AsMemory(read), at + read, cancel);
                if (more == 0)
                    throw Damage.Short(key);
                read += more;
            }
            return bytes;
        }
        catch (Exception gone) when (gone is FileNotFoundException or DirectoryNotFoundException)
        {
            throw RefusalException.NoObject(key);
        }
    }

    public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel)
    {
        if (!Directory.Exists(folder))
            return Task.FromResult<IReadOnlyList<PoolObject>>([]);
        return Task.FromResult<IReadOnlyList<PoolObject>>([
            .. new DirectoryInfo(folder)
                .EnumerateFiles("*", SearchOption.AllDirectories)
                .Where(f => f.Extension != ".part")
                .Select(f => new PoolObject(Path.GetRelativePath(folder, f.FullName), f.Length))
                .Where(o => o.Key.StartsWith(prefix, StringComparison.Ordinal)),
        ]);
    }

    public Task Delete(string key, CancellationToken cancel)
    {
        if (File.Exists(PathOf(key)))
            File.Delete(PathOf(key));
        return Task.CompletedTask;
    }

    private string PathOf(string key) => Path.Combine(folder, key);
}
