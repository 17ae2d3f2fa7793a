using System.Security.Cryptography;
using System.Text;
using Ripen.Backup.Pools;
using Ripen.Core.Hashing;

namespace Ripen.Backup.Tests;

public sealed class ManyHmacsTests
{
    /// <summary>RFC 4231, section 4: the test cases whose keys are not longer than a block.</summary>
    [Theory]
    [InlineData("0b*20", "4869205468657265", "b0344c61d8db38535ca8afceaf0bf12b881dc200c9833da726e9376c2e32cff7")]
    [InlineData(
        "4a656665",
        "7768617420646f2079612077616e7420666f72206e6f7468696e673f",
        "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843"
    )]
    [InlineData("aa*20", "dd*50", "773ea91e36800e46854db8ebd09181a72959098b3ef8c122d9635514ced565fe")]
    [InlineData(
        "0102030405060708090a0b0c0d0e0f10111213141516171819",
        "cd*50",
        "82558a389a443c0ea4cc819899f2083a85f0faa3e578f8077a2e3ff46729665b"
    )]
    public void Published_values_come_out(string key, string message, string hash)
    {
        Assert.SkipUnless(Sha256Lanes.CanBeUsed, "This processor has no vectors of eight words.");
        var content = Bytes(message);
        // The same in nine lanes' work, so that one lane takes a second message.
        var hashes = new byte[9 * ManyHmacs.Size];
        new ManyHmacs(Bytes(key)).HashInLanes(
            Enumerable.Repeat(content, 9).SelectMany(c => c).ToArray(),
            [.. Enumerable.Repeat(content.Length, 9)],
            hashes
        );
        Assert.All(hashes.Chunk(ManyHmacs.Size), h => Assert.Equal(hash, Convert.ToHexStringLower(h)));
    }

    [Fact]
    public void Lanes_give_what_the_system_gives_for_any_number_of_messages_of_any_length()
    {
        Assert.SkipUnless(Sha256Lanes.CanBeUsed, "This processor has no vectors of eight words.");
        var random = new Random(20261127);
        for (var times = 0; times < 300; times++)
        {
            var key = new byte[random.Next(65)];
            random.NextBytes(key);
            int[] lengths = [.. Enumerable.Range(0, random.Next(40)).Select(_ => times % 3 == 0 ? random.Next(70_000) : random.Next(200))];
            var content = new byte[lengths.Sum()];
            random.NextBytes(content);
            var hashes = new byte[lengths.Length * ManyHmacs.Size];
            new ManyHmacs(key).HashInLanes(content, lengths, hashes);
            var from = 0;
            for (var i = 0; i < lengths.Length; from += lengths[i++])
                Assert.Equal(
                    Convert.ToHexString(HMACSHA256.HashData(key, content.AsSpan(from, lengths[i]))),
                    Convert.ToHexString(hashes, i * ManyHmacs.Size, ManyHmacs.Size)
                );
        }
    }

    [Fact]
    public void Ids_of_many_chunks_are_those_of_each()
    {
        var keys = new PoolKeys(new byte[PoolKeys.Size]);
        string[] chunks = ["berth", "", "tide tables", "crew", "quay", new string('x', 500)];
        var ids = new byte[chunks.Length * ChunkId.Size];
        keys.WriteIds(Encoding.UTF8.GetBytes(string.Concat(chunks)), [.. chunks.Select(c => c.Length)], ids);
        Assert.Equal(chunks.Select(c => keys.IdOf(Encoding.UTF8.GetBytes(c))), ids.Chunk(ChunkId.Size).Select(i => ChunkId.Read(i)));
    }

    /// <summary>Hexadecimal, or one byte so many times.</summary>
    private static byte[] Bytes(string text) =>
        text.Split('*') is [var one, var times]
            ? [.. Enumerable.Repeat(Convert.FromHexString(one)[0], int.Parse(times))]
            : Convert.FromHexString(text);
}
