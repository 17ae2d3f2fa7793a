using System.Buffers.Binary;
using Microsoft.Win32.SafeHandles;
using Ripen.Core.Backups;

namespace Ripen.Backup.Volumes;

/// <summary>Whole pages that are written one after the other.</summary>
/// <param name="Page">The first.</param>
/// <param name="Count">How many, at least 1.</param>
/// <param name="Content">Their bytes; null for zeros.</param>
internal sealed record JournalWrite(long Page, long Count, ReadOnlyMemory<byte>? Content);

/// <summary>Where a page's newest content lies in a segment.</summary>
/// <param name="At">Its place in the file; negative for a page of zeros.</param>
/// <param name="Crc">Of its bytes.</param>
internal readonly record struct PageAt(long At, uint Crc)
{
    public static readonly PageAt Zeros = new(-1, 0);
}

/// <summary>
/// Writes in the order in which they were acknowledged, in one file, and which page lies where in it. A record is a header, a checksum for
/// each page, and the pages; what a crash left half written ends the file.
/// </summary>
internal sealed class JournalSegment : IDisposable
{
    public const int PageBytes = BackupTarget.PageBytes;

    private const uint Magic = 0x314a5052;
    private const uint WriteKind = 1;
    private const uint ZeroKind = 2;
    private const int HeaderBytes = 40;
    private const int HeadCrcAt = 36;

    private readonly SafeFileHandle file;
    private readonly string path;
    private readonly long pagesPerBlock;
    private readonly Dictionary<long, PageAt> pages = [];
    private readonly HashSet<long> dropped = [];
    private long sequence;
    private volatile bool spoiled;
    private int users = 1;

    private JournalSegment(string path, FileMode mode, long pagesPerBlock)
    {
        this.path = path;
        this.pagesPerBlock = pagesPerBlock;
        file = File.OpenHandle(path, mode, FileAccess.ReadWrite, FileShare.Read);
    }

    /// <summary>Bytes of the file that count.</summary>
    public long Length { get; private set; }

    /// <summary>Blocks of which it says anything.</summary>
    public HashSet<long> Touched { get; } = [];

    public static JournalSegment Create(string path, long pagesPerBlock)
    {
        var segment = new JournalSegment(path, FileMode.CreateNew, pagesPerBlock);
        Durable.Folder(Path.GetDirectoryName(path)!);
        return segment;
    }

    /// <summary>With everything that was acknowledged before.</summary>
    public static JournalSegment Open(string path, long pagesPerBlock)
    {
        var segment = new JournalSegment(path, FileMode.Open, pagesPerBlock);
        segment.Replay();
        return segment;
    }

    /// <summary>It is found once it is <see cref="Tell">told</see>, and on the disk for good after <see cref="Sync"/>.</summary>
    /// <returns>Where each write's pages begin, and their checksums.</returns>
    public (long At, uint[] Crcs)[] Append(IReadOnlyList<JournalWrite> writes)
    {
        var parts = new List<ReadOnlyMemory<byte>>(writes.Count * 2);
        var places = new (long, uint[])[writes.Count];
        var at = Length;
        for (var w = 0; w < writes.Count; w++)
        {
            var write = writes[w];
            var crcs = new uint[write.Content is null ? 0 : write.Count];
            for (var i = 0; i < crcs.Length; i++)
                crcs[i] = Crc.Of(write.Content!.Value.Span.Slice(i * PageBytes, PageBytes));
            var head = Header(write, crcs, sequence + w);
            parts.Add(head);
            places[w] = (at + head.Length, crcs);
            at += head.Length;
            if (write.Content is { } content)
            {
                parts.Add(content);
                at += content.Length;
            }
        }
        if (spoiled)
            throw new IOException($"The journal '{path}' could not be forced to the disk once: nothing more is trusted to it.");
        try
        {
            RandomAccess.Write(file, parts, Length);
        }
        catch (IOException)
        {
            // What a full disk took in part must never be read as if it had been acknowledged.
            RandomAccess.SetLength(file, Length);
            throw;
        }
        Length = at;
        sequence += writes.Count;
        return places;
    }

    /// <summary>Everything that was appended before is on the disk for good on return.</summary>
    /// <exception cref="IOException">It is not; nothing more is taken, because a failed sync may have dropped what it could not write, and a
    /// later one that works says nothing of it.</exception>
    public void Sync()
    {
        try
        {
            RandomAccess.FlushToDisk(file);
        }
        catch (IOException)
        {
            spoiled = true;
            throw;
        }
    }

    /// <summary>From now on the pages are found here.</summary>
    /// <param name="write">Was appended.</param>
    /// <param name="at">Where its pages begin.</param>
    /// <param name="crcs">One for each, of a write with content.</param>
    /// <param name="mayHold">Whether a block can hold anything: zeros of one that cannot need no note.</param>
    public void Tell(JournalWrite write, long at, uint[] crcs, Func<long, bool> mayHold)
    {
        if (write.Content is not null)
        {
            for (var i = 0L; i < write.Count; i++)
                pages[write.Page + i] = new PageAt(at + (i * PageBytes), crcs[i]);
            for (var b = write.Page / pagesPerBlock; b <= (write.Page + write.Count - 1) / pagesPerBlock; b++)
                Touched.Add(b);
            return;
        }
        var (page, end) = (write.Page, write.Page + write.Count);
        while (page < end)
        {
            var block = page / pagesPerBlock;
            var (from, to) = (block * pagesPerBlock, Math.Min(end, (block + 1) * pagesPerBlock));
            if (Touched.Contains(block) || mayHold(block))
            {
                Touched.Add(block);
                if (page == from && to == from + pagesPerBlock)
                {
                    for (var p = from; p < to; p++)
                        pages.Remove(p);
                    dropped.Add(block);
                }
                else
                {
                    for (var p = page; p < to; p++)
                        pages[p] = PageAt.Zeros;
                }
            }
            page = to;
        }
    }

