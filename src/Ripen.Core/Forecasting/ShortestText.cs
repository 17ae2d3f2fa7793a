using System.Globalization;

namespace Ripen.Core.Forecasting;

/// <summary>
/// Doubles as <see cref="double.ToString()"/> writes them: the shortest text that reads back to the very same double, and of those the
/// closest. A forecast may have a million of them, and they are most of the work of writing it.
/// </summary>
public static class ShortestText
{
    /// <summary>What a text takes at most: a sign, 17 digits, a point and an exponent or zeros, in ASCII.</summary>
    public const int MostBytes = 24;

    private const int FractionBits = 52;
    private const int ExponentBias = 1023 + FractionBits;

    /// <summary>Plain notation needs no more, so that a double times one of them is whole and exact in 128 bits.</summary>
    private static readonly UInt128[] PowersOfTen = Powers(20);

    /// <summary>Writes a double's text into <paramref name="room"/>, of at least <see cref="MostBytes"/>, and gives its length.</summary>
    public static int Write(double value, Span<byte> room)
    {
        if (Math.Abs(value) is not (>= 1e-4 and < 1e15))
        {
            value.TryFormat(room, out var length, provider: CultureInfo.InvariantCulture);
            return length;
        }
        if (value > 0)
            return WriteDigits(value, room);
        room[0] = (byte)'-';
        return 1 + WriteDigits(-value, room[1..]);
    }

    private static int WriteDigits(double value, Span<byte> room)
    {
        var (digits, decimals) = Shortest(value);
        digits.TryFormat(room, out var length, provider: CultureInfo.InvariantCulture);
        var point = length - decimals;
        if (point <= 0)
        {
            room[..length].CopyTo(room[(1 - point)..]);
            room[..(1 - point)].Fill((byte)'0');
            (length, point) = (length + 1 - point, 1);
        }
        room[point..length].CopyTo(room[(point + 1)..]);
        room[point] = (byte)'.';
        return room[..(length + 1)].TrimEnd((byte)'0').TrimEnd((byte)'.').Length;
    }

    /// <summary>
    /// The double is c × 2^q, and what lies less than half way to its neighbours reads back to it. As many decimals are taken as leave one
    /// to ten numbers there: a multiple of ten if there is one, else the closest. Source: R. Giulietti, "The Schubfach way to render
    /// doubles", 2022; what it estimates with tables over the whole range is exact here. The lower neighbour of a power of two is closer by
    /// half, which makes no difference to any of the 63 in this range.
    /// </summary>
    /// <param name="value">From 1e-4 to below 1e15.</param>
    /// <returns>Digits, the last ones perhaps 0, and how many of them are decimals: from 1 to 20.</returns>
    private static (ulong Digits, int Decimals) Shortest(double value)
    {
        var bits = BitConverter.DoubleToUInt64Bits(value);
        var c = (bits & ((1UL << FractionBits) - 1)) | (1UL << FractionBits);
        var q = (int)(bits >> FractionBits) - ExponentBias;
        // The logarithm of 2^q to base 10, rounded up to a whole number of decimals.
        var decimals = -((q * 1_262_611) >> 22);

        // All in halves of 10^-decimals × 2^q.
        var halfWay = PowersOfTen[decimals];
        var (exact, one) = (halfWay * (2 * c), UInt128.One << (1 - q));
        var digits = (ulong)(exact >> (1 - q));
        var down = exact & (one - 1);
        var (last, ten) = (digits % 10, one * 10);
        var downToTen = down + (one * last);
        if (downToTen < halfWay)
            return (digits - last, decimals);
        if (ten - downToTen < halfWay)
            return (digits - last + 10, decimals);
        var up = one - down;
        return (up < down || (up == down && digits % 2 == 1) ? digits + 1 : digits, decimals);
    }

    private static UInt128[] Powers(int most)
    {
        var powers = new UInt128[most + 1];
        powers[0] = 1;
        for (var i = 1; i <= most; i++)
            powers[i] = powers[i - 1] * 10;
        return powers;
    }
}
