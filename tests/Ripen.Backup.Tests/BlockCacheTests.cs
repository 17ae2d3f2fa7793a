using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

public sealed class BlockCacheTests
{
    private const int BlockBytes = 4 << 20;
    private readonly Counting objects = new();

    [Fact]
    public async Task Many_readers_at_once_get_the_bytes_that_are_there_and_each_block_is_asked_for_once()
    {
        var packs = Enumerable.Range(0, 3).Select(i => Pack($"pack-{i}", (2 * BlockBytes) - (i * 1_000_003), seed: i)).ToList();
        var cache = new BlockCache(objects);
        var random = new Random(20261128);
        var parts = Enumerable
            .Range(0, 500)
            .Select(_ =>
            {
                var pack = random.Next(packs.Count);
                var from = random.Next(packs[pack].Length);
                return (pack, from, Length: random.Next(1, Math.Min(200_000, packs[pack].Length - from + 1)));
            })
            .ToList();
        await Parallel.ForEachAsync(
            parts,
            async (part, _) =>
            {
                using var into = ChunkContent.OfLength(part.Length);
                await cache.Read($"pack-{part.pack}", part.from, into);
                Assert.True(packs[part.pack].AsSpan(part.from, part.Length).SequenceEqual(into.Span));
            }
        );
        Assert.Equal(6, objects.Reads);
    }

    [Fact]
    public async Task More_than_it_keeps_is_read_again_and_right_whoever_asks_meanwhile()
    {
        var pack = Pack("large", 12 * BlockBytes, seed: 5);
        var cache = new BlockCache(objects);
        await Parallel.ForEachAsync(
            Enumerable.Range(0, 400),
            async (i, _) =>
            {
                var from = i * 7919L * 1009 % (pack.Length - 10_000);
                using var into = ChunkContent.OfLength(10_000);
                await cache.Read("large", from, into);
                Assert.True(pack.AsSpan((int)from, 10_000).SequenceEqual(into.Span));
            }
        );
    }

    [Fact]
    public async Task What_could_not_be_read_is_asked_for_again_and_what_is_short_is_damage()
    {
        var cache = new BlockCache(objects);
        using var into = ChunkContent.OfLength(100);
        var none = await Assert.ThrowsAsync<RefusalException>(() => cache.Read("late", 0, into));
        Assert.Equal("no-object", none.Code);
        var pack = Pack("late", 1000, seed: 1);
        await cache.Read("late", 900, into);
        Assert.True(pack.AsSpan(900).SequenceEqual(into.Span));
        var cut = await Assert.ThrowsAsync<RefusalException>(() => cache.Read("late", 901, into));
        Assert.Equal(RefusalKind.Damaged, cut.Kind);
        Assert.Equal(RefusalKind.Damaged, (await Assert.ThrowsAsync<RefusalException>(() => cache.Read("late", 5000, into))).Kind);
    }

    private byte[] Pack(string key, int bytes, int seed)
    {
        var content = new byte[bytes];
        new Random(seed).NextBytes(content);
        objects.Memory.All[key] = content;
        return content;
    }

    private sealed class Counting : IPoolObjects
    {
        private int reads;

        public MemoryObjects Memory { get; } = new();

        public int Reads => reads;

        public async Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
        {
            Interlocked.Increment(ref reads);
            await Task.Yield();
            return await Memory.Read(key, from, length, cancel);
        }

        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) => Memory.Put(key, content, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => Memory.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => Memory.Delete(key, cancel);
    }
}
