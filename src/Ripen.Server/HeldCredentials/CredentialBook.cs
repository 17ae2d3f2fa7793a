using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.DataProtection;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Access;

namespace Ripen.Server.HeldCredentials;

/// <param name="KeyId">The key's name at the provider.</param>
/// <param name="Added">By the wall clock.</param>
/// <param name="Ends">On the provider's clock; null for never.</param>
/// <param name="Ended">Whether that is past.</param>
/// <param name="Readable">Whether this installation can still read the secret: not after its own keys were lost.</param>
public sealed record SecretReading(string KeyId, DateTimeOffset Added, DateTimeOffset? Ends, bool Ended, bool Readable);

/// <summary>A credential as it stands. Its secrets are shown to nobody.</summary>
/// <param name="Id">In targets' <c>credential</c>.</param>
/// <param name="Name">For people.</param>
/// <param name="Kind">How it is used.</param>
/// <param name="Secrets">The newest last; the newest that has not ended is used.</param>
/// <param name="Ends">When the last of its secrets ends; null for never.</param>
/// <param name="Warning">What one should know of its end; null while it is far.</param>
/// <param name="TokenEnds">When the token in use ends, and another is fetched; null for none so far.</param>
/// <param name="UsedBy">The ids of targets.</param>
public sealed record CredentialReading(
    string Id,
    string Name,
    CredentialKind Kind,
    IReadOnlyList<SecretReading> Secrets,
    DateTimeOffset? Ends,
    string? Warning,
    DateTimeOffset? TokenEnds,
    IReadOnlyList<string> UsedBy
);

