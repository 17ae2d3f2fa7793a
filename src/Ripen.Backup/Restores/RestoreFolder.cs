using System.Globalization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Restores;

/// <summary>What becomes of what is there already, where something of the same name is restored. Folders are entered in any case.</summary>
public enum Existing
{
    /// <summary>The folder that is restored into has to be empty.</summary>
    Refused,

    /// <summary>It stays, and what the point has of that name is left out.</summary>
    Kept,

    /// <summary>It stays, and what the point has is written beside it, by a name that says of when it is.</summary>
    Beside,

    /// <summary>What the point has takes its place.</summary>
    Replaced,
}

/// <summary>The folder that a point is restored into: where each path of it goes. Nothing is ever written through a link that lies in it, or
/// outside of it.</summary>
internal sealed class RestoreFolder(string root, DateTimeOffset taken, Existing existing)
{
    /// <summary>Folders that are there, and to which no link below the root leads.</summary>
    private readonly HashSet<string> sound = [root];

    /// <param name="path">Of a file or link, in the point.</param>
    /// <returns>Where it goes; null when what is there stays.</returns>
    /// <exception cref="IOException">Something is in the way that is not replaced.</exception>
    public string? PlaceOf(string path)
    {
        var full = Full(path);
        Enter(Path.GetDirectoryName(full)!);
        if (!IsThere(full))
            return full;
        if (Directory.Exists(full) && !IsLink(full))
            throw new IOException("A folder of this name is in the way.");
        return existing switch
        {
            Existing.Kept => null,
            Existing.Beside => Dated(full, taken, IsThere),
            _ => full,
        };
    }

    /// <param name="path">Of a folder, in the point.</param>
    /// <returns>The folder, when it has to become as it was: it is new, or what is there is replaced.</returns>
    /// <exception cref="IOException">Something is in the way.</exception>
    public string? Make(string path)
    {
        var full = Full(path);
        var wasThere = Directory.Exists(full);
        Enter(full);
        return wasThere && existing is Existing.Kept or Existing.Beside ? null : full;
    }

    /// <summary>A name for what is written before it takes its place.</summary>
    public static string Beside(string path) => Path.Combine(Path.GetDirectoryName(path)!, $".ripen-{Guid.NewGuid():N}");

    /// <summary>What was made beside takes its place; what was there is replaced in one step, where it is to be.</summary>
    public void Settle(string path, string beside) => File.Move(beside, path, overwrite: existing == Existing.Replaced);

    /// <summary>A link takes its place; it has no content, so that what it replaces goes first.</summary>
    public static void Link(string path, string target)
    {
        File.Delete(path);
        File.CreateSymbolicLink(path, target);
    }

    private void Enter(string folder)
    {
        if (sound.Contains(folder))
            return;
        Enter(Path.GetDirectoryName(folder)!);
        if (IsLink(folder))
            throw new IOException("A link is in the way: nothing is written through it.");
        if (File.Exists(folder))
            throw new IOException("A file of a folder's name is in the way.");
        Directory.CreateDirectory(folder);
        sound.Add(folder);
    }

    /// <summary>A free name beside one that is taken, with the point's time.</summary>
    internal static string Dated(string path, DateTimeOffset taken, Func<string, bool> isThere)
    {
        var (folder, name, end) = (Path.GetDirectoryName(path)!, Path.GetFileNameWithoutExtension(path), Path.GetExtension(path));
        var of = taken.ToString("yyyy-MM-dd HH.mm", CultureInfo.InvariantCulture);
        for (var number = 1; ; number++)
        {
            var free = Path.Combine(folder, $"{name} (as of {of}{(number == 1 ? "" : $", {number}")}){end}");
            if (!isThere(free))
                return free;
        }
    }

    /// <summary>A point never leads out of the folder that it is restored into.</summary>
    private string Full(string path) =>
        path.Split('/').Any(p => p is "" or "." or "..") ? throw Damage.Of(path, "is no path inside a folder") : Path.Combine(root, path);

    private static bool IsThere(string path) => File.Exists(path) || Directory.Exists(path) || IsLink(path);

    private static bool IsLink(string path) => new FileInfo(path).LinkTarget is not null;
}
