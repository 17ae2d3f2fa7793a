using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>What was done for room.</summary>
/// <param name="In">The name of the target in which it was made.</param>
/// <param name="Points">That went, oldest first.</param>
/// <param name="To">The id of the target to which they were moved; null where they were removed.</param>
/// <param name="RemovedBytes">Of the packs that are gone.</param>
public sealed record RoomReading(string In, IReadOnlyList<PointReading> Points, string? To, long RemovedBytes);

/// <summary>Makes room in directories as their targets say, and sends on what does not fit all the same.</summary>
internal sealed class RoomMaking(Pools pools, TargetPlaces places, SimulatedProvider provider, TimeProvider time)
{
    /// <summary>What all objects of a target's pool together may have, from its rule's lower mark.</summary>
    public static long GoalOf(BackupTarget target, double downTo) => (long)(downTo * target.AllCapacityBytes!.Value);

    /// <exception cref="RefusalException">The target that takes what is moved cannot be opened, or something is damaged: what went before is
    /// moved and removed, and nothing else is.</exception>
    public async Task<RoomReading> Make(Estate estate, BackupTarget target, Pool pool, CancellationToken stop)
    {
        var rule = target.MakeRoom!;
        using var to = rule.To is { } other ? await pools.Open(estate.Targets.First(t => t.Id == other), stop) : null;
        var made = await PoolRoom.Make(pool, GoalOf(target, rule.DownTo), rule.Leave, to, time, stop);
        provider.NoteLost(
            made.Points.Select(p => p.Id).ToHashSet(),
            rule.To is { } moved ? $"Its point was moved to '{moved}' for room." : "Its point was there, and was removed for room."
        );
        return new RoomReading(target.Name, [.. made.Points.Select(PointReading.Of)], rule.To, made.Pruned.RemovedBytes);
    }

    /// <summary>
    /// A run into a target's pool. Where its place is full, room is made once, if its rule says so; what does not fit then goes into the first
    /// of the others that takes it, each by its own rule. After it room is made where the run went, when that is above its mark.
    /// </summary>
    /// <returns>The point, each place that was full and what could not be done for room, and what was done last.</returns>
    public async Task<(Point Point, IReadOnlyList<RunProblem> Problems, RoomReading? Made)> Within(
        Estate estate,
        BackupTarget target,
        Pool pool,
        Func<Pool, Task<Point>> run,
        CancellationToken stop
    )
    {
        var problems = new List<RunProblem>();
        var others = new Queue<string>(target.SpillTo);
        var other = (Pool?)null;
        try
        {
            for (var (place, into) = (target, pool); ; )
            {
                RoomReading? made = null;
                try
                {
                    Point point;
                    try
                    {
                        point = await run(into);
                    }
                    catch (RefusalException full) when (full.Kind == RefusalKind.Full && place.MakeRoom is not null)
                    {
                        made = await Try(estate, place, into, problems, stop);
                        if (made is null)
                            throw;
                        point = await run(into);
                    }
                    if (made is null && IsAboveMark(place))
                        made = await Try(estate, place, into, problems, stop);
                    return (point, problems, made);
                }
                catch (RefusalException full) when (full.Kind == RefusalKind.Full && others.TryDequeue(out var id))
                {
                    var next = estate.Targets.First(t => t.Id == id);
                    problems.Add(
                        new RunProblem(
                            place.Name,
                            $"It is full: this run went on in '{next.Name}'. What it had stored here goes with the next prune."
                        )
                    );
                    other?.Dispose();
                    other = null;
                    other = await pools.Open(next, stop);
                    (place, into) = (next, other);
                }
            }
        }
        finally
        {
            other?.Dispose();
        }
    }

    private bool IsAboveMark(BackupTarget target) =>
        target.MakeRoom is { } rule && places.DirectoriesOf(target).Sum(d => d.StoredBytes) > rule.Above * target.AllCapacityBytes!.Value;

    private async Task<RoomReading?> Try(Estate estate, BackupTarget target, Pool pool, List<RunProblem> problems, CancellationToken stop)
    {
        try
        {
            var made = await Make(estate, target, pool, stop);
            if (made.Points.Count == 0 && IsAboveMark(target))
                problems.Add(
                    new RunProblem(
                        target.Name,
                        "It is above its mark, and the points that may go would not bring it down: none went. "
                            + "Let fewer stay, or give it more room."
                    )
                );
            return made;
        }
        catch (RefusalException refused)
        {
            problems.Add(new RunProblem(target.Name, $"No room could be made. {refused.Message}"));
            return null;
        }
    }
}
