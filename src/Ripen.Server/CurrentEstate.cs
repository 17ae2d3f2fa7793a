using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Stores;

namespace Ripen.Server;

/// <summary>
/// Brings store and provider together: a newer estate is adopted by the provider before anybody sees it, and changes go through here one at
/// a time. The store decides; what the provider had not done when a process ended is done by the next look. Where the two do not belong
/// together nothing is adopted: what the folder follows can be looked at, and nothing be changed.
/// </summary>
public sealed class CurrentEstate(EstateStore store, SimulatedProvider provider, ILogger<CurrentEstate> log) : IDisposable
{
    private readonly SemaphoreSlim changing = new(1);
    private readonly SemaphoreSlim adopting = new(1);
    private StoredEstate? adopted;
    private EstateView? view;
    private (long Version, string Mark)? refused;
    private volatile StoresReading stores = new(Standing.Together, Agreement.Words(Standing.Together), null, [], null, null);

    /// <summary>How the two stores stand.</summary>
    public StoresReading Stores => stores;

    /// <summary>Whether there is an estate in force: all that an object's request asks. Costs nothing.</summary>
    public bool IsThere => Volatile.Read(ref adopted) is not null;

    /// <summary>The first look, at nothing but whether there is an estate that can be looked at; <see cref="Stores"/> says why
    /// not.</summary>
    public async Task<bool> Begin()
    {
        await adopting.WaitAsync();
        try
        {
            await Reconcile(CancellationToken.None);
            return IsThere;
        }
        finally
        {
            adopting.Release();
        }
    }

    /// <summary>Null when there is no estate yet.</summary>
    /// <exception cref="RefusalException">The stores do not belong together, and the folder follows nothing that could be looked
    /// at.</exception>
    public async Task<EstateView?> Get(CancellationToken cancel)
    {
        await adopting.WaitAsync(cancel);
        try
        {
            await Reconcile(cancel);
            if (adopted is null)
                return stores.Standing == Standing.Together ? null : throw Differ();
            var stock = provider.Stock(view?.Stock);
            if (view is null || !ReferenceEquals(view.Stored, adopted) || !Same(view.Stock, stock))
                view = EstateView.Of(adopted, stock, view);
            return view;
        }
        finally
        {
            adopting.Release();
        }
    }

    /// <summary>Runs <paramref name="change"/> on the newest estate while no other change is under way in this process; the provider knows
    /// of it on return.</summary>
    /// <exception cref="RefusalException">The stores do not belong together.</exception>
    public async Task<T> Change<T>(Func<EstateView?, Task<T>> change, CancellationToken cancel)
    {
        await changing.WaitAsync(cancel);
        try
        {
            var now = await Get(cancel);
            DemandTogether();
            return await change(now);
        }
        finally
        {
            changing.Release();
        }
    }

    /// <summary>
    /// Stores a change, inside <see cref="Change"/>: looked at by the provider first, so that nothing that is kept goes or is kept less,
    /// and taken up by it before anybody can put more where something goes.
    /// </summary>
    public async Task Apply(PlannedChange change, Func<Task> storing)
    {
        using var reserved = provider.Reserve(change);
        await storing();
        await Get(CancellationToken.None);
    }

    /// <exception cref="RefusalException">The stores do not belong together.</exception>
    public void DemandTogether()
    {
        if (stores.Standing != Standing.Together)
            throw Differ();
    }

    /// <summary>Makes the two one again, as somebody chose.</summary>
    /// <param name="choice">One of those that are offered.</param>
    /// <param name="cancel">Stops before anything is done.</param>
    /// <exception cref="RefusalException">It is not offered; or something that is kept would go by it.</exception>
    public async Task Resolve(StoresChoice choice, CancellationToken cancel)
    {
        await changing.WaitAsync(cancel);
        try
        {
            await adopting.WaitAsync(cancel);
            try
            {
                await Reconcile(cancel);
                if (!stores.Choices.Contains(choice))
                    throw new RefusalException(
                        RefusalKind.Conflict,
                        "not-offered",
                        "This is not offered as the two stores stand now.",
                        "$.choice"
                    );
                if (choice == StoresChoice.TakeFolder)
                    await store.Restore(ToStored(provider.KeptPlan!), (await store.Load(cancel: cancel))?.Estate, cancel);
                else
                    await TakeDatabase(cancel);
                refused = null;
                (adopted, view) = (null, null);
                await Reconcile(CancellationToken.None);
            }
            finally
            {
                adopting.Release();
            }
        }
        finally
        {
            changing.Release();
        }
    }

    /// <summary>The draft with the stock that lies in the bucket it replaces, cut so that the drafted rules match it exactly.</summary>
    public Bucket WithStock(Bucket draft, Bucket stored) =>
        draft with
        {
            Recalled = stored.Recalled,
            Unfinished = stored.Unfinished,
            Stock =
                draft.Rules.All(r => stored.Rules.Any(s => s.StepScope.IsSame(r.StepScope)))
                && draft.CopyTo.All(c => stored.CopyTo.Any(c.IsSame))
                    ? stored.Stock
                    : provider.StockFor(stored.Name, draft),
        };

