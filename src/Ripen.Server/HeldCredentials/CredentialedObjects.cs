using Ripen.Backup.Pools;
using Ripen.Provider.Access;

namespace Ripen.Server.HeldCredentials;

/// <summary>A place in a bucket that is reached with a credential: every call is asked for at the provider's gate, as one from outside
/// is.</summary>
internal sealed class CredentialedObjects(IPoolObjects place, CredentialBook book, string credential, string bucket, string prefix)
    : IPoolObjects
{
    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        Demand(key, Right.Write);
        return place.Put(key, content, cancel);
    }

    public Task Put(string key, Stream content, int most, CancellationToken cancel)
    {
        Demand(key, Right.Write);
        return place.Put(key, content, most, cancel);
    }

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        Demand(key, Right.Read);
        return place.Read(key, from, length, cancel);
    }

    public Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel)
    {
        Demand(key, Right.Read);
        return place.Read(key, from, into, cancel);
    }

    public Task<IReadOnlyList<PoolObject>> List(string under, CancellationToken cancel)
    {
        Demand(under, Right.List);
        return place.List(under, cancel);
    }

    public Task Delete(string key, CancellationToken cancel)
    {
        Demand(key, Right.DeleteVersions);
        return place.Delete(key, cancel);
    }

    public Task Seal(IReadOnlyCollection<string> keys, DateOnly until, CancellationToken cancel)
    {
        foreach (var key in keys)
            Demand(key, Right.Write);
        return place.Seal(keys, until, cancel);
    }

    private void Demand(string key, Right right) => book.Demand(credential, bucket, prefix + key, right);
}
