namespace Ripen.Backup.Pools;

/// <summary>
/// Where a pool's objects lie: below a prefix of a bucket, or in a directory. An object is whole or not there; keys are unique, relative
/// to the pool, of ASCII letters, digits, '-', '.' and '/'.
/// </summary>
public interface IPoolObjects
{
    /// <summary>Puts a new object; whole and durable on return.</summary>
    /// <exception cref="RefusalException">There is one of this key (code <c>exists</c>), or the place takes nothing.</exception>
    Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel);

    /// <summary>The bytes [from, from + length), fewer at the object's end; a negative <paramref name="from"/> counts from the
    /// end.</summary>
    /// <exception cref="RefusalException">There is none (code <c>no-object</c>), or what lies there is not what was stored.</exception>
    Task<byte[]> Read(string key, long from, int length, CancellationToken cancel);

    /// <summary>All objects under a prefix, in any order.</summary>
    Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel);

    /// <summary>Does nothing where there is none.</summary>
    Task Delete(string key, CancellationToken cancel);
}

/// <param name="Key">Relative to the pool.</param>
/// <param name="Bytes">Its size.</param>
public sealed record PoolObject(string Key, long Bytes);
