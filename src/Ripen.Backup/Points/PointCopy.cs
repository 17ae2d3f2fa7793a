using System.Security.Cryptography;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Points;

/// <summary>Stores a point in another pool, under that pool's keys and beside what lies there: the same moment, the same files. It is read
/// back and compared before anybody relies on it.</summary>
public static class PointCopy
{
    /// <returns>The point as it is in the other pool, which may have had it already.</returns>
    /// <exception cref="RefusalException">Some of the point is damaged, the other place takes nothing, or it is the same pool (code
    /// <c>same-pool</c>): no point is made there.</exception>
    /// <param name="from">Where it is.</param>
    /// <param name="point">Of it.</param>
    /// <param name="to">Where it is to be too.</param>
    /// <param name="clock">Dates the run's lease.</param>
    /// <param name="cancel">Ends early; no point is made.</param>
    /// <param name="keptUntil">Of the copy; null for the original's.</param>
    /// <param name="originalStays">Then what the other pool had before, and cannot be read without a wait, is not read again: it was compared
    /// when it came.</param>
    public static async Task<Point> Of(
        Pool from,
        Point point,
        Pool to,
        TimeProvider clock,
        CancellationToken cancel,
        DateOnly? keptUntil = null,
        bool originalStays = false
    )
    {
        // Two names of one place would let the only copy be taken for the second.
        if (from.Description.Id == to.Description.Id)
            throw new RefusalException(
                RefusalKind.Conflict,
                "same-pool",
                "The other target holds this same pool, or a copy of it: nothing is moved from a pool into itself."
            );
        var there = (await to.Points(cancel)).Points.FirstOrDefault(p => p.Id == point.Id);
        if (there is null)
        {
            // In a pool that deduplicates, a point that says whether it is full came encrypted and was kept apart.
            var apart = from.Description.Deduplicates && point.IsFull is not null;
            var options = new RunOptions
            {
                EncryptedAtSource = apart,
                As = point,
                Plan = point.Plan,
                KeptUntil = keptUntil ?? point.KeptUntil,
            };
            there = await BackupRun.Of(to, new PointSource(from, point), point.Workload, options, clock, null, cancel);
        }
        to.Forget();
        await Compare(from, point, to, there, originalStays, cancel);
        return there;
    }

    private static async Task Compare(Pool from, Point point, Pool to, Point copy, bool mayBeAway, CancellationToken cancel)
    {
        await using var copied = to.Entries(copy, cancel).GetAsyncEnumerator(cancel);
        await foreach (var entry in from.Entries(point, cancel))
        {
            if (
                !await copied.MoveNextAsync()
                || copied.Current with { Chunks = null } != entry with { Chunks = null }
                || !await IsSame(from, entry, to, copied.Current, mayBeAway, cancel)
            )
                throw Different(entry.Path);
        }
        if (await copied.MoveNextAsync())
            throw Different(copied.Current.Path);
    }

    private static async Task<bool> IsSame(Pool from, Entry entry, Pool to, Entry copy, bool mayBeAway, CancellationToken cancel)
    {
        try
        {
            return await Digest(to, copy, cancel) == await Digest(from, entry, cancel);
        }
        catch (RefusalException away) when (mayBeAway && Damage.IsAway(away))
        {
            // What this run stored is at hand: only what was there before is not.
            return true;
        }
    }

    private static async Task<string> Digest(Pool pool, Entry entry, CancellationToken cancel)
    {
        using var digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        await foreach (var content in pool.Content(entry, cancel))
            digest.AppendData(content.Span);
        return Convert.ToHexString(digest.GetHashAndReset());
    }

    private static RefusalException Different(string path) =>
        Damage.Of(path, "is not the same in the pool to which its point was copied: the original stays");
}
