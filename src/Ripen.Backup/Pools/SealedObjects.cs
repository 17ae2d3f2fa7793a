namespace Ripen.Backup.Pools;

/// <summary>Objects that are one sealed part each: compressed where that makes them smaller, and written once.</summary>
internal sealed class SealedObjects(IPoolObjects objects, PoolKeys keys, bool compresses = true)
{
    private const byte Plain = 0;
    private const byte Compressed = 1;

    public IPoolObjects Raw => objects;

    public async Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        var packed = compresses ? Zstd.Compress(content.Span) : null;
        var isPacked = packed is not null && packed.Length < content.Length;
        var body = isPacked ? packed : content;
        var plain = new byte[1 + body.Length];
        plain[0] = isPacked ? Compressed : Plain;
        body.CopyTo(plain.AsMemory(1));
        var sealedBytes = new byte[plain.Length + PoolKeys.TagSize];
        using (var seal = keys.Of(key))
            seal.Seal(0, plain, [], sealedBytes);
        await objects.Put(key, sealedBytes, cancel);
    }

    /// <param name="key">Of the object.</param>
    /// <param name="most">More than that is no content of it.</param>
    /// <param name="cancel">Stops.</param>
    /// <exception cref="RefusalException">There is none (<c>no-object</c>), or a bit of it is not as it was written.</exception>
    public async Task<byte[]> Read(string key, int most, CancellationToken cancel)
    {
        var sealedBytes = await objects.Read(key, 0, most + 1 + PoolKeys.TagSize, cancel);
        using var seal = keys.Of(key);
        var plain = seal.Open(0, sealedBytes, []);
        return plain switch
        {
            [Plain, ..] => plain[1..],
            [Compressed, ..] => Zstd.Expand(plain.AsSpan(1), key, most),
            _ => throw Damage.Short(key),
        };
    }
}
