namespace Ripen.Server.Backups;

/// <summary>The folders of this machine that may be backed up from and restored into, with all below them; others are refused.</summary>
internal sealed class BackupRoots(IReadOnlyList<string> roots)
{
    public IReadOnlyList<string> All { get; } = [.. roots.Select(Path.GetFullPath)];

    /// <summary>The folder as it may be used.</summary>
    /// <exception cref="RefusalException">It lies below no root, or a link leads to it.</exception>
    public string Demand(string folder, string path)
    {
        if (!Path.IsPathFullyQualified(folder) || folder.Contains('\0', StringComparison.Ordinal))
            throw Outside(folder, path);
        var full = Path.TrimEndingDirectorySeparator(Path.GetFullPath(folder));
        var root = All.FirstOrDefault(r => full == r || full.StartsWith(r + Path.DirectorySeparatorChar, StringComparison.Ordinal));
        if (root is null)
            throw Outside(folder, path);
        for (var at = full; at.Length > root.Length; at = Path.GetDirectoryName(at)!)
        {
            if (new DirectoryInfo(at).LinkTarget is not null || new FileInfo(at).LinkTarget is not null)
                throw new RefusalException(
                    RefusalKind.Forbidden,
                    "leads-elsewhere",
                    $"'{at}' is a link, and what it leads to may lie outside the folders that the settings allow.",
                    path
                );
        }
        return full;
    }

    /// <summary>A target's folder: one that says no whole path lies below the first root, so that a document serves on any machine.</summary>
    /// <exception cref="RefusalException">It lies below no root, or a link leads to it.</exception>
    public string Place(string folder, string path) => Demand(All.Count > 0 ? Path.Combine(All[0], folder) : folder, path);

    private RefusalException Outside(string folder, string path) =>
        new(
            RefusalKind.Forbidden,
            "outside-roots",
            All.Count == 0
                ? "No folder of this machine may be backed up or restored into: the setting Ripen:BackupRoots names none."
                : $"'{folder}' does not lie in a folder that the setting Ripen:BackupRoots allows: {string.Join(", ", All)}.",
            path
        );
}
