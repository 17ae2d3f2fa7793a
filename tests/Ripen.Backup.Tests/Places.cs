using System.Collections.Concurrent;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

/// <summary>A place that dies after so many changes: nothing is written or deleted from then on.</summary>
internal sealed class Deadly(IPoolObjects objects, int changes, string below = "") : IPoolObjects
{
    private int left = changes;

    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) =>
        Dies(key) ? throw new IOException("Killed.") : objects.Put(key, content, cancel);

    public Task Delete(string key, CancellationToken cancel) => Dies(key) ? throw new IOException("Killed.") : objects.Delete(key, cancel);

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => objects.Read(key, from, length, cancel);

    public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => objects.List(prefix, cancel);

    private bool Dies(string key) => key.StartsWith(below, StringComparison.Ordinal) && Interlocked.Decrement(ref left) < 0;
}

/// <summary>A place in memory.</summary>
internal sealed class MemoryObjects : IPoolObjects
{
    public ConcurrentDictionary<string, byte[]> All { get; } = new(StringComparer.Ordinal);

    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) =>
        All.TryAdd(key, content.ToArray())
            ? Task.CompletedTask
            : throw new RefusalException(RefusalKind.Conflict, "exists", $"There is an object '{key}' already.");

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        if (!All.TryGetValue(key, out var content))
            throw RefusalException.NoObject(key);
        var (at, count) = Ranges.Of(from, length, content.Length);
        return Task.FromResult(content.AsSpan((int)at, count).ToArray());
    }

    public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<PoolObject>>([
            .. All.Where(o => o.Key.StartsWith(prefix, StringComparison.Ordinal)).Select(o => new PoolObject(o.Key, o.Value.Length)),
        ]);

    public Task Delete(string key, CancellationToken cancel)
    {
        All.TryRemove(key, out _);
        return Task.CompletedTask;
    }
}

/// <summary>The machine's clock, so much later.</summary>
internal sealed class Shifted(TimeSpan by) : TimeProvider
{
    public override DateTimeOffset GetUtcNow() => System.GetUtcNow() + by;
}
