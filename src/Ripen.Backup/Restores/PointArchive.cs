using System.Formats.Tar;
using System.IO.Compression;
using System.Text;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Restores;

/// <summary>Files that hold a point, or a folder of one.</summary>
public enum ArchiveFormat
{
    /// <summary>POSIX.1-2001 (pax).</summary>
    Tar,

    /// <summary>APPNOTE 6.3, with UNIX modes.</summary>
    Zip,
}

/// <summary>Writes what a point holds as one archive, forward, one chunk in memory at a time.</summary>
public static class PointArchive
{
    private const int TypeFile = 0x8000;
    private const int TypeFolder = 0x4000;
    private const int TypeLink = 0xA000;
    private const int ModeBits = 0xFFF;
    private const int ModeShift = 16;
    private const int TarBlock = 512;

    private static readonly DateTimeOffset FirstOfZip = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);
    private static readonly DateTimeOffset LastOfZip = new(2107, 12, 31, 23, 59, 58, TimeSpan.Zero);

    /// <param name="pool">Whose point it is.</param>
    /// <param name="point">What is brought back.</param>
    /// <param name="under">A file, or a folder with all that is in it; empty for everything. Paths stay those of the point.</param>
    /// <param name="format">Of the archive.</param>
    /// <param name="to">Written forward, and left open.</param>
    /// <param name="progress">Told of every path; null for nobody.</param>
    /// <param name="cancel">Stops; the archive is then cut short.</param>
    /// <exception cref="RefusalException">Nothing of the point lies there (before anything is written), or a chunk is damaged: the archive
    /// is then cut short, and no reader takes it for whole.</exception>
    public static async Task<RestoreResult> Write(
        Pool pool,
        Point point,
        string under,
        ArchiveFormat format,
        Stream to,
        IProgress<string>? progress,
        CancellationToken cancel
    )
    {
        await using var entries = Restore.Beneath(pool, point, under, cancel).GetAsyncEnumerator(cancel);
        // The first is found, or there is none, before anything is written.
        var more = await entries.MoveNextAsync();
        var (files, bytes) = (0L, 0L);
        // What is empty is written synchronously, whatever one asks for.
        var blocking = new BlockingStream(to);
        // Not disposed of where something is damaged: only what came to its end has the end without which it is no archive.
        var (tar, zip) =
            format == ArchiveFormat.Tar
                ? (new TarWriter(to, TarEntryFormat.Pax, leaveOpen: true), null)
                : ((TarWriter?)null, await ZipArchive.CreateAsync(blocking, ZipArchiveMode.Create, leaveOpen: true, Encoding.UTF8, cancel));
        for (; more; more = await Next())
        {
            var entry = entries.Current;
            progress?.Report(entry.Path);
            if (tar is not null)
                await Put(tar, pool, entry, cancel);
            else
                await Put(zip!, pool, entry, cancel);
            files += entry.Kind == EntryKind.Folder ? 0 : 1;
            bytes += entry.Kind == EntryKind.File ? entry.Size : 0;
        }
        if (tar is not null)
            await tar.DisposeAsync();
        else
            await zip!.DisposeAsync();
        return new RestoreResult(files, bytes, 0, []);

        async Task<bool> Next()
        {
            try
            {
                return await entries.MoveNextAsync();
            }
            catch (RefusalException) when (tar is not null)
            {
                await to.WriteAsync(await HeadAlone(cancel), cancel);
                throw;
            }
        }
    }

    /// <summary>The head of a file that does not follow. Programs take a tar archive that ends between two files for whole, and this for what it
    /// is: cut short.</summary>
    private static async Task<ReadOnlyMemory<byte>> HeadAlone(CancellationToken cancel)
    {
        using var bytes = new MemoryStream();
        await using (var tar = new TarWriter(bytes, TarEntryFormat.Ustar, leaveOpen: true))
            await tar.WriteEntryAsync(
                new UstarTarEntry(TarEntryType.RegularFile, "THE ARCHIVE IS CUT SHORT") { DataStream = new MemoryStream([0]) },
                cancel
            );
        return bytes.ToArray().AsMemory(0, TarBlock);
    }

    private static async Task Put(TarWriter tar, Pool pool, Entry entry, CancellationToken cancel)
    {
        var kind = entry.Kind switch
        {
            EntryKind.Folder => TarEntryType.Directory,
            EntryKind.Link => TarEntryType.SymbolicLink,
            _ => TarEntryType.RegularFile,
        };
        await using var content = entry.Kind == EntryKind.File ? new ChunkStream(pool, entry) : null;
        var written = new PaxTarEntry(kind, entry.Path)
        {
            Mode = (UnixFileMode)(entry.Mode & ModeBits),
            Uid = entry.Owner,
            Gid = entry.Group,
            ModificationTime = Modified(entry),
        };
        if (content is not null)
            written.DataStream = content;
        if (entry.Kind == EntryKind.Link)
            written.LinkName = entry.Target!;
        await tar.WriteEntryAsync(written, cancel);
    }

    private static async Task Put(ZipArchive zip, Pool pool, Entry entry, CancellationToken cancel)
    {
        var (type, name) = entry.Kind switch
        {
            EntryKind.Folder => (TypeFolder, entry.Path + "/"),
            EntryKind.Link => (TypeLink, entry.Path),
            _ => (TypeFile, entry.Path),
        };
        var written = zip.CreateEntry(name, CompressionLevel.Fastest);
        written.ExternalAttributes = (type | (entry.Mode & ModeBits)) << ModeShift;
        written.LastWriteTime = Within(Modified(entry));
        if (entry.Kind == EntryKind.Folder)
            return;
        await using var content = await written.OpenAsync(cancel);
        if (entry.Kind == EntryKind.Link)
            await content.WriteAsync(Encoding.UTF8.GetBytes(entry.Target!), cancel);
        else
            await Restore.Send(pool, entry, content, cancel);
    }

    private static DateTimeOffset Modified(Entry entry) => DateTimeOffset.UnixEpoch.AddTicks(entry.Modified / 100);

    private static DateTimeOffset Within(DateTimeOffset time) =>
        time < FirstOfZip ? FirstOfZip
        : time > LastOfZip ? LastOfZip
        : time;
}
