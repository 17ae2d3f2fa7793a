using Microsoft.EntityFrameworkCore;

namespace Ripen.Data;

/// <summary>The protected secrets of backup pools. They are no part of the estate: neither exported nor replaced with it.</summary>
public sealed class PoolSecrets(IDbContextFactory<RipenDb> databases)
{
    /// <summary>Null when the pool's secret was never given.</summary>
    public async Task<byte[]?> Find(string poolId, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return (await db.PoolSecrets.AsNoTracking().SingleOrDefaultAsync(s => s.PoolId == poolId, cancel))?.Protected;
    }

    public async Task Put(string poolId, byte[] protectedSecret, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        if (await db.PoolSecrets.SingleOrDefaultAsync(s => s.PoolId == poolId, cancel) is { } row)
            row.Protected = protectedSecret;
        else
            db.Add(new PoolSecretRow { PoolId = poolId, Protected = protectedSecret });
        await db.SaveChangesAsync(cancel);
    }
}
