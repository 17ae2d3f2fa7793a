using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Runs;

/// <summary>The entries of the point before, read beside the walk in the same order: memory stays flat however many there are.</summary>
internal sealed class KnownEntries : IAsyncDisposable
{
    private readonly PoolIndex index;
    private readonly IAsyncEnumerator<Entry>? entries;
    private Entry? next;
    private bool begun;

    public KnownEntries(Pool pool, PoolIndex index, Point? point, CancellationToken cancel)
    {
        this.index = index;
        entries = point is null ? null : pool.Entries(point, cancel).GetAsyncEnumerator(cancel);
    }

    /// <summary>The entry of the same path when the file is unchanged since, by inode, size and the time of its last change, and the pool
    /// still has all of it.</summary>
    public async ValueTask<Entry?> SameAs(Entry found)
    {
        if (entries is null)
            return null;
        if (!begun)
        {
            begun = true;
            await Next();
        }
        while (next is not null && Entry.Compare(next.Path, found.Path) < 0)
            await Next();
        return
            next is { Kind: EntryKind.File, Changed: not 0 }
            && found.Kind == EntryKind.File
            && next.Path == found.Path
            && (next.Changed, next.Modified, next.Size, next.Inode) == (found.Changed, found.Modified, found.Size, found.Inode)
            && Enumerable.Range(0, next.ChunkCount).All(i => index.Has(next.Chunk(i)))
            ? next
            : null;
    }

    /// <summary>A list that is damaged from here on only means that files are read again.</summary>
    private async Task Next()
    {
        try
        {
            next = await entries!.MoveNextAsync() ? entries.Current : null;
        }
        catch (RefusalException damaged) when (damaged.Kind == RefusalKind.Damaged)
        {
            next = null;
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (entries is not null)
            await entries.DisposeAsync();
    }
}
