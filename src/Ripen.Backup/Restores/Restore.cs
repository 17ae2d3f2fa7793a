using System.IO.Hashing;
using System.Runtime.CompilerServices;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Restores;

/// <summary>What a restore did.</summary>
/// <param name="Files">Files and links that are there again; each file was read back and compared.</param>
/// <param name="Bytes">Of those files.</param>
/// <param name="Left">Files and links of the point that were left out, because something of their name was there.</param>
/// <param name="Problems">What is not there again, by name, and why.</param>
public sealed record RestoreResult(long Files, long Bytes, long Left, IReadOnlyList<RunProblem> Problems);

/// <summary>Brings what a point holds back. What is damaged is named and left out; all that is whole is restored.</summary>
public static class Restore
{
    private const int HoleBytes = 4096;

    /// <summary>While one waits for what it reads, another is opened, written or read back.</summary>
    private const int FilesAtOnce = 3;

    /// <summary>Writes a point, or what lies under one path of it, into a folder. Every file is written beside its place, read back and
    /// compared, and only then takes it: what was there before is whole or replaced, never half.</summary>
    /// <param name="pool">Where from.</param>
    /// <param name="point">Which.</param>
    /// <param name="under">A path of the point; empty for everything. A single file is written by its name.</param>
    /// <param name="folder">Where to.</param>
    /// <param name="existing">What becomes of what is there already.</param>
    /// <param name="progress">Told of every file; null for nobody.</param>
    /// <param name="cancel">Ends early; what was written stays.</param>
    /// <exception cref="RefusalException">The folder holds something and nothing was said of it, or the point has nothing of this
    /// path.</exception>
    public static async Task<RestoreResult> Into(
        Pool pool,
        Point point,
        string under,
        string folder,
        Existing existing,
        IProgress<string>? progress,
        CancellationToken cancel
    )
    {
        DemandEmpty(folder, existing);
        folder = Path.TrimEndingDirectorySeparator(Path.GetFullPath(folder));
        Directory.CreateDirectory(folder);
        var into = new RestoreFolder(folder, point.Taken, existing);
        var (problems, links, folders) = (new List<RunProblem>(), new List<Entry>(), new List<(Entry Entry, string Path)>());
        var (files, bytes, left) = (0L, 0L, 0L);
        var underWay = new Queue<Task>(FilesAtOnce);
        var root = Path.GetDirectoryName(under) is { Length: > 0 } parent ? parent.Length + 1 : 0;
        try
        {
            await foreach (var entry in Beneath(pool, point, under, cancel))
            {
                progress?.Report(entry.Path);
                if (entry.Kind == EntryKind.Link)
                    links.Add(entry);
                else
                    await Try(entry, () => Take(entry));
            }
        }
        finally
        {
            await Task.WhenAll(underWay);
        }
        // Links come when all is written, so that nothing is ever written through one; folders last, from the inside out.
        foreach (var entry in links)
            await Try(
                entry,
                () =>
                {
                    if (into.PlaceOf(entry.Path[root..]) is { } path)
                    {
                        RestoreFolder.Link(path, entry.Target!);
                        files++;
                    }
                    else
                        left++;
                    return Task.CompletedTask;
                }
            );
        foreach (var (entry, path) in Enumerable.Reverse(folders))
            await Try(
                entry,
                () =>
                {
                    File.SetUnixFileMode(path, (UnixFileMode)entry.Mode);
                    Directory.SetLastWriteTimeUtc(path, TimeOf(entry));
                    return Task.CompletedTask;
                }
            );
        return new RestoreResult(files, bytes, left, problems);

        async Task Take(Entry entry)
        {
            if (entry.Kind == EntryKind.Folder)
            {
                if (into.Make(entry.Path[root..]) is { } made)
                    folders.Add((entry, made));
            }
            else if (into.PlaceOf(entry.Path[root..]) is { } path)
            {
                if (underWay.Count == FilesAtOnce)
                    await underWay.Dequeue();
                underWay.Enqueue(Try(entry, () => Task.Run(() => Bring(entry, path), CancellationToken.None)));
            }
            else
                left++;
        }

        async Task Bring(Entry entry, string path)
        {
            var beside = RestoreFolder.Beside(path);
            try
            {
                var hash = await Write(pool, entry, beside, cancel);
                Compare(beside, hash);
                File.SetUnixFileMode(beside, (UnixFileMode)entry.Mode);
                File.SetLastWriteTimeUtc(beside, TimeOf(entry));
                into.Settle(path, beside);
                Interlocked.Increment(ref files);
                Interlocked.Add(ref bytes, entry.Size);
            }
            finally
            {
                File.Delete(beside);
            }
        }

        async Task Try(Entry entry, Func<Task> act)
        {
            try
            {
                await act();
            }
            catch (Exception error) when (IsOfOneFile(error))
            {
                lock (problems)
                    problems.Add(new RunProblem(entry.Path, error.Message));
            }
        }
    }

