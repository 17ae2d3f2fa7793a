namespace Ripen.Backup.Pools;

/// <summary>
/// A pool over several directories, most often on a disk each: a new object goes where most room is left. Every directory says which parts there
/// are (<see cref="PoolPart"/>), so that one whose disk is not there, or that nobody names, is noticed and not taken for lost.
/// </summary>
/// <param name="places">The description of the pool lies in the first of a new one.</param>
public sealed class SpreadObjects(IReadOnlyList<DirectoryObjects> places) : IPoolObjects
{
    private static readonly Lock Joining = new();

    private IReadOnlyList<DirectoryObjects>? parts;

    public async Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
    {
        DemandNew(key);
        if (key == PoolDescription.Key)
        {
            await places[0].Put(key, content, cancel);
            return;
        }
        RefusalException? full = null;
        foreach (var place in places.OrderByDescending(p => p.FreeBytes))
        {
            try
            {
                await place.Put(key, content, cancel);
                return;
            }
            catch (RefusalException refused) when (refused.Kind == RefusalKind.Full)
            {
                full ??= refused;
            }
        }
        throw full!;
    }

    /// <summary>Where that much may not fit it is gathered first: a place that turns out to be full is passed over.</summary>
    public async Task Put(string key, Stream content, int most, CancellationToken cancel)
    {
        if (places.MaxBy(p => p.FreeBytes) is { } place && place.FreeBytes >= most)
        {
            DemandNew(key);
            await place.Put(key, content, most, cancel);
        }
        else
            await Put(key, await IPoolObjects.Gathered(content, cancel), cancel);
    }

    private void DemandNew(string key)
    {
        Demand();
        Join();
        if (places.Any(p => p.Has(key)))
            throw DirectoryObjects.Exists(key);
    }

    public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => PlaceOf(key).Read(key, from, length, cancel);

    public Task<int> Read(string key, long from, Memory<byte> into, CancellationToken cancel) => PlaceOf(key).Read(key, from, into, cancel);

    private DirectoryObjects PlaceOf(string key)
    {
        Demand();
        return places.FirstOrDefault(p => p.Has(key)) ?? places[0];
    }

    public async Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel)
    {
        Demand();
        return [.. (await Task.WhenAll(places.Select(p => p.List(prefix, cancel)))).SelectMany(o => o)];
    }

    public async Task Delete(string key, CancellationToken cancel)
    {
        Demand();
        foreach (var place in places)
            await place.Delete(key, cancel);
    }

    /// <summary>These are no parts any more.</summary>
    /// <exception cref="RefusalException">A part is not there, or one of these holds something (code <c>holds-packs</c>).</exception>
    public void Leave(IReadOnlyList<DirectoryObjects> left)
    {
        Demand();
        if (left.FirstOrDefault(d => d.ObjectCount > 0) is { } holding)
            throw new RefusalException(
                RefusalKind.Conflict,
                "holds-packs",
                $"'{holding.Folder}' holds {Wording.Bytes(holding.StoredBytes)} of the pool: points would lose what lies there. "
                    + "It can be left when it is empty.",
                "$.moreFolders"
            );
        lock (Joining)
        {
            var gone = left.Select(d => d.Part?.Id).OfType<string>().ToHashSet();
            foreach (var place in places.Except(left))
            {
                if (place.Part is { } part)
                    place.Mark(part with { Parts = part.Parts.Where(p => !gone.Contains(p.Key)).ToDictionary() });
            }
            foreach (var place in left)
                place.Unmark();
        }
    }

    /// <summary>Every part is there: all that any of the directories knows when they are looked at first, and those from then on.</summary>
    private void Demand()
    {
        if (parts is null)
        {
            var found = places.Select(p => (Place: p, p.Part)).Where(p => p.Part is not null).ToList();
            var ids = found.Select(f => f.Part!.Id).ToHashSet();
            if (found.SelectMany(f => f.Part!.Parts).FirstOrDefault(p => !ids.Contains(p.Key)) is { Value: { } path })
                throw Missing(path);
            parts = [.. found.Select(f => f.Place)];
        }
        if (parts.FirstOrDefault(p => !p.IsMarked) is { } missing)
            throw Missing(missing.Folder);
    }

    /// <summary>Makes directories that are new parts of the pool: each says so itself before the others tell of it.</summary>
    private void Join()
    {
        if (parts!.Count == places.Count)
            return;
        lock (Joining)
        {
            foreach (var place in places.Where(p => !p.IsMarked))
            {
                if (place.ObjectCount > 0 && (!place.Has(PoolDescription.Key) || places.Count(p => p.Has(PoolDescription.Key)) > 1))
                    throw new RefusalException(
                        RefusalKind.Conflict,
                        "not-empty",
                        $"'{place.Folder}' holds something that is not of this pool: a directory that joins it is empty.",
                        "$.moreFolders"
                    );
            }
            var all = places.Select(p => (Place: p, Id: p.Part?.Id ?? PoolPart.NewId())).ToList();
            var told = all.ToDictionary(p => p.Id, p => p.Place.Folder);
            foreach (var (place, id) in all.OrderBy(p => p.Place.IsMarked))
                place.Mark(new PoolPart(id, told));
            parts = places;
        }
    }

    private static RefusalException Missing(string path) =>
        new(
            RefusalKind.Conflict,
            "place-missing",
            $"'{path}' holds a part of the pool and is not there: is its disk missing, or does the target not name it? Nothing is read, written or "
                + "changed meanwhile, so that nothing is taken for lost."
        );
}