    public void Dispose()
    {
        changing.Dispose();
        adopting.Dispose();
    }

    /// <summary>Looks whether the store has moved, and whether the provider may follow.</summary>
    private async Task Reconcile(CancellationToken cancel)
    {
        var standing = await store.Standing(cancel);
        if (adopted is not null && standing is not null && (adopted.Version, adopted.Mark) == (standing.Version, standing.Mark))
            return;
        if (adopted is not null && refused is { } again && standing is not null && again == (standing.Version, standing.Mark))
            return;
        var folder = provider.Standing;
        var how = Agreement.Of(standing, folder);
        if (how != Standing.Together)
        {
            Part(how, standing, folder, null, standing is null ? null : await store.Load(cancel: cancel));
            return;
        }
        if (standing is null)
            return;
        var stored = (await store.Load(stores.Standing == Standing.Together ? adopted : null, cancel))!;
        try
        {
            await Adopt(stored, cancel);
            stores = new StoresReading(Standing.Together, Agreement.Words(Standing.Together), null, [], null, null);
        }
        catch (Exception error) when (error is RefusalException or Microsoft.Data.Sqlite.SqliteException or IOException)
        {
            log.LogError(
                error,
                "The provider did not take up version {Version} of the estate; what it followed before stays in force.",
                stored.Version
            );
            refused = (stored.Version, stored.Mark);
            Part(Standing.NotTakenUp, standing, folder, error.Message, stored);
        }
    }

    private void Part(Standing how, StoreStanding? standing, FolderStanding folder, string? reason, StoredEstate? stored)
    {
        var kept = provider.KeptPlan;
        if (stores.Standing != how)
            log.LogError("{Words} {Reason}", Agreement.Words(how), reason ?? "Decide at /stores what is to hold.");
        stores = new StoresReading(
            how,
            Agreement.Words(how),
            reason,
            Agreement.Choices(how, kept is not null),
            standing is null
                ? null
                : new StoreSide(standing.Identity, standing.Version, [.. stored?.Estate.Buckets.Select(b => b.Name) ?? []]),
            new StoreSide(folder.Identity, folder.Version, kept is null ? [] : [.. kept.Estate.Buckets.Select(b => b.Name)])
        );
        adopted = kept is null ? null : ToStored(kept);
    }

    private async Task Adopt(StoredEstate stored, CancellationToken cancel)
    {
        // Marks are random: when the folder bears the same, it follows this very version already.
        var folder = provider.Standing;
        if (!provider.HasPlan || (folder.Identity, folder.Version, folder.Mark) != (stored.Identity, stored.Version, stored.Mark))
        {
            provider.Adopt(
                new ProviderPlan(
                    stored.Estate,
                    stored.Version,
                    stored.ImportVersion,
                    stored.Buckets.ToDictionary(
                        b => b.Key,
                        b => new PlannedBucket(b.Value.StatedOn, b.Value.StockVersion, b.Value.LiftVersion)
                    ),
                    stored.Identity,
                    stored.Mark
                )
            );
        }
        if (stored.Estate.Buckets.Any(b => b.Stock.Count > 0 || b.CopyTo.Any(c => c.Waiting.Count > 0)))
        {
            await store.HandedOver(stored.Version, cancel);
            stored = stored with { Estate = stored.Estate with { Buckets = [.. stored.Estate.Buckets.Select(b => b.WithoutContents())] } };
        }
        await store.Adopted(stored.Version, stored.Mark, cancel);
        adopted = stored;
    }

    /// <summary>The database's estate becomes the folder's next plan; whatever both know stays where it lies.</summary>
    private async Task TakeDatabase(CancellationToken cancel)
    {
        var folder = provider.Standing;
        using (provider.Reserve(new PlannedChange((await store.Load(cancel: cancel))!.Estate)))
        {
            await store.Prevail(folder.Version, folder.ImportVersion, provider.KeptPlan?.Estate, cancel);
            await Adopt((await store.Load(cancel: cancel))!, cancel);
        }
    }

    private static StoredEstate ToStored(ProviderPlan plan) =>
        new(
            plan.Estate,
            plan.Version,
            plan.ImportVersion,
            plan.Buckets.ToDictionary(b => b.Key, b => new StoredBucket(1, b.Value.StatedOn, b.Value.StockVersion, b.Value.LiftVersion)),
            plan.Identity,
            plan.Mark
        );

    private RefusalException Differ() =>
        new(RefusalKind.Conflict, "stores-differ", $"{stores.Words} Decide at /stores what is to hold; until then nothing can be changed.");

    private static bool Same(ProviderStock a, ProviderStock b) =>
        ReferenceEquals(a, b)
        || (
            a.Today == b.Today
            && a.PlanVersion == b.PlanVersion
            && a.NewestRun == b.NewestRun
            && a.Buckets.Count == b.Buckets.Count
            && a.Buckets.All(s => b.Buckets.TryGetValue(s.Key, out var other) && ReferenceEquals(s.Value, other))
        );
}