    /// <summary>The entries of a path, and of what lies in it.</summary>
    /// <exception cref="RefusalException">The point has nothing of this path; empty is all of it, and may be nothing.</exception>
    internal static async IAsyncEnumerable<Entry> Beneath(
        Pool pool,
        Point point,
        string under,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        var found = under.Length == 0;
        await foreach (var entry in pool.Entries(point, cancel))
        {
            if (!IsUnder(entry.Path, under))
                continue;
            found = true;
            yield return entry;
        }
        if (!found)
            throw new RefusalException(RefusalKind.NotFound, "no-path", $"The restore point has nothing of the path '{under}'.");
    }

    /// <exception cref="RefusalException">The folder holds something, and nothing was said of it.</exception>
    public static void DemandEmpty(string folder, Existing existing)
    {
        if (existing == Existing.Refused && Directory.Exists(folder) && Directory.EnumerateFileSystemEntries(folder).Any())
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-empty",
                $"'{folder}' holds something: choose an empty folder, or say what becomes of what is there."
            );
    }

    /// <summary>A rehearsal: reads all that a point holds into nowhere, and compares every byte with what was backed up: by the seal of its
    /// chunk, by the chunk's id where that is made from the content, and by its file's size.</summary>
    /// <param name="pool">Where from.</param>
    /// <param name="point">Which.</param>
    /// <param name="progress">Told of every file; null for nobody.</param>
    /// <param name="cancel">Ends early.</param>
    /// <exception cref="RefusalException">The point's own list of files is damaged.</exception>
    public static async Task<RestoreResult> IntoNowhere(Pool pool, Point point, IProgress<string>? progress, CancellationToken cancel)
    {
        var index = await pool.Index(cancel);
        var (files, bytes, problems) = (0L, 0L, new List<RunProblem>());
        await foreach (var entry in pool.Entries(point, cancel))
        {
            if (entry.Kind == EntryKind.Folder)
                continue;
            progress?.Report(entry.Path);
            try
            {
                var (number, size) = (0, 0L);
                await foreach (var content in pool.Content(entry, cancel))
                {
                    var id = entry.Chunk(number++);
                    if (!index.Find(id).IsApart && pool.Keys.IdOf(content.Span) != id)
                        throw Damage.Of(entry.Path, "holds other bytes than were backed up");
                    size += content.Length;
                }
                if (entry.Kind == EntryKind.File && size != entry.Size)
                    throw Damage.Of(entry.Path, "is not as long as it was");
                files++;
                bytes += size;
            }
            catch (RefusalException error) when (IsOfOneFile(error))
            {
                problems.Add(new RunProblem(entry.Path, error.Message));
            }
        }
        return new RestoreResult(files, bytes, 0, problems);
    }

    private static bool IsOfOneFile(Exception error) =>
        error is RefusalException { Kind: RefusalKind.Damaged or RefusalKind.NotFound } or IOException or UnauthorizedAccessException;

    /// <summary>Sends the content of one file.</summary>
    /// <exception cref="RefusalException">The point has no such file, or some of it is damaged.</exception>
    public static async Task Send(Pool pool, Entry file, Stream target, CancellationToken cancel)
    {
        await foreach (var content in pool.Content(file, cancel))
            await target.WriteAsync(content, cancel);
    }

    /// <returns>The hash of what was written.</returns>
    private static async Task<UInt128> Write(Pool pool, Entry entry, string path, CancellationToken cancel)
    {
        var written = new XxHash128();
        await using var file = new FileStream(path, FileMode.CreateNew, FileAccess.Write, FileShare.None);
        await foreach (var content in pool.Content(entry, cancel))
        {
            written.Append(content.Span);
            if (entry.Sparse)
                WriteAroundHoles(file, content.Span);
            else
                await file.WriteAsync(content, cancel);
        }
        file.SetLength(entry.Size);
        return written.GetCurrentHashAsUInt128();
    }

    private static void Compare(string path, UInt128 written)
    {
        var there = new XxHash128();
        using var file = File.OpenRead(path);
        there.Append(file);
        if (there.GetCurrentHashAsUInt128() != written)
            throw new IOException("It reads back otherwise than it was written.");
    }

    private static void WriteAroundHoles(FileStream file, ReadOnlySpan<byte> content)
    {
        while (content.Length > 0)
        {
            var part = content[..Math.Min(content.Length, HoleBytes - (int)(file.Position % HoleBytes))];
            if (part.ContainsAnyExcept((byte)0))
                file.Write(part);
            else
                file.Position += part.Length;
            content = content[part.Length..];
        }
    }

    private static DateTime TimeOf(Entry entry) => DateTime.UnixEpoch.AddTicks(entry.Modified / 100);

    /// <summary>Whether a path is this one, or lies in it; all lie in the empty one.</summary>
    public static bool IsUnder(string path, string under) =>
        under.Length == 0 || path == under || (path.StartsWith(under, StringComparison.Ordinal) && path[under.Length] == '/');
}
