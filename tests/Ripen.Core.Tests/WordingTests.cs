namespace Ripen.Core.Tests;

/// <summary>Numbers in sentences. Units by IEC 80000-13: kB, MB and so on are powers of ten.</summary>
public sealed class WordingTests
{
    [Theory]
    [InlineData(0, "0 objects")]
    [InlineData(0.2, "less than one object")]
    [InlineData(0.9, "1 object")]
    [InlineData(1, "1 object")]
    [InlineData(118_655.11, "118,655 objects")]
    public void Objects_are_whole(double count, string words) => Assert.Equal(words, Wording.Objects(count));

    [Theory]
    [InlineData(0, "0 bytes")]
    [InlineData(999, "999 bytes")]
    [InlineData(1000, "1 kB")]
    [InlineData(1_234_567, "1.23 MB")]
    [InlineData(16_100_000_000, "16.1 GB")]
    [InlineData(999_600, "1 MB")]
    [InlineData(5.4e10, "54 GB")]
    [InlineData(2.5e21, "2500 EB")]
    public void Bytes_have_three_digits(double bytes, string words) => Assert.Equal(words, Wording.Bytes(bytes));
}
