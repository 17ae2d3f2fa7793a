using System.Security.Cryptography;
using Ripen.Core.Hashing;

namespace Ripen.Core.Tests;

public sealed class ManySha256Tests
{
    /// <summary>FIPS 180-4's example of one block, and of none: https://csrc.nist.gov/projects/cryptographic-standards-and-guidelines/example-values.
    /// The other is a million times "a".</summary>
    [Theory]
    [InlineData("", 1, "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855")]
    [InlineData("abc", 1, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad")]
    [InlineData("a", 1_000_000, "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0")]
    public void Published_values_come_out(string text, int times, string hash)
    {
        var message = System.Text.Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat(text, times)));
        var hashes = ManySha256.Hash([.. Enumerable.Repeat<ReadOnlyMemory<byte>>(message, 9)]);
        Assert.All(hashes.Chunk(ManySha256.Size), h => Assert.Equal(hash, Convert.ToHexStringLower(h)));
    }

    [Fact]
    public void As_many_as_there_are_lanes_give_each_its_own_whatever_the_processor_has()
    {
        Assert.SkipUnless(Sha256Lanes.CanBeUsed, "This processor has no vectors of eight words.");
        for (var count = 1; count <= Sha256Lanes.Count; count++)
        {
            foreach (var length in new[] { 0, 64, 128, 1 << 16 })
            {
                var messages = Messages(new Random(count), Enumerable.Repeat(length, count));
                var hashes = new byte[count * ManySha256.Size];
                ManySha256.HashInLanes(messages, hashes);
                Assert.Equal(OneByOne(messages), Convert.ToHexString(hashes));
            }
        }
    }

    [Fact]
    public void Any_number_of_messages_of_any_lengths_give_what_the_system_gives()
    {
        var random = new Random(20261128);
        for (var times = 0; times < 200; times++)
        {
            var usual = random.Next(100) * 64;
            var messages = Messages(
                random,
                Enumerable.Range(0, random.Next(30)).Select(_ => random.Next(4) == 0 ? random.Next(5000) : usual)
            );
            Assert.Equal(OneByOne(messages), Convert.ToHexString(ManySha256.Hash(messages)));
        }
    }

    private static ReadOnlyMemory<byte>[] Messages(Random random, IEnumerable<int> lengths) =>
        [
            .. lengths.Select(length =>
            {
                var message = new byte[length];
                random.NextBytes(message);
                return (ReadOnlyMemory<byte>)message;
            }),
        ];

    private static string OneByOne(ReadOnlyMemory<byte>[] messages) =>
        string.Concat(messages.Select(m => Convert.ToHexString(SHA256.HashData(m.Span))));
}
