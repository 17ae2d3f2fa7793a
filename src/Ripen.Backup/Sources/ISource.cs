using Ripen.Backup.Points;

namespace Ripen.Backup.Sources;

/// <summary>What a run backs up: entries in the order of <see cref="Entry.Compare"/>, and the content of files.</summary>
public interface ISource
{
    /// <exception cref="RefusalException">It is not there (code <c>no-source</c>).</exception>
    void Demand();

    /// <summary>Everything in it but files' content.</summary>
    /// <param name="problem">Told of what cannot be walked.</param>
    IEnumerable<Entry> Walk(Action<RunProblem> problem);

    /// <exception cref="IOException">It is gone, or cannot be read.</exception>
    /// <exception cref="UnauthorizedAccessException">It may not be read.</exception>
    Stream Open(Entry file);

    /// <summary>What the entry is now; null when it is gone.</summary>
    Entry? Look(string path);
}
