using System.Buffers;

namespace Ripen.Backup.Mail;

/// <summary>
/// Takes a mailbox in the mbox format (RFC 4155) apart, as it comes: a message begins with a line "From …" at the beginning or after an empty
/// line. What was quoted as "&gt;From " is as it was before; the empty line before the next message is no part of one.
/// </summary>
/// <param name="from">Where in the mailbox what comes begins: at a message, or at 0.</param>
/// <param name="take">Told of each message: where it begins, where the next one does, and what it is without its "From " line.</param>
/// <remarks>Holds one message at most; one above <see cref="Mailbox.MostMessageBytes"/> is passed over.</remarks>
internal sealed class MboxSplitter(long from, Action<long, long, byte[]> take)
{
    /// <summary>Of a longer line the rest is taken as it comes.</summary>
    private const int MostLineBytes = 1 << 16;

    private readonly ArrayBufferWriter<byte> line = new();
    private readonly ArrayBufferWriter<byte> message = new();
    private long position = from;
    private long began = -1;
    private bool afterEmpty = true;
    private bool midLine;
    private bool inMark;
    private bool isTooLarge;
    private int lastEmpty;

    public void Feed(ReadOnlySpan<byte> content)
    {
        while (content.Length > 0)
        {
            var end = content.IndexOf((byte)'\n');
            var part = end < 0 ? content : content[..(end + 1)];
            content = content[part.Length..];
            if (line.WrittenCount == 0 && (end >= 0 || part.Length >= MostLineBytes))
            {
                Take(part, end >= 0);
                continue;
            }
            line.Write(part);
            if (end >= 0 || line.WrittenCount >= MostLineBytes)
                TakeLine(end >= 0);
        }
    }

    public void Finish()
    {
        if (line.WrittenCount > 0)
            TakeLine(isEnded: true);
        End();
    }

    private void TakeLine(bool isEnded)
    {
        Take(line.WrittenSpan, isEnded);
        line.ResetWrittenCount();
    }

    /// <param name="part">A line, or of a long one the beginning or what follows it.</param>
    /// <param name="isEnded">Whether the line ends with it.</param>
    private void Take(ReadOnlySpan<byte> part, bool isEnded)
    {
        var begins = !midLine;
        midLine = !isEnded;
        if (begins && afterEmpty && part.StartsWith("From "u8))
        {
            End();
            (began, lastEmpty, inMark) = (position, 0, true);
        }
        else if (began >= 0 && !isTooLarge && !inMark)
        {
            isTooLarge = message.WrittenCount + part.Length > Mailbox.MostMessageBytes;
            if (!isTooLarge)
                message.Write(begins && IsQuoted(part) ? part[1..] : part);
            lastEmpty = begins && IsEmpty(part) ? part.Length : 0;
        }
        inMark &= !isEnded;
        afterEmpty = begins && IsEmpty(part);
        position += part.Length;
    }

    private void End()
    {
        if (began >= 0 && !isTooLarge)
            take(began, position, message.WrittenSpan[..^lastEmpty].ToArray());
        message.ResetWrittenCount();
        (began, isTooLarge) = (-1, false);
    }

    private static bool IsEmpty(ReadOnlySpan<byte> whole) => whole.TrimEnd("\r\n"u8).IsEmpty;

    private static bool IsQuoted(ReadOnlySpan<byte> whole) =>
        whole.Length > 0 && whole[0] == '>' && whole.TrimStart((byte)'>').StartsWith("From "u8);
}
