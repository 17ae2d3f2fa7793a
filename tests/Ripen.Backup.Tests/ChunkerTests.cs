using Ripen.Backup.Chunking;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

public sealed class ChunkerTests
{
    private static readonly IReadOnlyList<ulong> Gear = new PoolKeys(new byte[32]).Gear;

    private static List<byte[]> Chunks(Chunker chunker, byte[] content)
    {
        var lengths = new List<int>();
        Assert.Equal(content.Length, chunker.Cut(content, ended: true, lengths));
        return Pieces(content, lengths);
    }

    private static List<byte[]> Pieces(ReadOnlySpan<byte> content, IEnumerable<int> lengths)
    {
        var pieces = new List<byte[]>();
        foreach (var length in lengths)
        {
            pieces.Add(content[..length].ToArray());
            content = content[length..];
        }
        Assert.True(content.IsEmpty);
        return pieces;
    }

    [Theory]
    [InlineData(256)]
    [InlineData(4096)]
    [InlineData(65536)]
    public void Chunks_make_up_the_content_within_their_bounds_and_are_about_the_average(int average)
    {
        var random = new Random(20261126);
        var chunker = new Chunker(Gear, average);
        foreach (var size in new[] { 0, 1, average / 4, average, average * 4, (average * 4) + 1, average * 400 })
        {
            var content = new byte[size];
            random.NextBytes(content);
            var chunks = Chunks(chunker, content);
            Assert.Equal(content, chunks.SelectMany(c => c));
            Assert.All(chunks.SkipLast(1), c => Assert.InRange(c.Length, chunker.Smallest, chunker.Largest));
            if (chunks.Count > 100)
                Assert.InRange(size / (double)chunks.Count, average * 0.7, average * 1.6);
        }
    }

    [Fact]
    public void An_insertion_moves_the_cuts_around_it_and_no_others()
    {
        var content = new byte[4_000_000];
        new Random(7).NextBytes(content);
        byte[] changed = [.. content[..1_500_000], .. "and something more"u8, .. content[1_500_000..]];
        var chunker = new Chunker(Gear, 4096);
        var before = Chunks(chunker, content).Select(Convert.ToBase64String).ToHashSet();
        var anew = Chunks(chunker, changed).Where(c => !before.Contains(Convert.ToBase64String(c))).ToList();
        Assert.InRange(anew.Count, 1, 4);
    }

    [Fact]
    public void Another_pools_table_cuts_elsewhere()
    {
        var content = new byte[200_000];
        new Random(7).NextBytes(content);
        var other = new PoolKeys([.. Enumerable.Repeat((byte)1, 32)]).Gear;
        Assert.NotEqual(
            Chunks(new Chunker(Gear, 4096), content).Select(c => c.Length),
            Chunks(new Chunker(other, 4096), content).Select(c => c.Length)
        );
    }

    [Theory]
    [InlineData(0, 1 << 16)]
    [InlineData((1L << 34) - 1, 1 << 16)]
    [InlineData(1L << 34, 1 << 17)]
    [InlineData(1L << 38, 1 << 19)]
    [InlineData(1L << 40, 1 << 20)]
    [InlineData(1L << 50, 1 << 20)]
    public void Larger_sources_have_larger_chunks(long bytes, int average) => Assert.Equal(average, Chunker.AverageFor(bytes));

    [Fact]
    public void What_is_not_the_end_is_cut_only_where_more_content_would_not_cut_it_otherwise()
    {
        var random = new Random(20261128);
        var chunker = new Chunker(Gear, 256);
        for (var times = 0; times < 500; times++)
        {
            var content = new byte[random.Next(5000)];
            random.NextBytes(content);
            var (sure, all) = (new List<int>(), new List<int>());
            var cut = chunker.Cut(content.AsSpan(0, random.Next(content.Length + 1)), ended: false, sure);
            chunker.Cut(content, ended: true, all);
            Assert.Equal(sure.Sum(), cut);
            Assert.Equal(sure, all.Take(sure.Count));
        }
    }
}
