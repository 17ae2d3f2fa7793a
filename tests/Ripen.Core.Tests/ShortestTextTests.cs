using System.Globalization;
using System.Text;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

/// <summary>Against the text that .NET's own library gives, which reads back since .NET Core 3.0 (IEEE 754-2008, 5.12.2).</summary>
public class ShortestTextTests
{
    [Fact]
    public void Any_double_is_written_as_the_library_writes_it()
    {
        var random = new Random(Randomly.Seed);
        var (least, most) = (BitConverter.DoubleToInt64Bits(1e-7), BitConverter.DoubleToInt64Bits(1e18));
        for (var i = Randomly.Times(1_000_000); i > 0; i--)
        {
            Holds(BitConverter.Int64BitsToDouble(random.NextInt64(least, most)));
            Holds(-random.NextInt64(1, 100_000_000) / 10_000.0);
            Holds(BitConverter.Int64BitsToDouble(random.NextInt64()));
        }
    }

    [Fact]
    public void Powers_their_neighbours_and_numbers_half_way_between_two_texts_are_written_as_the_library_writes_them()
    {
        foreach (
            var power in Enumerable
                .Range(-70, 130)
                .Select(p => Math.Pow(2, p))
                .Concat(Enumerable.Range(-20, 40).Select(p => Math.Pow(10, p)))
        )
        {
            foreach (var times in (double[])[1, 2, 3, 5, 7, 9])
            {
                Holds(power * times);
                Holds(Math.BitIncrement(power * times));
                Holds(Math.BitDecrement(power * times));
            }
        }
        for (var eighths = 8 * 600_000_000_000_000L; eighths < (8 * 600_000_000_000_000L) + 8_000; eighths++)
            Holds(eighths / 8.0);
        foreach (
            var value in (double[])
                [0, -0.0, double.NaN, double.PositiveInfinity, double.NegativeInfinity, double.Epsilon, double.MinValue, double.MaxValue]
        )
            Holds(value);
    }

    private static void Holds(double value)
    {
        Span<byte> room = stackalloc byte[ShortestText.MostBytes];
        var text = Encoding.ASCII.GetString(room[..ShortestText.Write(value, room)]);
        if (text != value.ToString(CultureInfo.InvariantCulture))
            Assert.Equal(value.ToString(CultureInfo.InvariantCulture), text);
    }
}