    /// <summary>Null where it says nothing of the page.</summary>
    public PageAt? Find(long page) =>
        pages.TryGetValue(page, out var at) ? at
        : dropped.Contains(page / pagesPerBlock) ? PageAt.Zeros
        : null;

    /// <summary>Pages that lie one behind the other.</summary>
    /// <param name="at">Where the first lies; negative for zeros.</param>
    /// <param name="into">Whole pages.</param>
    /// <param name="crcOf">A page's checksum, by its place in <paramref name="into"/>.</param>
    /// <exception cref="IOException">The disk gave back something else than was written.</exception>
    public void Read(long at, Span<byte> into, Func<int, uint> crcOf)
    {
        if (at < 0)
        {
            into.Clear();
            return;
        }
        for (var read = 0; read < into.Length; )
        {
            var more = RandomAccess.Read(file, into[read..], at + read);
            if (more == 0)
                throw Damaged(at + read);
            read += more;
        }
        for (var page = 0; page < into.Length / PageBytes; page++)
        {
            if (Crc.Of(into.Slice(page * PageBytes, PageBytes)) != crcOf(page))
                throw Damaged(at + ((long)page * PageBytes));
        }
    }

    public void Read(PageAt at, Span<byte> into) => Read(at.At, into, _ => at.Crc);

    private IOException Damaged(long at) =>
        new($"The journal '{path}' is damaged at byte {at}: the disk gave back something else than was written.");

    /// <summary>It stays readable until <see cref="Dispose"/> was called once more.</summary>
    public void Hold() => Interlocked.Increment(ref users);

    /// <summary>Everything in it is in the bucket: its name goes, and it closes when nobody reads it any more.</summary>
    public void Retire()
    {
        File.Delete(path);
        Dispose();
    }

    public void Dispose()
    {
        if (Interlocked.Decrement(ref users) == 0)
            file.Dispose();
    }

    private static byte[] Header(JournalWrite write, uint[] crcs, long sequence)
    {
        var head = new byte[HeaderBytes + (crcs.Length * sizeof(uint))];
        BinaryPrimitives.WriteUInt32LittleEndian(head, Magic);
        BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(4), write.Content is null ? ZeroKind : WriteKind);
        BinaryPrimitives.WriteInt64LittleEndian(head.AsSpan(8), write.Page);
        BinaryPrimitives.WriteInt64LittleEndian(head.AsSpan(16), write.Count);
        BinaryPrimitives.WriteInt64LittleEndian(head.AsSpan(24), sequence);
        for (var i = 0; i < crcs.Length; i++)
            BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(HeaderBytes + (i * sizeof(uint))), crcs[i]);
        BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(32), Crc.Of(head.AsSpan(HeaderBytes)));
        BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(HeadCrcAt), Crc.Of(head.AsSpan(0, HeadCrcAt)));
        return head;
    }

    private void Replay()
    {
        var size = RandomAccess.GetLength(file);
        var head = new byte[HeaderBytes];
        while (size - Length >= HeaderBytes && RandomAccess.Read(file, head, Length) == HeaderBytes)
        {
            var count = BinaryPrimitives.ReadInt64LittleEndian(head.AsSpan(16));
            var kind = BinaryPrimitives.ReadUInt32LittleEndian(head.AsSpan(4));
            if (
                BinaryPrimitives.ReadUInt32LittleEndian(head) != Magic
                || BinaryPrimitives.ReadUInt32LittleEndian(head.AsSpan(HeadCrcAt)) != Crc.Of(head.AsSpan(0, HeadCrcAt))
                || BinaryPrimitives.ReadInt64LittleEndian(head.AsSpan(24)) != sequence
                || kind is not (WriteKind or ZeroKind)
            )
                break;
            var stored = kind == WriteKind ? count : 0;
            var at = Length + HeaderBytes + (stored * sizeof(uint));
            if (size - at < stored * PageBytes)
                break;
            var sums = new byte[stored * sizeof(uint)];
            if (
                RandomAccess.Read(file, sums, Length + HeaderBytes) != sums.Length
                || Crc.Of(sums) != BinaryPrimitives.ReadUInt32LittleEndian(head.AsSpan(32))
            )
                break;
            var crcs = new uint[stored];
            for (var i = 0; i < crcs.Length; i++)
                crcs[i] = BinaryPrimitives.ReadUInt32LittleEndian(sums.AsSpan(i * sizeof(uint)));
            if (!Whole(at, crcs))
                break;
            var page = BinaryPrimitives.ReadInt64LittleEndian(head.AsSpan(8));
            Tell(new JournalWrite(page, count, stored > 0 ? ReadOnlyMemory<byte>.Empty : (ReadOnlyMemory<byte>?)null), at, crcs, _ => true);
            sequence++;
            Length = at + (stored * PageBytes);
        }
        // What follows was never acknowledged, and must not be taken for the continuation of what comes next.
        RandomAccess.SetLength(file, Length);
    }

    private bool Whole(long at, uint[] crcs)
    {
        var page = new byte[PageBytes];
        for (var i = 0; i < crcs.Length; i++)
        {
            if (RandomAccess.Read(file, page, at + ((long)i * PageBytes)) != PageBytes || Crc.Of(page) != crcs[i])
                return false;
        }
        return true;
    }
}
