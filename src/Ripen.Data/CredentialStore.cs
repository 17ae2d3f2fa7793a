using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Estates;

namespace Ripen.Data;

/// <summary>How a credential is used. Key: the key and its secret with every request. Token: they get short-lived tokens, and those are
/// used.</summary>
public enum CredentialKind
{
    Key,
    Token,
}

/// <param name="KeyId">The key's name at the provider.</param>
/// <param name="Protected">Its secret, protected.</param>
/// <param name="Added">By the wall clock.</param>
/// <param name="Ends">On the provider's clock, as whoever gave it said; null for never.</param>
public sealed record StoredSecret(string KeyId, byte[] Protected, DateTimeOffset Added, DateTimeOffset? Ends);

/// <param name="Secrets">The newest last.</param>
public sealed record StoredCredential(string Id, string Name, CredentialKind Kind, IReadOnlyList<StoredSecret> Secrets);

/// <summary>Credentials for the buckets of targets. They are no part of the estate: neither exported nor replaced with it.</summary>
public sealed class CredentialStore(IDbContextFactory<RipenDb> databases, ChangeLog log)
{
    public async Task<IReadOnlyList<StoredCredential>> All(CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var rows = await db.Credentials.AsNoTracking().Include(r => r.Secrets).OrderBy(r => r.Id).ToListAsync(cancel);
        return
        [
            .. rows.Select(r => new StoredCredential(
                r.Id,
                r.Name,
                Mapping.Value<CredentialKind>(r.Kind),
                [.. r.Secrets.OrderBy(s => s.Id).Select(s => new StoredSecret(s.KeyId, s.Protected, s.Added, s.Ends))]
            )),
        ];
    }

    /// <summary>Makes it, or puts it in the place of the one of this id.</summary>
    public async Task Put(StoredCredential credential, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        var row = await db.Credentials.Include(r => r.Secrets).SingleOrDefaultAsync(r => r.Id == credential.Id, cancel);
        var before = row is null ? null : Document(row);
        if (row is null)
            db.Add(
                row = new CredentialRow
                {
                    Id = credential.Id,
                    Name = credential.Name,
                    Kind = "",
                }
            );
        (row.Name, row.Kind) = (credential.Name, Mapping.Name(credential.Kind));
        row.Secrets.Clear();
        row.Secrets.AddRange(
            credential.Secrets.Select(s => new CredentialSecretRow
            {
                KeyId = s.KeyId,
                Protected = s.Protected,
                Added = s.Added,
                Ends = s.Ends,
            })
        );
        log.Add(db, before is null ? "credential-made" : "credential-changed", credential.Id, before, Document(row));
        await db.SaveChangesAsync(cancel);
    }

    public async Task Remove(string id, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        if (await db.Credentials.Include(r => r.Secrets).SingleOrDefaultAsync(r => r.Id == id, cancel) is not { } row)
            return;
        log.Add(db, "credential-removed", id, Document(row), null);
        db.Remove(row);
        await db.SaveChangesAsync(cancel);
    }

    /// <summary>For the log, and for everybody who reads that: no secret is in it.</summary>
    private static string Document(CredentialRow row) =>
        JsonSerializer.Serialize(
            new
            {
                row.Id,
                row.Name,
                row.Kind,
                Keys = row.Secrets.Select(s => new { s.KeyId, s.Ends }),
            },
            EstateDocument.Json
        );
}
