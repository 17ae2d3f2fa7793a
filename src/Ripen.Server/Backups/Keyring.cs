using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Ripen.Backup.Pools;
using Ripen.Data;

namespace Ripen.Server.Backups;

/// <summary>The secrets of pools, volumes and cartridges, protected in the database once their passphrase was given; the passphrase itself
/// is not kept.</summary>
internal sealed class Keyring(PoolSecrets secrets, IDataProtectionProvider protection)
{
    private const int LeastCharacters = 12;

    private readonly IDataProtector protector = protection.CreateProtector("ripen pool secret 1");

    /// <summary>Without the blanks around it: they come from pasting, and nobody sees them when it is typed again.</summary>
    /// <exception cref="RefusalException">It is too short to keep anybody out.</exception>
    public static string Demand(string? passphrase) =>
        passphrase?.Trim() is { Length: >= LeastCharacters } trimmed
            ? trimmed
            : throw new RefusalException(
                RefusalKind.Invalid,
                "short-passphrase",
                $"A passphrase of {LeastCharacters} characters at least is needed: it is the only way in when this machine is gone.",
                "$.passphrase"
            );

    /// <summary>Tries a passphrase as it is and, if it has blanks around it, without them.</summary>
    /// <exception cref="RefusalException">Neither is the one.</exception>
    public static T Try<T>(string? passphrase, Func<string?, T> open)
    {
        try
        {
            return open(passphrase);
        }
        catch (RefusalException wrong) when (wrong.Code == "wrong-passphrase" && passphrase != passphrase?.Trim())
        {
            return open(passphrase!.Trim());
        }
    }

    public Task Keep(string id, byte[] secret, CancellationToken cancel) => secrets.Put(id, protector.Protect(secret), cancel);

    /// <summary>Null when its passphrase was not given here, or what protected it is gone.</summary>
    public async Task<byte[]?> Find(string id, WrappedSecret wrapped, CancellationToken cancel)
    {
        if (wrapped.Kdf is null)
            return wrapped.Unwrap(null, id);
        if (await secrets.Find(id, cancel) is not { } kept)
            return null;
        try
        {
            return protector.Unprotect(kept);
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    /// <exception cref="RefusalException">It is not known here.</exception>
    public async Task<byte[]> Need(string id, WrappedSecret wrapped, string what, CancellationToken cancel) =>
        await Find(id, wrapped, cancel)
        ?? throw new RefusalException(
            RefusalKind.Conflict,
            "needs-passphrase",
            $"{what} is encrypted, and this server does not know its passphrase. Give it first."
        );
}
