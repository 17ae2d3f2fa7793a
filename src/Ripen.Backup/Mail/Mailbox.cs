using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Mail;

/// <summary>Files of a point that hold mail: mailboxes, by their name's end, and messages in the folders of a Maildir.</summary>
public static class Mailbox
{
    /// <summary>What is larger is no message, whatever it is called: it would not fit into memory with others.</summary>
    public const int MostMessageBytes = 128 << 20;

    private static readonly string[] Ends = [".mbox", ".mbx"];
    private static readonly string[] Maildir = ["cur", "new"];

    public static bool IsMailbox(Entry entry) => entry.Kind == EntryKind.File && IsMbox(entry.Path);

    public static bool IsMessage(Entry entry) =>
        entry is { Kind: EntryKind.File, Size: <= MostMessageBytes }
        && Maildir.Contains(Path.GetFileName(Path.GetDirectoryName(entry.Path)));

    private static bool IsMbox(string path) => Ends.Any(e => path.EndsWith(e, StringComparison.OrdinalIgnoreCase));

    /// <summary>One message of a point, as it was received.</summary>
    /// <param name="pool">Whose point it is.</param>
    /// <param name="point">Of the pool.</param>
    /// <param name="path">The mailbox, or the file of the message itself.</param>
    /// <param name="at">Where in the mailbox it begins.</param>
    /// <param name="cancel">Stops.</param>
    /// <exception cref="RefusalException">No message begins there.</exception>
    public static async Task<byte[]> Message(Pool pool, Point point, string path, long at, CancellationToken cancel)
    {
        await foreach (var entry in pool.Entries(point, cancel))
        {
            if (entry.Path != path || entry.Kind != EntryKind.File)
                continue;
            byte[]? found = null;
            if (IsMessage(entry) && at == 0)
                found = await Whole(pool, entry, cancel);
            else if (at >= 0 && at < entry.Size)
                await Read(
                    pool,
                    entry,
                    at,
                    (begins, _, message) => found ??= begins == at ? message : null,
                    () => found is not null,
                    cancel
                );
            return found
                ?? throw new RefusalException(RefusalKind.NotFound, "no-message", $"In '{path}' no message begins at {at}.", "$.at");
        }
        throw new RefusalException(RefusalKind.NotFound, "no-path", $"The restore point has no file '{path}'.", "$.path");
    }

    internal static async Task<byte[]> Whole(Pool pool, Entry entry, CancellationToken cancel)
    {
        using var content = new MemoryStream();
        await foreach (var chunk in pool.Content(entry, cancel))
            content.Write(chunk.Span);
        return content.ToArray();
    }

    /// <summary>Takes a mailbox apart from one message's beginning on; only the chunks from there on are read.</summary>
    /// <param name="pool">Whose entry it is.</param>
    /// <param name="entry">The mailbox.</param>
    /// <param name="from">0, or where a message begins.</param>
    /// <param name="take">As for <see cref="MboxSplitter"/>.</param>
    /// <param name="isEnough">Asked after each chunk.</param>
    /// <param name="cancel">Stops.</param>
    internal static async Task Read(
        Pool pool,
        Entry entry,
        long from,
        Action<long, long, byte[]> take,
        Func<bool> isEnough,
        CancellationToken cancel
    )
    {
        var index = await pool.Index(cancel);
        var (first, begins) = (0, 0L);
        while (first < entry.ChunkCount && begins + index.Find(entry.Chunk(first)).RawBytes is var next && next <= from)
            (first, begins) = (first + 1, next);
        var splitter = new MboxSplitter(from, take);
        var skip = (int)(from - begins);
        await foreach (var chunk in pool.Content(entry with { Chunks = entry.Chunks?[(first * ChunkId.Size)..] }, cancel))
        {
            splitter.Feed(chunk.Span[skip..]);
            skip = 0;
            if (isEnough())
                return;
        }
        splitter.Finish();
    }

    /// <summary>How many bytes two versions of a file have in common at their beginnings, as far as their chunks say.</summary>
    internal static async Task<long> InCommon(Pool pool, Entry a, Entry b, CancellationToken cancel)
    {
        var (index, bytes) = (await pool.Index(cancel), 0L);
        for (var i = 0; i < Math.Min(a.ChunkCount, b.ChunkCount) && a.Chunk(i).Equals(b.Chunk(i)); i++)
            bytes += index.Find(a.Chunk(i)).RawBytes;
        return bytes;
    }
}
