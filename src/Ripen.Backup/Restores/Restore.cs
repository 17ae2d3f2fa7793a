using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Restores;

/// <summary>What a restore did.</summary>
/// <param name="Files">Files and links that are there again.</param>
/// <param name="Bytes">Of those files.</param>
/// <param name="Problems">What is not there again, by name, and why.</param>
public sealed record RestoreResult(long Files, long Bytes, IReadOnlyList<RunProblem> Problems);

/// <summary>Brings what a point holds back. What is damaged is named and left out; all that is whole is restored.</summary>
public static class Restore
{
    private const int HoleBytes = 4096;

    /// <summary>Writes a point, or what lies under one path of it, into a folder that is empty or not there yet.</summary>
    /// <param name="pool">Where from.</param>
    /// <param name="point">Which.</param>
    /// <param name="under">A path of the point; empty for everything. A single file is written by its name.</param>
    /// <param name="folder">Where to.</param>
    /// <param name="progress">Told of every file; null for nobody.</param>
    /// <param name="cancel">Ends early; what was written stays.</param>
    /// <exception cref="RefusalException">The folder holds something, or the point has nothing of this path.</exception>
    public static async Task<RestoreResult> Into(
        Pool pool,
        Point point,
        string under,
        string folder,
        IProgress<string>? progress,
        CancellationToken cancel
    )
    {
        if (Directory.Exists(folder) && Directory.EnumerateFileSystemEntries(folder).Any())
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-empty",
                $"'{folder}' holds something: a restore writes into an empty folder only."
            );
        Directory.CreateDirectory(folder);
        var (problems, later) = (new List<RunProblem>(), new List<(Entry Entry, string Path)>());
        var (files, bytes, found) = (0L, 0L, false);
        var root = Path.GetDirectoryName(under)?.Length ?? 0;
        await foreach (var entry in pool.Entries(point, cancel))
        {
            if (!IsUnder(entry.Path, under))
                continue;
            found = true;
            var path = Path.Combine(folder, Inside(entry.Path[(root == 0 ? 0 : root + 1)..]));
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            progress?.Report(entry.Path);
            if (entry.Kind == EntryKind.Folder)
            {
                Directory.CreateDirectory(path);
                later.Add((entry, path));
            }
            else if (entry.Kind == EntryKind.Link)
            {
                later.Add((entry, path));
                files++;
            }
            else
            {
                try
                {
                    await Write(pool, entry, path, cancel);
                    files++;
                    bytes += entry.Size;
                }
                catch (Exception error)
                    when (error
                            is RefusalException { Kind: RefusalKind.Damaged or RefusalKind.NotFound }
                                or IOException
                                or UnauthorizedAccessException
                    )
                {
                    File.Delete(path);
                    problems.Add(new RunProblem(entry.Path, error.Message));
                }
            }
        }
        if (!found && under.Length > 0)
            throw new RefusalException(RefusalKind.NotFound, "no-path", $"The restore point has nothing of the path '{under}'.");
        // Links come when all is written, so that nothing is ever written through one; folders last, from the inside out.
        foreach (var (entry, path) in later.Where(l => l.Entry.Kind == EntryKind.Link))
            File.CreateSymbolicLink(path, entry.Target!);
        foreach (var (entry, path) in Enumerable.Reverse(later).Where(l => l.Entry.Kind == EntryKind.Folder))
        {
            File.SetUnixFileMode(path, (UnixFileMode)entry.Mode);
            Directory.SetLastWriteTimeUtc(path, TimeOf(entry));
        }
        return new RestoreResult(files, bytes, problems);
    }

    /// <summary>Sends the content of one file.</summary>
    /// <exception cref="RefusalException">The point has no such file, or some of it is damaged.</exception>
    public static async Task Send(Pool pool, Entry file, Stream target, CancellationToken cancel)
    {
        for (var i = 0; i < file.ChunkCount; i++)
            await target.WriteAsync(await pool.Chunk(file.Chunk(i), cancel), cancel);
    }

    private static async Task Write(Pool pool, Entry entry, string path, CancellationToken cancel)
    {
        await using (var file = new FileStream(path, FileMode.CreateNew, FileAccess.Write, FileShare.None))
        {
            for (var i = 0; i < entry.ChunkCount; i++)
            {
                var content = await pool.Chunk(entry.Chunk(i), cancel);
                if (entry.Sparse)
                    WriteAroundHoles(file, content);
                else
                    await file.WriteAsync(content, cancel);
            }
            file.SetLength(entry.Size);
        }
        File.SetUnixFileMode(path, (UnixFileMode)entry.Mode);
        File.SetLastWriteTimeUtc(path, TimeOf(entry));
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

    private static bool IsUnder(string path, string under) =>
        under.Length == 0 || path == under || (path.StartsWith(under, StringComparison.Ordinal) && path[under.Length] == '/');

    /// <summary>A point never leads out of the folder that it is restored into.</summary>
    private static string Inside(string path) =>
        path.Split('/').Any(p => p is "" or "." or "..") ? throw Damage.Of(path, "is no path inside a folder") : path;
}
