using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Access;
using Ripen.Server.Clock;
using Ripen.Server.Objects;

namespace Ripen.Server.Access;

/// <summary>Who may reach a bucket's objects over plain HTTP.</summary>
public sealed record AccessReading(bool Public, IReadOnlyList<AccessGrant> Grants, IReadOnlyList<TimedLink> Links);

public sealed record AccessOrder
{
    public required string Label { get; init; }
    public string Prefix { get; init; } = "";
    public required IReadOnlyList<Right> Rights { get; init; }

    /// <summary>On the provider's clock; null for never.</summary>
    public DateTimeOffset? Ends { get; init; }
}

public sealed record LinkOrder
{
    public required string Key { get; init; }
    public bool WholePrefix { get; init; }

    /// <summary>A named span from the provider's now, so many hours from it, or an instant; one of the three.</summary>
    public Span? For { get; init; }

    /// <summary>Above 0 and at most 876,600.</summary>
    public double? ForHours { get; init; }
    public DateTimeOffset? Ends { get; init; }
}

/// <param name="Ends">When the new key ends, on the provider's clock; null for as long as the access.</param>
/// <param name="OthersEnd">When the keys that are there end, so that there is time to put the new one everywhere; null to leave
/// them.</param>
public sealed record KeyOrder(DateTimeOffset? Ends, DateTimeOffset? OthersEnd);

/// <param name="Ends">On the provider's clock; null for as long as the access.</param>
public sealed record KeyEnd(DateTimeOffset? Ends);

/// <summary>All that a program needs to connect, as one file. It holds the secret.</summary>
public sealed record ClientFile
{
    public const int Newest = 1;

    /// <summary>The version of the file's format.</summary>
    public int RipenAccess { get; init; } = Newest;

    /// <summary>Objects are at this address, followed by bucket and key.</summary>
    public required string Address { get; init; }

    /// <summary>Where the key and its secret get a token (RFC 6749, section 4.4).</summary>
    public required string TokenAddress { get; init; }
    public required string Bucket { get; init; }
    public string Prefix { get; init; } = "";
    public required IReadOnlyList<Right> Rights { get; init; }
    public required string KeyId { get; init; }
    public required string Secret { get; init; }

    /// <summary>On the provider's clock; null for never.</summary>
    public DateTimeOffset? Ends { get; init; }
}

/// <summary>A new key: its secret is in this answer, and nowhere else ever again.</summary>
public sealed record KeyReading(NewSecret Secret, ClientFile File);

/// <summary>A new access with its first key: the secret is in this answer, and nowhere else ever again.</summary>
public sealed record NewAccessReading(AccessGrant Access, NewSecret Secret, ClientFile File);

public sealed record PublicOrder
{
    /// <summary>The bucket's name, typed again.</summary>
    public required string Confirm { get; init; }
}

public sealed record AccessTestOrder
{
    public required string KeyId { get; init; }
    public required string Secret { get; init; }
}

internal static class AccessEndpoints
{
    public static void MapAccess(this RouteGroupBuilder api)
    {
        var bucket = api.MapGroup("/buckets/{name}").WithTags("Access").ForKnownBucket();
        bucket.MapGet("/access", Read).WithName("readAccess").WithSummary("Public reading, accesses with their keys, timed links.");
        bucket
            .MapPost("/access", Make)
            .WithName("makeAccess")
            .WithSummary("Makes an access with its first key. The secret is in this answer only.");
        bucket.MapDelete("/access/{id:long}", Remove).WithName("removeAccess").WithSummary("Ends an access at once.");
        bucket
            .MapPost("/access/{id:long}/keys", AddKey)
            .WithName("addKey")
            .WithSummary("Adds a key; those that are there go on working until the end that is said. The secret is in this answer only.");
        bucket.MapPut("/access/{id:long}/keys/{key}", EndKey).WithName("endKey").WithSummary("Sets when a key ends.");
        bucket
            .MapDelete("/access/{id:long}/keys/{key}", RemoveKey)
            .WithName("removeKey")
            .WithSummary("Ends a key at once, and its tokens; the access's other keys go on working.");
        bucket
            .MapPost("/access/test", Test)
            .WithName("testAccess")
            .WithSummary("Tries a key: lists, writes a probe, reads it back, compares, deletes it.");
        bucket
            .MapPost("/links", MakeLink)
            .WithName("makeLink")
            .WithSummary("Makes a timed link to an object or to everything under a prefix. Its address is in this answer only.");
        bucket.MapDelete("/links/{id}", RevokeLink).WithName("revokeLink").WithSummary("Revokes a timed link at once.");
        bucket
            .MapPut("/public", Open)
            .WithName("openToPublic")
            .WithSummary("Opens the bucket to everybody's reading; its name must be typed again. Logged.");
        bucket.MapDelete("/public", Close).WithName("closeToPublic").WithSummary("Closes the bucket again. Logged.");
    }

