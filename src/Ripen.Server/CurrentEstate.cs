using System.Collections.Concurrent;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server;

/// <summary>
/// The estate of one moment, whole: what was decided comes from the store, today and the stock from the provider. Its projections are computed once
/// each, and what did not change since the view before is taken over from there.
/// </summary>
public sealed class EstateView
{
    private readonly ConcurrentDictionary<int, Lazy<Projection>> projections = [];
    private readonly StoredEstate stored;

    private EstateView(StoredEstate stored, ProviderStock stock, Estate estate, EstateView? before)
    {
        (this.stored, Stock, Estate) = (stored, stock, estate);
        if (before is null || !ReferenceEquals(before.Estate.PriceBook, estate.PriceBook)) return;
        foreach (var (months, known) in before.projections)
        {
            if (known.IsValueCreated) projections[months] = new Lazy<Projection>(() => known.Value.With(estate));
        }
    }

    public Estate Estate { get; }

    public long Version => stored.Version;

    internal ProviderStock Stock { get; }

    internal StoredEstate Stored => stored;

    public long VersionOf(string bucket) => stored.Buckets[bucket].Version;

    public Projection Project(int months) =>
        projections.GetOrAdd(months, m => new Lazy<Projection>(() => Projection.Of(Estate, m))).Value;

    internal static EstateView Of(StoredEstate stored, ProviderStock stock, EstateView? before)
    {
        var buckets = stored.Estate.Buckets.Select(bucket =>
        {
            var lots = stock.Buckets[bucket.Name].Lots;
            var same = ReferenceEquals(before?.stored, stored) && before.Stock.Today == stock.Today && before.Estate.Find(bucket.Name) is { } known && ReferenceEquals(known.Stock, lots)
                ? known
                : null;
            return same ?? bucket with
            {
                Stock = lots,
                Streams = [.. bucket.Streams.Select(s => s.AsOf(stock.Today, stored.Buckets[bucket.Name].StatedOn))],
                CopyTo = [.. bucket.CopyTo.Zip(stock.Buckets[bucket.Name].Copies, (rule, now) => rule with { CatchUp = rule.CatchUp && !now.IsCaughtUp, Waiting = now.Waiting })],
            };
        });
        return new EstateView(stored, stock, stored.Estate with { Today = stock.Today, Buckets = [.. buckets] }, before);
    }
}

/// <summary>
/// Brings store and provider together: a newer estate is adopted by the provider before anybody sees it, and changes go through here one at a time.
/// The store decides; what the provider had not done when a process ended is done by the next look.
/// </summary>
public sealed class CurrentEstate(EstateStore store, SimulatedProvider provider, RipenSettings settings) : IDisposable
{
    private readonly SemaphoreSlim changing = new(1);
    private readonly SemaphoreSlim adopting = new(1);
    private StoredEstate? adopted;
    private EstateView? view;

    /// <summary>Prepares the database, and loads the demo into an empty one when the settings want it.</summary>
    public async Task Begin()
    {
        await store.Prepare();
        if (settings.Demo && await store.Version() == 0)
        {
            await store.Replace(Demo(), 0);
            await Get(CancellationToken.None);
            await DemoContents.Put(provider.Objects);
        }
        await Get(CancellationToken.None);
    }

    /// <summary>Null when there is no estate yet.</summary>
    public async Task<EstateView?> Get(CancellationToken cancel)
    {
        await adopting.WaitAsync(cancel);
        try
        {
            var version = await store.Version(cancel);
            if (version == 0) return null;
            if (adopted?.Version != version) await Adopt(cancel);
            var stock = provider.Stock(view?.Stock);
            if (view is null || !ReferenceEquals(view.Stored, adopted) || !Same(view.Stock, stock)) view = EstateView.Of(adopted!, stock, view);
            return view;
        }
        finally
        {
            adopting.Release();
        }
    }

    /// <summary>Runs <paramref name="change"/> on the newest estate while no other change is under way in this process; the provider knows of it on return.</summary>
    public async Task<T> Change<T>(Func<EstateView?, Task<T>> change, CancellationToken cancel)
    {
        await changing.WaitAsync(cancel);
        try
        {
            var result = await change(await Get(cancel));
            await Get(CancellationToken.None);
            return result;
        }
        finally
        {
            changing.Release();
        }
    }

    /// <summary>The draft with the stock that lies in the bucket it replaces, cut so that the drafted rules match it exactly.</summary>
    public Bucket WithStock(Bucket draft, Bucket stored) => draft with
    {
        Stock = draft.Rules.All(r => stored.Rules.Any(s => s.Prefix == r.Prefix && s.SmallestBytes == r.SmallestBytes)) && draft.CopyTo.All(c => stored.CopyTo.Any(c.IsSame))
            ? stored.Stock
            : provider.StockFor(stored.Name, draft),
    };

    public static Estate Demo() =>
        EstateDocument.Read(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json"))).Value;

    public void Dispose()
    {
        changing.Dispose();
        adopting.Dispose();
    }

    private async Task Adopt(CancellationToken cancel)
    {
        var stored = (await store.Load(cancel))!;
        provider.Adopt(new ProviderPlan(stored.Estate, stored.Version, stored.ImportVersion,
            stored.Buckets.ToDictionary(b => b.Key, b => new PlannedBucket(b.Value.StatedOn, b.Value.StockVersion))));
        if (stored.Estate.Buckets.Any(b => b.Stock.Count > 0 || b.CopyTo.Any(c => c.Waiting.Count > 0))) await store.HandedOver(stored.Version, cancel);
        adopted = stored;
    }

    private static bool Same(ProviderStock a, ProviderStock b) =>
        a.Today == b.Today && a.Buckets.Count == b.Buckets.Count && a.Buckets.All(s => b.Buckets.TryGetValue(s.Key, out var other) && ReferenceEquals(s.Value, other));
}
