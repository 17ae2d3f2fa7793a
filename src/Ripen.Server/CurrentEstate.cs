using System.Collections.Concurrent;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;

namespace Ripen.Server;

/// <summary>The estate of one version and its projections, which are computed once each.</summary>
public sealed class EstateView(StoredEstate stored)
{
    private readonly ConcurrentDictionary<int, Lazy<Projection>> projections = [];

    public Estate Estate => stored.Estate;

    public long Version => stored.Version;

    public long VersionOf(string bucket) => stored.BucketVersions[bucket];

    public Projection Project(int months) =>
        projections.GetOrAdd(months, m => new Lazy<Projection>(() => Projection.Of(Estate, m))).Value;
}

/// <summary>The stored estate, read again only when its version has changed; changes go through here one at a time.</summary>
public sealed class CurrentEstate(EstateStore store, RipenSettings settings) : IDisposable
{
    private readonly SemaphoreSlim changing = new(1);
    private volatile EstateView? view;

    /// <summary>Prepares the database, and loads the demo into an empty one when the settings want it.</summary>
    public async Task Begin()
    {
        await store.Prepare();
        if (settings.Demo && await store.Version() == 0) await store.Replace(Demo(), 0);
    }

    /// <summary>Null when there is no estate yet.</summary>
    public async Task<EstateView?> Get(CancellationToken cancel)
    {
        var version = await store.Version(cancel);
        var known = view;
        if (known?.Version == version) return known;
        return view = await store.Load(cancel) is { } stored ? new EstateView(stored) : null;
    }

    /// <summary>Runs <paramref name="change"/> on the newest estate while no other change is under way in this process.</summary>
    public async Task<T> Change<T>(Func<EstateView?, Task<T>> change, CancellationToken cancel)
    {
        await changing.WaitAsync(cancel);
        try
        {
            return await change(await Get(cancel));
        }
        finally
        {
            changing.Release();
        }
    }

    public static Estate Demo() =>
        EstateDocument.Read(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json"))).Value;

    public void Dispose() => changing.Dispose();
}
