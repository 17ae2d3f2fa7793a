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

    /// <summary>The same of content that comes little by little. A place that cannot take it so gathers it first.</summary>
    /// <param name="key">Of the new object.</param>
    /// <param name="content">Read to its end; nothing is left behind when that fails.</param>
    /// <param name="most">Bytes that it most likely does not exceed: a place with a limit keeps it all the same.</param>
    /// <param name="cancel">Leaves nothing.</param>
    /// <exception cref="RefusalException">As above.</exception>
    async Task Put(string key, Stream content, int most, CancellationToken cancel) =>
        await Put(key, await Gathered(content, cancel), cancel);

    internal static async Task<ReadOnlyMemory<byte>> Gathered(Stream content, CancellationToken cancel)
    {
        var gathered = new MemoryStream();
        await content.CopyToAsync(gathered, cancel);
        return gathered.GetBuffer().AsMemory(0, (int)gathered.Length);
    }

    /// <summary>The bytes [from, from + length), fewer at the object's end; a negative <paramref name="from"/> counts from the
    /// end.</summary>
    /// <exception cref="RefusalException">There is none (code <c>no-object</c>), or what lies there is not what was stored.</exception>
    Task<byte[]> Read(string key, long from, int length, CancellationToken cancel);

    /// <summary>The same into memory that is there, which saves who reads much the clearing up.</summary>
    /// <returns>How many bytes there were.</returns>
    /// <exception cref="RefusalException">As above; then some of the memory may be written over.</exception>
    async Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel)
    {
        var bytes = await Read(key, from, into.Length, cancel);
        bytes.CopyTo(into);
        return bytes.Length;
    }

    /// <summary>All objects under a prefix, in any order.</summary>
    Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel);

    /// <summary>Does nothing where there is none.</summary>
    Task Delete(string key, CancellationToken cancel);

    /// <summary>From now on nobody can remove these objects before a day, whoever asks and by whatever way. An earlier day than they are kept
    /// until already changes nothing.</summary>
    /// <exception cref="RefusalException">The place keeps nobody from it (code <c>cannot-seal</c>), or there is none of a key; then none is
    /// sealed.</exception>
    Task Seal(IReadOnlyCollection<string> keys, DateOnly until, CancellationToken cancel) =>
        throw new RefusalException(
            RefusalKind.Conflict,
            "cannot-seal",
            "Nobody can be kept from removing what lies here: only objects of a bucket are sealed."
        );
}

/// <param name="Key">Relative to the pool.</param>
/// <param name="Bytes">Its size.</param>
public sealed record PoolObject(string Key, long Bytes);