    private static Ok<AccessReading> Read(string name, SimulatedProvider provider) =>
        TypedResults.Ok(new AccessReading(provider.Access.IsPublic(name), provider.Access.Grants(name), provider.Access.Links.Of(name)));

    private static Created<NewAccessReading> Make(string name, AccessOrder order, SimulatedProvider provider, HttpRequest request)
    {
        var made = provider.Access.Make(name, order.Label, order.Prefix, [.. order.Rights], order.Ends);
        return TypedResults.Created(
            $"/api/buckets/{name}/access",
            new NewAccessReading(made.Access, made.Secret, FileOf(request, name, made.Access, made.Secret))
        );
    }

    private static NoContent Remove(string name, long id, SimulatedProvider provider)
    {
        provider.Access.Remove(name, id);
        return TypedResults.NoContent();
    }

    private static Ok<KeyReading> AddKey(string name, long id, KeyOrder order, SimulatedProvider provider, HttpRequest request)
    {
        var secret = provider.Access.AddKey(name, id, order.Ends, order.OthersEnd);
        var grant = provider.Access.Grants(name).Single(g => g.Id == id);
        return TypedResults.Ok(new KeyReading(secret, FileOf(request, name, grant, secret)));
    }

    private static NoContent EndKey(string name, long id, string key, KeyEnd order, SimulatedProvider provider)
    {
        provider.Access.EndKey(name, id, key, order.Ends);
        return TypedResults.NoContent();
    }

    private static NoContent RemoveKey(string name, long id, string key, SimulatedProvider provider)
    {
        provider.Access.RemoveKey(name, id, key);
        return TypedResults.NoContent();
    }

    private static ClientFile FileOf(HttpRequest request, string bucket, AccessGrant grant, NewSecret secret) =>
        new()
        {
            Address = $"{request.Scheme}://{request.Host}/objects/",
            TokenAddress = $"{request.Scheme}://{request.Host}{Tokens.Address}",
            Bucket = bucket,
            Prefix = grant.Prefix,
            Rights = grant.Rights,
            KeyId = secret.KeyId,
            Secret = secret.Secret,
            Ends = new[] { grant.Ends, grant.Keys.Single(k => k.Id == secret.KeyId).Ends }.Min(),
        };

    private static async Task<Ok<IReadOnlyList<AccessTestStep>>> Test(
        string name,
        AccessTestOrder order,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => TypedResults.Ok(await AccessTest.Run(provider.Access, provider.Objects, name, new Credentials(order.KeyId, order.Secret), cancel));

    private static Created<NewLink> MakeLink(string name, LinkOrder order, SimulatedProvider provider)
    {
        if (new object?[] { order.For, order.ForHours, order.Ends }.Count(o => o is not null) != 1)
            throw new RefusalException(RefusalKind.Invalid, "time-order", "Write 'for', 'forHours' or 'ends', one of the three.", "$.ends");
        if (order.ForHours is not (null or (> 0 and <= 876_600)))
            throw new RefusalException(
                RefusalKind.Invalid,
                "out-of-range",
                "A link lasts for more than 0 and at most 876600 hours.",
                "$.forHours"
            );
        var now = provider.Clock.Now;
        var ends = order.Ends?.ToUniversalTime() ?? order.For?.From(now) ?? now.AddHours(order.ForHours!.Value);
        return TypedResults.Created($"/api/buckets/{name}/access", provider.Access.Links.Make(name, order.Key, order.WholePrefix, ends));
    }

    private static NoContent RevokeLink(string name, string id, SimulatedProvider provider)
    {
        provider.Access.Links.Revoke(name, id);
        return TypedResults.NoContent();
    }

    private static NoContent Open(string name, PublicOrder order, SimulatedProvider provider)
    {
        provider.Access.OpenToPublic(name, order.Confirm);
        return TypedResults.NoContent();
    }

    private static NoContent Close(string name, SimulatedProvider provider)
    {
        provider.Access.CloseToPublic(name);
        return TypedResults.NoContent();
    }
}
