using Microsoft.EntityFrameworkCore;

namespace Ripen.Data;

/// <summary>A self-test of a backup target that was made.</summary>
/// <param name="At">When.</param>
/// <param name="Worked">Whether every step did.</param>
/// <param name="Steps">As JSON.</param>
public sealed record TargetProbe(DateTimeOffset At, bool Worked, string Steps);

/// <summary>What self-tests of targets found: the newest of each. They are no part of the estate.</summary>
public sealed class TargetProbes(IDbContextFactory<RipenDb> databases)
{
    private const int Kept = 50;

    /// <summary>Newest first, at most 50.</summary>
    public async Task<IReadOnlyList<TargetProbe>> Of(string target, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return Newest(await db.Probes.AsNoTracking().Where(p => p.Target == target).ToListAsync(cancel));
    }

    /// <summary>The newest of every target that has one.</summary>
    public async Task<IReadOnlyDictionary<string, TargetProbe>> Last(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var all = await db.Probes.AsNoTracking().ToListAsync(cancel);
        return all.GroupBy(p => p.Target).ToDictionary(g => g.Key, g => Newest(g)[0]);
    }

    public async Task Put(string target, TargetProbe probe, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var old = await db.Probes.Where(p => p.Target == target).ToListAsync(cancel);
        db.RemoveRange(old.OrderByDescending(p => p.At).Skip(Kept - 1));
        db.Add(
            new ProbeRow
            {
                Target = target,
                At = probe.At,
                Worked = probe.Worked,
                Steps = probe.Steps,
            }
        );
        await db.SaveChangesAsync(cancel);
    }

    /// <summary>What is removed has proved nothing any more.</summary>
    public async Task Forget(string target, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await db.Probes.Where(p => p.Target == target).ExecuteDeleteAsync(cancel);
    }

    private static List<TargetProbe> Newest(IEnumerable<ProbeRow> rows) =>
        [.. rows.OrderByDescending(p => p.At).Select(p => new TargetProbe(p.At, p.Worked, p.Steps))];
}
