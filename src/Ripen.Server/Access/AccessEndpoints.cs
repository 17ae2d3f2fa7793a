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
        bucket
            .MapGet("/access", Read)
            .WithName("readAccess")
            .WithSummary("Public reading, accesses with their pairs of keys, timed links.");
        bucket
            .MapPost("/access", Make)
            .WithName("makeAccess")
            .WithSummary("Makes an access with a pair of keys. The secrets are in this answer only.");
        bucket.MapDelete("/access/{id:long}", Remove).WithName("removeAccess").WithSummary("Ends an access at once.");
        bucket
            .MapPost("/access/{id:long}/keys/{place:int}", Renew)
            .WithName("renewKey")
            .WithSummary("Replaces the first or second key of the pair; the other one goes on working.");
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

    private static Created<NewAccess> Make(string name, AccessOrder order, SimulatedProvider provider) =>
        TypedResults.Created(
            $"/api/buckets/{name}/access",
            provider.Access.Make(name, order.Label, order.Prefix, [.. order.Rights], order.Ends)
        );

    private static NoContent Remove(string name, long id, SimulatedProvider provider)
    {
        provider.Access.Remove(name, id);
        return TypedResults.NoContent();
    }

    private static Ok<NewSecret> Renew(string name, long id, int place, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Access.Renew(name, id, place));

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
