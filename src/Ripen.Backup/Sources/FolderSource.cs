using Ripen.Backup.Points;

namespace Ripen.Backup.Sources;

/// <summary>
/// A folder of this machine, walked in the order of <see cref="Entry.Compare"/>. Links are stored as links and never followed. What is
/// neither file, folder nor link (pipes, sockets, devices) is a problem of the run.
/// </summary>
/// <param name="root">An existing folder.</param>
public sealed class FolderSource(string root) : ISource
{
    public string Root { get; } = Path.GetFullPath(root);

    public void Demand()
    {
        if (!Directory.Exists(Root))
            throw new RefusalException(RefusalKind.NotFound, "no-source", $"There is no folder '{Root}' to back up.");
    }

    public IEnumerable<Entry> Walk(Action<RunProblem> problem) => Walk("", problem);

    public Stream Open(Entry file) => Beneath.Open(Root, file.Path);

    public Entry? Look(string path) =>
        FileStatus.Of(Path.Combine(Root, path)) is not { } s ? null
        : s.IsFile
            ? new Entry
            {
                Path = path,
                Kind = EntryKind.File,
                Mode = s.Permissions,
                Owner = s.Owner,
                Group = s.Group,
                Modified = s.Modified,
                Changed = s.Changed,
                Inode = s.Inode,
                Size = s.Size,
                Sparse = s.HasHoles,
            }
        : s.IsFolder
            ? new Entry
            {
                Path = path,
                Kind = EntryKind.Folder,
                Mode = s.Permissions,
                Owner = s.Owner,
                Group = s.Group,
                Modified = s.Modified,
            }
        : s.IsLink
            ? new Entry
            {
                Path = path,
                Kind = EntryKind.Link,
                Owner = s.Owner,
                Group = s.Group,
                Modified = s.Modified,
                Target = new FileInfo(Path.Combine(Root, path)).LinkTarget ?? "",
            }
        : null;

    private IEnumerable<Entry> Walk(string folder, Action<RunProblem> problem)
    {
        string[] names;
        try
        {
            names = [.. new DirectoryInfo(Path.Combine(Root, folder)).EnumerateFileSystemInfos().Select(f => f.Name)];
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            problem(new RunProblem(folder, Why(error)));
            yield break;
        }
        Array.Sort(names, StringComparer.Ordinal);
        foreach (var name in names)
        {
            var path = folder.Length == 0 ? name : $"{folder}/{name}";
            if (Look(path) is not { } entry)
            {
                problem(
                    new RunProblem(
                        path,
                        FileStatus.Of(Path.Combine(Root, path)) is null
                            ? "It vanished while the folder was walked, or its name is not UTF-8."
                            : "It is neither a file, a folder nor a link."
                    )
                );
                continue;
            }
            yield return entry;
            if (entry.Kind == EntryKind.Folder)
            {
                foreach (var inside in Walk(path, problem))
                    yield return inside;
            }
        }
    }

    internal static string Why(Exception error) =>
        error switch
        {
            FileNotFoundException or DirectoryNotFoundException => "It vanished before it could be read.",
            UnauthorizedAccessException => "Ripen may not read it.",
            _ => $"It cannot be read: {error.Message}",
        };
}
