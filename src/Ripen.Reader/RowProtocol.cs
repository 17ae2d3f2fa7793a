using System.Text;

namespace Ripen.Reader;

/// <summary>What the reading process tells: first the format and the columns, then rows, last that it came to the end or why it did
/// not.</summary>
public static class RowProtocol
{
    /// <summary>Longer texts than this in a row are no keys, sizes or dates, and end the reading.</summary>
    public const int LongestText = 1 << 20;

    private const int MostColumns = 10_000;

    public enum Told : byte
    {
        Columns = 1,
        Row = 2,
        Unreadable = 3,
        End = 4,
    }

    public static void Write(BinaryWriter to, Told what, params ReadOnlySpan<string> texts)
    {
        to.Write((byte)what);
        to.Write7BitEncodedInt(texts.Length);
        foreach (var text in texts)
            to.Write(text);
    }

    /// <summary>The next that was told; null when the other side ended without a word.</summary>
    /// <exception cref="InvalidDataException">The other side does not keep to this.</exception>
    public static (Told What, string[] Texts)? Read(BinaryReader from)
    {
        try
        {
            var what = (Told)from.ReadByte();
            var count = from.Read7BitEncodedInt();
            if (count is < 0 or > MostColumns)
                throw new InvalidDataException("Too many columns.");
            var texts = new string[count];
            for (var i = 0; i < count; i++)
                texts[i] = from.ReadString();
            return (what, texts);
        }
        catch (Exception e) when (e is EndOfStreamException or FormatException or DecoderFallbackException)
        {
            return null;
        }
    }
}
