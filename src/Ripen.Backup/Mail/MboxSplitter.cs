using System.Buffers;

namespace Ripen.Backup.Mail;

/// <summary>
/// Takes a mailbox in the mbox format (RFC 4155) apart, as it comes: a message begins with a line "From …" at the beginning or after an empty
/// line. What was quoted as "&gt;From " is as it was before; the empty line before the next message is no part of one.
/// </summary>
/// <param name="from">Where in the mailbox what comes begins: at a message, or at 0.</param>
/// <param name="take">Told of each message: where it begins, where the next one does, and what it is without its "From " line.</param>
internal sealed class MboxSplitter(long from, Action<long, long, byte[]> take)
{
    private readonly ArrayBufferWriter<byte> line = new();
    private readonly ArrayBufferWriter<byte> message = new();
    private long position = from;
    private long began = -1;
    private bool afterEmpty = true;
    private int lastEmpty;

    public void Feed(ReadOnlySpan<byte> content)
    {
        while (content.Length > 0)
        {
            var end = content.IndexOf((byte)'\n');
            var part = end < 0 ? content : content[..(end + 1)];
            content = content[part.Length..];
            if (end < 0 || line.WrittenCount > 0)
                line.Write(part);
            if (end < 0)
                return;
            Take(line.WrittenCount > 0 ? line.WrittenSpan : part);
            line.ResetWrittenCount();
        }
    }

    public void Finish()
    {
        if (line.WrittenCount > 0)
            Take(line.WrittenSpan);
        line.ResetWrittenCount();
        End();
    }

    private void Take(ReadOnlySpan<byte> whole)
    {
        if (afterEmpty && whole.StartsWith("From "u8))
        {
            End();
            (began, lastEmpty) = (position, 0);
        }
        else if (began >= 0)
        {
            message.Write(IsQuoted(whole) ? whole[1..] : whole);
            lastEmpty = IsEmpty(whole) ? whole.Length : 0;
        }
        afterEmpty = IsEmpty(whole);
        position += whole.Length;
    }

    private void End()
    {
        if (began >= 0)
            take(began, position, message.WrittenSpan[..^lastEmpty].ToArray());
        message.ResetWrittenCount();
        began = -1;
    }

    private static bool IsEmpty(ReadOnlySpan<byte> whole) => whole.TrimEnd("\r\n"u8).IsEmpty;

    private static bool IsQuoted(ReadOnlySpan<byte> whole) =>
        whole.Length > 0 && whole[0] == '>' && whole.TrimStart((byte)'>').StartsWith("From "u8);
}
