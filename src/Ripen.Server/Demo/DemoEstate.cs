using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Backups;
using Ripen.Server.Budgets;

namespace Ripen.Server.Demo;

/// <summary>The estate of the demo as it ships.</summary>
public static class DemoDocument
{
    public static Estate Read() =>
        EstateDocument.Read(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json"))).Value;
}

/// <summary>
/// The made-up estate of Brackwater Ferries, with the past that it has lived. The past is a list of steps; how many were done is remembered
/// after each, so that a start that was killed goes on where it was.
/// </summary>
internal sealed class DemoEstate(
    CurrentEstate current,
    EstateStore store,
    BackupStore backups,
    BudgetStore fixedBudgets,
    BudgetWatch watch,
    SimulatedProvider provider,
    Rehearsals rehearsals,
    Pools pools,
    PlannedBackups planned,
    PlannedRehearsals rehearsed,
    WaitingRestores restores,
    BackupRoots roots,
    TimeProvider time,
    RipenSettings settings,
    LocalActors actors,
    ILogger<DemoEstate> log
)
{
    /// <summary>Loads the demo where there is no estate.</summary>
    /// <exception cref="RefusalException">There is one.</exception>
    public Task Load(CancellationToken cancel) => actors.As(Actor.Demo, () => LoadAndLive(cancel));

    /// <summary>Does what is left of the demo's past; nothing where there is no demo, or it is whole.</summary>
    public Task Live(CancellationToken cancel) => actors.As(Actor.Demo, () => LiveOn(cancel));

    private async Task LoadAndLive(CancellationToken cancel)
    {
        await current.Change(
            async view =>
            {
                if (view is not null)
                    throw new RefusalException(
                        RefusalKind.Conflict,
                        "estate-exists",
                        "There is an estate already; the demo is loaded only where there is none."
                    );
                await current.Apply(
                    new PlannedChange(DemoDocument.Read(), IsImport: true),
                    () => store.Replace(DemoDocument.Read(), 0, isDemo: true, cancel)
                );
                return true;
            },
            cancel
        );
        await LiveOn(cancel);
    }

    private async Task LiveOn(CancellationToken cancel)
    {
        if (await store.Standing(cancel) is not { DemoSteps: { } done } || current.Stores.Standing != Stores.Standing.Together)
            return;
        await current.Get(cancel);
        var steps = DemoPast.Steps(settings.DemoPast);
        var office = roots.All is [var root, ..] ? Path.Combine(root, "office") : null;
        var hands = new DemoHands(
            current,
            store,
            backups,
            fixedBudgets,
            provider,
            rehearsals,
            pools,
            [restores.Stops, planned.Stops, rehearsed.Stops, watch.Stops],
            time,
            office
        );
        for (; done < steps.Count; done++)
        {
            log.LogInformation("Preparing the demo, {Done} of {Steps}: {What}.", done + 1, steps.Count, steps[done].What);
            await steps[done].Do(hands, cancel);
            await store.DemoReached(done + 1, CancellationToken.None);
        }
        await store.DemoReached(null, CancellationToken.None);
        Leftovers.GiveBack();
    }
}
