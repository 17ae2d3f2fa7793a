using System.Text.Json.Serialization;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.HeldCredentials;

/// <param name="KeyId">The key's name at the provider.</param>
/// <param name="Secret">Blanks around it are left out.</param>
/// <param name="Ends">On the provider's clock; null for never.</param>
public sealed record SecretOrder([property: JsonRequired] string KeyId, [property: JsonRequired] string Secret, DateTimeOffset? Ends);

/// <param name="Id">Lower-case letters, digits and hyphens: what targets name it by.</param>
/// <param name="Name">For people.</param>
/// <param name="Kind">How it is used.</param>
/// <param name="KeyId">The key's name at the provider.</param>
/// <param name="Secret">Blanks around it are left out.</param>
/// <param name="Ends">On the provider's clock; null for never.</param>
public sealed record CredentialOrder(
    [property: JsonRequired] string Id,
    [property: JsonRequired] string Name,
    CredentialKind Kind,
    [property: JsonRequired] string KeyId,
    [property: JsonRequired] string Secret,
    DateTimeOffset? Ends
);

/// <param name="Credential">As it is now.</param>
/// <param name="Trimmed">Whether blanks around the key or its secret were left out.</param>
public sealed record CredentialAnswer(CredentialReading Credential, bool Trimmed);

internal static partial class CredentialEndpoints
{
    public static void MapCredentials(this RouteGroupBuilder api)
    {
        var credentials = api.MapGroup("/credentials").WithTags("Credentials");
        credentials.MapGet("", ReadAll).WithName("readCredentials").WithSummary("All credentials; their secrets are shown to nobody.");
        credentials.MapPost("", Make).WithName("makeCredential").WithSummary("Keeps a credential, encrypted.");
        credentials
            .MapPost("/{id}/secrets", AddSecret)
            .WithName("addSecret")
            .WithSummary("One more secret, which is used from now on; those that are there are tried when it does not work.");
        credentials.MapDelete("/{id}/secrets/{key}", DropSecret).WithName("dropSecret").WithSummary("Forgets a secret.");
        credentials
            .MapDelete("/{id}", Remove)
            .WithName("removeCredential")
            .WithSummary("Forgets a credential that no target uses. The key goes on working elsewhere.");
    }

    private static async Task<Ok<IReadOnlyList<CredentialReading>>> ReadAll(
        CredentialBook book,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var users = await Users(current, cancel);
        return TypedResults.Ok<IReadOnlyList<CredentialReading>>([.. book.All.Select(c => book.Read(c, users[c.Id]))]);
    }

    private static async Task<Created<CredentialAnswer>> Make(
        CredentialOrder order,
        CredentialBook book,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (!Id().IsMatch(order.Id))
            throw new RefusalException(
                RefusalKind.Invalid,
                "invalid-id",
                "An id has 1 to 63 lower-case letters, digits and hyphens, and begins with a letter or digit.",
                "$.id"
            );
        var (name, keyId, secret) = (order.Name.Trim(), order.KeyId.Trim(), order.Secret.Trim());
        Demand(name, "$.name", "Say what it is for.");
        Check(keyId, secret, order.Ends, provider);
        var made = await book.Make(order.Id, name, order.Kind, keyId, secret, order.Ends, cancel);
        return TypedResults.Created(
            "/api/credentials",
            new CredentialAnswer(await Reading(made, book, current, cancel), (keyId, secret) != (order.KeyId, order.Secret))
        );
    }

    private static async Task<Ok<CredentialAnswer>> AddSecret(
        string id,
        SecretOrder order,
        CredentialBook book,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (keyId, secret) = (order.KeyId.Trim(), order.Secret.Trim());
        Check(keyId, secret, order.Ends, provider);
        var changed = await book.Add(id, keyId, secret, order.Ends, cancel);
        return TypedResults.Ok(
            new CredentialAnswer(await Reading(changed, book, current, cancel), (keyId, secret) != (order.KeyId, order.Secret))
        );
    }

    private static async Task<Ok<CredentialReading>> DropSecret(
        string id,
        string key,
        CredentialBook book,
        CurrentEstate current,
        CancellationToken cancel
    ) => TypedResults.Ok(await Reading(await book.Drop(id, key, cancel), book, current, cancel));

    private static async Task<NoContent> Remove(string id, CredentialBook book, CurrentEstate current, CancellationToken cancel)
    {
        var users = (await Users(current, cancel))[id].ToList();
        if (users.Count > 0)
            throw new RefusalException(
                RefusalKind.Conflict,
                "in-use",
                $"'{book.Find(id).Name}' is used by {string.Join(", ", users)}; give {(users.Count == 1 ? "it" : "them")} another credential first."
            );
        await book.Remove(id, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<ILookup<string, string>> Users(CurrentEstate current, CancellationToken cancel) =>
        ((await current.Get(cancel))?.Estate.Targets ?? []).Where(t => t.Credential is not null).ToLookup(t => t.Credential!, t => t.Id);

    private static async Task<CredentialReading> Reading(
        StoredCredential credential,
        CredentialBook book,
        CurrentEstate current,
        CancellationToken cancel
    ) => book.Read(credential, (await Users(current, cancel))[credential.Id]);

    private static void Check(string keyId, string secret, DateTimeOffset? ends, SimulatedProvider provider)
    {
        Demand(keyId, "$.keyId", "Write the key's name, as it was shown with its secret.");
        Demand(secret, "$.secret", "Write the secret, as it was shown once.");
        if (ends <= provider.Clock.Now)
            throw new RefusalException(
                RefusalKind.Invalid,
                "ended-already",
                $"It is {provider.Clock.Now:yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider; choose an end after that.",
                "$.ends"
            );
    }

    private static void Demand(string text, string path, string message)
    {
        if (text.Length == 0)
            throw new RefusalException(RefusalKind.Invalid, "empty-text", message, path);
    }

    [GeneratedRegex("^[a-z0-9][a-z0-9-]{0,62}$")]
    private static partial Regex Id();
}
