using System.Net;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Points;
using Ripen.Core.Backups;
using Ripen.Provider;
using Ripen.Provider.Access;

namespace Ripen.Server.Backups;

/// <summary>A key with which the pool's bucket can be read from elsewhere.</summary>
/// <param name="Access">What the access is called.</param>
/// <param name="Id">Of the key; its secret was told once, and nobody here knows it.</param>
/// <param name="Ends">On the provider's clock; null for never.</param>
public sealed record SheetKey(string Access, string Id, DateTimeOffset? Ends);

/// <summary>What is needed to restore from a pool when nothing else is left: to be printed and kept somewhere else. Neither the passphrase nor
/// a secret is on it.</summary>
/// <param name="Target">As it is called here.</param>
/// <param name="Pool">Its own id, for life.</param>
/// <param name="Format">The version of docs/backup-format.md.</param>
/// <param name="Made">When the pool was.</param>
/// <param name="Encrypts">Whether its passphrase is needed.</param>
/// <param name="Places">The address of its bucket, or its folders.</param>
/// <param name="Region">Where the bucket is; null for a directory.</param>
/// <param name="Keys">That may list and read there now.</param>
/// <param name="Points">How many it holds now; null where it cannot be opened here.</param>
/// <param name="Newest">When the newest was taken.</param>
/// <param name="Missing">What stands in the way of a restore from elsewhere; empty when nothing does.</param>
/// <param name="Command">What lists its points, on any machine with Ripen's command line.</param>
public sealed record RecoverySheet(
    string Target,
    string Pool,
    int Format,
    DateTimeOffset Made,
    bool Encrypts,
    IReadOnlyList<string> Places,
    string? Region,
    IReadOnlyList<SheetKey> Keys,
    int? Points,
    DateTimeOffset? Newest,
    IReadOnlyList<string> Missing,
    string Command
);

internal static class RecoverySheetEndpoints
{
    public static void MapRecoverySheet(this RouteGroupBuilder api) =>
        api.MapGet("/targets/{id}/recovery-sheet", Read)
            .WithTags("Backups")
            .WithName("readRecoverySheet")
            .WithSummary("What is needed to restore from a target's pool when nothing else is left. No secret is in it.");

    private static async Task<Ok<RecoverySheet>> Read(
        string id,
        HttpRequest request,
        CurrentEstate current,
        Pools pools,
        TargetPlaces places,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        if (await pools.Look(target, cancel) is not var (pool, canOpen))
            throw new RefusalException(
                RefusalKind.NotFound,
                "no-pool",
                $"No pool is made in '{target.Name}' yet: there is nothing to recover."
            );
        var points = canOpen ? await Points(pools, target, cancel) : null;
        var (keys, missing) = (new List<SheetKey>(), new List<string>());
        string[] where;
        if (target.Bucket is { } bucket)
        {
            where = [$"{request.Scheme}://{request.Host}/objects/{bucket}/{target.Prefix}"];
            keys.AddRange(Keys(provider, bucket, target.Prefix));
            if (keys.Count == 0 && !provider.Access.IsPublic(bucket))
                missing.Add(
                    $"No key may list and read '{target.Prefix}' of '{bucket}': make an access for it, and keep its secret with this sheet."
                );
            if (keys.Count > 0 && keys.All(k => k.Ends is not null))
                missing.Add("Every key of it ends: print the sheet again when there is a new one.");
            if (IPAddress.TryParse(request.Host.Host, out var host) ? IPAddress.IsLoopback(host) : request.Host.Host == "localhost")
                missing.Add(
                    $"'{request.Host}' is reached from this machine only: open this page by the address that others use, and print that."
                );
            if (view.Estate.Find(bucket) is { OwnKey: true })
                missing.Add(
                    $"'{bucket}' is encrypted at rest under a key of its own: without that key the provider cannot read it either."
                );
        }
        else
        {
            where = [.. places.DirectoriesOf(target).Select(d => d.Folder)];
            missing.Add(
                "The pool lies on this machine: what takes the machine takes it too, unless its folders are carried away or copied."
            );
        }
        return TypedResults.Ok(
            new RecoverySheet(
                target.Name,
                pool.Id,
                pool.Format,
                pool.Made,
                pool.Encrypts,
                where,
                target.Bucket is { } name ? view.Estate.Find(name)!.Region : null,
                keys,
                points?.Count,
                points is { Count: > 0 } ? points.Max(p => p.Taken) : null,
                missing,
                $"ripen recover '{where[0]}'{string.Concat(where.Skip(1).Select(f => $" --beside '{f}'"))}"
            )
        );
    }

    private static async Task<IReadOnlyList<Point>> Points(Pools pools, BackupTarget target, CancellationToken cancel)
    {
        using var pool = await pools.Open(target, cancel);
        return (await pool.Points(cancel)).Points;
    }

    private static IEnumerable<SheetKey> Keys(SimulatedProvider provider, string bucket, string prefix) =>
        from access in provider.Access.Grants(bucket)
        where !access.Ended && prefix.StartsWith(access.Prefix, StringComparison.Ordinal)
        where access.Rights.Contains(Right.List) && access.Rights.Contains(Right.Read)
        from key in access.Keys
        where !key.Ended
        select new SheetKey(access.Label, key.Id, new[] { access.Ends, key.Ends }.Min());
}
