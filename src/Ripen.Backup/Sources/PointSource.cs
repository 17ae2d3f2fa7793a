using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Sources;

/// <summary>A restore point as a source: what it holds is stored in another pool as a run would have stored it there.</summary>
public sealed class PointSource(Pool pool, Point point) : ISource
{
    private Entry? opened;

    public void Demand() { }

    public IEnumerable<Entry> Walk(Action<RunProblem> problem) => pool.Entries(point, CancellationToken.None).ToBlockingEnumerable();

    /// <exception cref="RefusalException">What is read of it is damaged: nobody wants a point that lacks a file without a word.</exception>
    public Stream Open(Entry file)
    {
        opened = file;
        return new ChunkStream(pool, file);
    }

    /// <summary>As it was when it was opened: a point does not change.</summary>
    public Entry? Look(string path) => opened;
}