/// <summary>The credentials that this installation holds, protected in the database, and their use.</summary>
internal sealed class CredentialBook(
    CredentialStore store,
    IDataProtectionProvider protection,
    SimulatedProvider provider,
    TimeProvider time
)
{
    /// <summary>A warning comes so long before the end.</summary>
    private static readonly TimeSpan Notice = TimeSpan.FromDays(14);

    /// <summary>A token is replaced when so much of its life is left.</summary>
    private const double RenewAt = 0.2;

    private readonly IDataProtector protector = protection.CreateProtector("ripen credential 1");
    private readonly ConcurrentDictionary<string, AccessToken> tokens = [];
    private volatile IReadOnlyDictionary<string, StoredCredential> known = new Dictionary<string, StoredCredential>();

    public async Task Load(CancellationToken cancel) => known = (await store.All(cancel)).ToDictionary(c => c.Id);

    public IReadOnlyList<StoredCredential> All => [.. known.Values.OrderBy(c => c.Id, StringComparer.Ordinal)];

    /// <exception cref="RefusalException">There is none of this id.</exception>
    public StoredCredential Find(string id) =>
        known.GetValueOrDefault(id) ?? throw new RefusalException(RefusalKind.NotFound, "no-credential", Unknown(id), "$.credential");

    public bool Has(string id) => known.ContainsKey(id);

    public static string Unknown(string id) => $"This installation has no credential '{id}'; add it, or choose another.";

    public CredentialReading Read(StoredCredential credential, IEnumerable<string> usedBy)
    {
        var now = provider.Clock.Now;
        return new CredentialReading(
            credential.Id,
            credential.Name,
            credential.Kind,
            [.. credential.Secrets.Select(s => new SecretReading(s.KeyId, s.Added, s.Ends, s.Ends <= now, SecretOf(s) is not null))],
            LastEnd(credential),
            Warning(credential.Id),
            credential.Secrets.Select(s => tokens.GetValueOrDefault(s.KeyId)?.Ends).Max(),
            [.. usedBy]
        );
    }

    /// <summary>What one should know of its end; null while it is far.</summary>
    public string? Warning(string id)
    {
        if (!known.TryGetValue(id, out var credential))
            return Unknown(id);
        var now = provider.Clock.Now;
        return LastEnd(credential) switch
        {
            { } end when end <= now =>
                $"The credential '{credential.Name}' ended on {end:yyyy-MM-dd} of the provider's clock: nothing is reached with it. Add a secret that goes on.",
            { } end when end - now <= Notice =>
                $"The credential '{credential.Name}' ends on {end:yyyy-MM-dd HH:mm} of the provider's clock, {Wording.Span(end - now)} from now. Add a secret that goes on; both work meanwhile.",
            _ => null,
        };
    }

    /// <exception cref="RefusalException">There is one of this id.</exception>
    public async Task<StoredCredential> Make(
        string id,
        string name,
        CredentialKind kind,
        string keyId,
        string secret,
        DateTimeOffset? ends,
        CancellationToken cancel
    )
    {
        if (known.ContainsKey(id))
            throw new RefusalException(RefusalKind.Conflict, "exists", $"There is a credential '{id}' already.", "$.id");
        return await Put(new StoredCredential(id, name, kind, [Secret(keyId, secret, ends)]), cancel);
    }

    /// <summary>One more secret, which is used from now on; those that are there are tried when it does not work.</summary>
    /// <exception cref="RefusalException">There is no such credential, or it has this key.</exception>
    public async Task<StoredCredential> Add(string id, string keyId, string secret, DateTimeOffset? ends, CancellationToken cancel)
    {
        var credential = Find(id);
        return credential.Secrets.All(s => s.KeyId != keyId)
            ? await Put(credential with { Secrets = [.. credential.Secrets, Secret(keyId, secret, ends)] }, cancel)
            : throw new RefusalException(
                RefusalKind.Conflict,
                "exists",
                $"'{credential.Name}' has the key {keyId} already; remove it first.",
                "$.keyId"
            );
    }

    /// <exception cref="RefusalException">There is no such credential or key, or it is the only one.</exception>
    public async Task<StoredCredential> Drop(string id, string keyId, CancellationToken cancel)
    {
        var credential = Find(id);
        var left = credential.Secrets.Where(s => s.KeyId != keyId).ToList();
        if (left.Count == credential.Secrets.Count)
            throw new RefusalException(RefusalKind.NotFound, "no-key-of-this-id", $"'{credential.Name}' has no key {keyId}.");
        if (left.Count == 0)
            throw new RefusalException(
                RefusalKind.Conflict,
                "last-secret",
                $"{keyId} is the only key of '{credential.Name}'; add another first, or remove the credential."
            );
        return await Put(credential with { Secrets = left }, cancel);
    }

    public async Task Remove(string id, CancellationToken cancel)
    {
        Find(id);
        await store.Remove(id, cancel);
        await Load(cancel);
    }

    /// <summary>Whether a credential may do this: by its newest secret that has not ended, and the ones before it when the provider does not
    /// know that one (any more).</summary>
    /// <exception cref="RefusalException">It may not; the message says why.</exception>
    public void Demand(string id, string bucket, string key, Right right)
    {
        var credential = Find(id);
        var now = provider.Clock.Now;
        RefusalException? first = null;
        foreach (var secret in credential.Secrets.Reverse().Where(s => s.Ends is not { } end || end > now))
        {
            try
            {
                Try(credential, secret, bucket, key, right, now);
                return;
            }
            catch (RefusalException refused) when (IsOver(refused))
            {
                first ??= refused;
            }
            catch (RefusalException refused)
            {
                throw Refused(credential, refused.Code, refused.Message);
            }
        }
        throw Refused(
            credential,
            first?.Code ?? "credential-ended",
            first?.Message ?? $"it ended on {LastEnd(credential):yyyy-MM-dd} of the provider's clock; add a secret that goes on."
        );
    }

    /// <summary>Whether another secret may still work where this one does not.</summary>
    private static bool IsOver(RefusalException refused) => refused.Code is "unknown-key" or "key-ended" or "access-ended" or "secret-lost";

    private void Try(StoredCredential credential, StoredSecret secret, string bucket, string key, Right right, DateTimeOffset now)
    {
        try
        {
            provider.Access.Demand(bucket, key, right, Present(credential, secret, now));
        }
        catch (RefusalException ended) when (ended.Code == "token-ended")
        {
            // Its key went, or the provider began anew: the secret says which.
            tokens.TryRemove(secret.KeyId, out _);
            provider.Access.Demand(bucket, key, right, Present(credential, secret, now));
        }
    }

    private Credentials Present(StoredCredential credential, StoredSecret stored, DateTimeOffset now)
    {
        var secret =
            SecretOf(stored)
            ?? throw new RefusalException(
                RefusalKind.Forbidden,
                "secret-lost",
                "This installation's own keys are gone, and with them the secret; add it again."
            );
        if (credential.Kind == CredentialKind.Key)
            return new Credentials(stored.KeyId, secret);
        if (tokens.GetValueOrDefault(stored.KeyId) is { } token && token.Ends - now > RenewAt * (token.Ends - token.Made))
            return new Credentials(KeyToken: token.Token);
        var fresh = tokens[stored.KeyId] = provider.Access.Token(stored.KeyId, secret);
        return new Credentials(KeyToken: fresh.Token);
    }

    private static RefusalException Refused(StoredCredential credential, string code, string why) =>
        new(RefusalKind.Forbidden, code, $"The credential '{credential.Name}' does not open this: {why}", "$.credential");

    private static DateTimeOffset? LastEnd(StoredCredential credential) =>
        credential.Secrets.Any(s => s.Ends is null) ? null : credential.Secrets.Max(s => s.Ends);

    private StoredSecret Secret(string keyId, string secret, DateTimeOffset? ends) =>
        new(keyId, protector.Protect(Encoding.UTF8.GetBytes(secret)), time.GetUtcNow(), ends);

    private string? SecretOf(StoredSecret secret)
    {
        try
        {
            return Encoding.UTF8.GetString(protector.Unprotect(secret.Protected));
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    private async Task<StoredCredential> Put(StoredCredential credential, CancellationToken cancel)
    {
        await store.Put(credential, cancel);
        await Load(cancel);
        return credential;
    }
}
