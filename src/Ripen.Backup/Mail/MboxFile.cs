using System.Globalization;
using System.Text;

namespace Ripen.Backup.Mail;

/// <summary>A mailbox of this machine in the mbox format (RFC 4155), at whose end messages are put.</summary>
public static class MboxFile
{
    /// <summary>Appends a message. Lines that would begin another one are quoted, so that taking the mailbox apart gives the message back. What
    /// is there already is not touched; when the message does not fit, the file is as it was.</summary>
    /// <param name="path">Made when it is not there; its folder must be.</param>
    /// <param name="message">As it was received.</param>
    /// <param name="at">Said in the line before it.</param>
    /// <param name="cancel">Stops; the file is as it was.</param>
    /// <exception cref="RefusalException">There is something else of this name, or it cannot be written.</exception>
    public static async Task Append(string path, byte[] message, DateTimeOffset at, CancellationToken cancel)
    {
        try
        {
            await using var file = new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            var before = file.Length;
            if (!await BeginsAsMailbox(file, cancel))
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "no-mailbox",
                    $"'{path}' is there, and is no mailbox: it is left as it is.",
                    "$.into"
                );
            try
            {
                file.Seek(0, SeekOrigin.End);
                await file.WriteAsync(await Separator(file, before, cancel), cancel);
                await file.WriteAsync(Quoted(message, at), cancel);
                file.Flush(flushToDisk: true);
            }
            catch
            {
                file.SetLength(before);
                throw;
            }
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new RefusalException(RefusalKind.Conflict, "cannot-write", $"'{path}' cannot be written: {error.Message}", "$.into");
        }
    }

    private static async Task<bool> BeginsAsMailbox(FileStream file, CancellationToken cancel)
    {
        if (file.Length == 0)
            return true;
        var head = new byte[5];
        file.Position = 0;
        return await file.ReadAtLeastAsync(head, head.Length, throwOnEndOfStream: false, cancel) == head.Length
            && head.AsSpan().SequenceEqual("From "u8);
    }

    /// <summary>An empty line ends the message before, whether or not its last line is ended.</summary>
    private static async Task<byte[]> Separator(FileStream file, long length, CancellationToken cancel)
    {
        var tail = new byte[(int)Math.Min(2, length)];
        file.Position = length - tail.Length;
        await file.ReadExactlyAsync(tail, cancel);
        return length == 0 || tail.AsSpan().SequenceEqual("\n\n"u8) ? []
            : tail[^1] == '\n' ? "\n"u8.ToArray()
            : "\n\n"u8.ToArray();
    }

    private static byte[] Quoted(byte[] message, DateTimeOffset at)
    {
        using var text = new MemoryStream();
        var moment = at.UtcDateTime.ToString("ddd MMM d HH:mm:ss yyyy", CultureInfo.InvariantCulture);
        text.Write(Encoding.ASCII.GetBytes($"From ripen@localhost {moment}\n"));
        ReadOnlySpan<byte> rest = message;
        while (rest.Length > 0)
        {
            var end = rest.IndexOf((byte)'\n');
            var line = end < 0 ? rest : rest[..(end + 1)];
            if (line.TrimStart((byte)'>').StartsWith("From "u8))
                text.WriteByte((byte)'>');
            text.Write(line);
            rest = rest[line.Length..];
        }
        if (message.Length > 0 && message[^1] != '\n')
            text.WriteByte((byte)'\n');
        text.WriteByte((byte)'\n');
        return text.ToArray();
    }
}
