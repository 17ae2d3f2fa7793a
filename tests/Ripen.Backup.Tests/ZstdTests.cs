using System.Text;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

public sealed class ZstdTests
{
    /// <summary>A chunk that shrinks by less is stored as it is.</summary>
    private const double Worth = 1.0 / 32;

    [Fact]
    public void Whatever_is_not_tried_would_hardly_have_shrunk()
    {
        var random = new Random(20261128);
        var left = 0;
        for (var times = 0; times < 400; times++)
        {
            var content = new byte[random.Next(1, 200_000)];
            random.NextBytes(content);
            // A part of it is of few different bytes, from none to nearly all.
            var poor = content.AsSpan(random.Next(content.Length));
            if (random.Next(3) > 0)
            {
                var kinds = random.Next(1, 255);
                foreach (ref var b in poor)
                    b %= (byte)kinds;
            }
            if (Zstd.MayShrink(content))
                continue;
            left++;
            Assert.InRange(Zstd.Compress(content).Length, content.Length * (1 - Worth), content.Length + 100);
        }
        Assert.InRange(left, 40, 360);
    }

    [Theory]
    [InlineData(16_384)]
    [InlineData(65_536)]
    [InlineData(1_000_003)]
    public void Random_bytes_are_not_tried(int bytes)
    {
        for (var seed = 0; seed < 50; seed++)
        {
            var content = new byte[bytes];
            new Random(seed).NextBytes(content);
            Assert.False(Zstd.MayShrink(content));
        }
    }

    /// <summary>Numbers of two, four and eight bytes, points and pixels: their lowest bytes are even, and all others shrink.</summary>
    [Theory]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(8)]
    [InlineData(12)]
    [InlineData(16)]
    public void Records_with_one_even_byte_are_tried_however_long_the_chunk_is(int recordBytes)
    {
        var random = new Random(20261128);
        for (var length = 16_384; length <= 262_144; length += 512)
        {
            var content = new byte[length];
            for (var at = 0; at < length; at += recordBytes)
                content[at] = (byte)random.Next(256);
            Assert.True(Zstd.MayShrink(content), $"{length} bytes");
        }
    }

    [Fact]
    public void Text_numbers_and_what_is_written_in_letters_are_tried()
    {
        var random = new Random(1);
        var noise = new byte[90_000];
        random.NextBytes(noise);
        Assert.True(Zstd.MayShrink(Encoding.ASCII.GetBytes(Convert.ToBase64String(noise))));
        Assert.True(Zstd.MayShrink(Enumerable.Range(0, 20_000).SelectMany(i => BitConverter.GetBytes(Math.Sqrt(i))).ToArray()));
        Assert.True(Zstd.MayShrink(new byte[100_000]));
        // Few bytes are not looked at.
        Assert.True(Zstd.MayShrink(noise.AsSpan(0, 100)));
    }
}
