using System.Collections.Concurrent;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A target that was not searched, or not all of it, and why.</summary>
public sealed record NotSearched(string Target, string Why);

/// <summary>What is known of pools' points, in memory only: read when a pool is first searched, and followed from then on. Who may not read a
/// target finds nothing in it, whatever is in memory.</summary>
/// <typeparam name="T">What is known of one pool; used by one search at a time.</typeparam>
/// <param name="pools">Opens them.</param>
/// <param name="most">Things in memory, of all pools together, beyond which those of others are forgotten.</param>
internal sealed class PoolMemory<T>(Pools pools, int most) : IDisposable
    where T : new()
{
    // By target too: a copy of a whole pool bears the same id, and has other points.
    private readonly ConcurrentDictionary<(string Target, string Pool), Known> known = [];

    private sealed record Known(T Of, SemaphoreSlim One)
    {
        public long LastUsed { get; set; }

        /// <summary>As of the last search: it may be added to by another at this moment.</summary>
        public int Size { get; set; }
    }

    /// <summary>Looks into every pool that can be opened.</summary>
    /// <param name="targets">Those that hold pools are searched.</param>
    /// <param name="look">Follows what was added, looks, and says how many things are in memory now.</param>
    /// <param name="cancel">Stops.</param>
    /// <returns>Where nobody looked, and why.</returns>
    public async Task<List<NotSearched>> Each(
        IEnumerable<BackupTarget> targets,
        Func<BackupTarget, Pool, T, Task<int>> look,
        CancellationToken cancel
    )
    {
        var not = new List<NotSearched>();
        foreach (var target in targets.Where(t => t.HoldsPool))
        {
            try
            {
                using var pool = await pools.Open(target, cancel);
                var key = (target.Id, pool.Description.Id);
                var own = known.GetOrAdd(key, _ => new Known(new T(), new SemaphoreSlim(1)));
                own.LastUsed = Environment.TickCount64;
                await own.One.WaitAsync(cancel);
                try
                {
                    own.Size = await look(target, pool, own.Of);
                }
                finally
                {
                    own.One.Release();
                }
                Forget(key);
            }
            catch (RefusalException refusal) when (refusal.Code != "no-pool")
            {
                not.Add(new NotSearched(target.Id, refusal.Message));
            }
            catch (RefusalException)
            {
                // Where no pool was made there is nothing to be found.
            }
        }
        return not;
    }

    private void Forget((string, string) last)
    {
        foreach (var (id, _) in known.Where(k => k.Key != last).OrderBy(k => k.Value.LastUsed).ToList())
        {
            if (known.Values.Sum(k => (long)k.Size) <= most)
                return;
            known.TryRemove(id, out _);
        }
    }

    public void Dispose()
    {
        foreach (var own in known.Values)
            own.One.Dispose();
    }
}
