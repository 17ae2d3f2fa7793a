using System.Runtime.InteropServices;
using Ripen.Backup.Pools;
using Ripen.Provider.Objects;

namespace Ripen.Server.Backups;

/// <summary>A pool's objects below a prefix of a bucket: metered, copied, aged and kept like everything else there.</summary>
internal sealed class BucketObjects(IObjectStore objects, string bucket, string prefix) : IPoolObjects
{
    public async Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        using var body = MemoryMarshal.TryGetArray(content, out var bytes)
            ? new MemoryStream(bytes.Array!, bytes.Offset, bytes.Count, writable: false, publiclyVisible: true)
            : new MemoryStream(content.ToArray(), writable: false);
        var conditions = new WriteConditions(WriteConditions.OnlyNew, Length: content.Length, SumOfBlocks: true);
        await objects.Write(bucket, prefix + key, body, conditions, cancel);
    }

    public async Task Put(string key, Stream content, int most, CancellationToken cancel) =>
        await objects.Write(bucket, prefix + key, content, new WriteConditions(WriteConditions.OnlyNew, SumOfBlocks: true), cancel);

    public async Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        using var opened = objects.Open(bucket, prefix + key, null);
        var (start, count) = Ranges.Of(from, length, opened.Version.Bytes);
        var bytes = new byte[count];
        using var body = new MemoryStream(bytes);
        await opened.Send(start, start + count, body, cancel);
        return bytes;
    }

    public async Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel)
    {
        using var opened = objects.Open(bucket, prefix + key, null);
        var (start, count) = Ranges.Of(from, into.Length, opened.Version.Bytes);
        if (!MemoryMarshal.TryGetArray<byte>(into, out var bytes))
            throw new ArgumentException("Only memory of an array can be read into.", nameof(into));
        using var body = new MemoryStream(bytes.Array!, bytes.Offset, bytes.Count);
        await opened.Send(start, start + count, body, cancel);
        return count;
    }

    public Task<IReadOnlyList<PoolObject>> List(string under, CancellationToken cancel)
    {
        var found = new List<PoolObject>();
        string? after = null;
        do
        {
            cancel.ThrowIfCancellationRequested();
            var page = objects.List(bucket, prefix + under, null, after, ListingPage.Most);
            found.AddRange(page.Objects.Select(o => new PoolObject(o.Key[prefix.Length..], o.Bytes)));
            after = page.Next;
        } while (after is not null);
        return Task.FromResult<IReadOnlyList<PoolObject>>(found);
    }

    public Task Seal(IReadOnlyCollection<string> keys, DateOnly until, CancellationToken cancel)
    {
        objects.Seal(bucket, [.. keys.Select(k => prefix + k)], until);
        return Task.CompletedTask;
    }

    public Task Delete(string key, CancellationToken cancel)
    {
        // For good: an earlier version of a pack would be paid for, and serve nobody.
        if (objects.Find(bucket, prefix + key, null) is { } there)
            objects.Delete(bucket, prefix + key, there.Version);
        return Task.CompletedTask;
    }
}
