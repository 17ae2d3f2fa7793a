using Ripen.Backup.Restores;
using Ripen.Provider;
using Ripen.Provider.Objects;

namespace Ripen.Server.Backups;

/// <summary>Objects of a bucket below a prefix, into which a point is restored; metered like all that comes there.</summary>
internal sealed class BucketRestore(IObjectStore objects, string bucket, string prefix) : IRestoredObjects
{
    public bool IsEmpty => objects.List(bucket, prefix, null, null, 1) is { Objects.Count: 0, Batches.Count: 0 };

    public bool Has(string key) => objects.Find(bucket, prefix + key, null) is { IsDeletion: false };

    public async Task Put(string key, Stream content, long bytes, CancellationToken cancel) =>
        await objects.Write(bucket, prefix + key, content, new WriteConditions(Length: bytes), cancel);

    public async Task Read(string key, Stream into, CancellationToken cancel)
    {
        using var opened = objects.Open(bucket, prefix + key, null);
        await opened.Send(0, opened.Version.Bytes, into, cancel);
    }
}
