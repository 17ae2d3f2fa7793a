using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Sealing;
using Ripen.Server.Http;
using Ripen.Server.Objects;

namespace Ripen.Server.Encryption;

/// <param name="Confirm">The bucket's name, typed again.</param>
public sealed record WithdrawOrder(string Confirm);

/// <summary>Encryption at rest. Whether a bucket has a key of its own is said in the bucket itself (<c>ownKey</c>).</summary>
internal static class EncryptionEndpoints
{
    public static void MapEncryption(this RouteGroupBuilder api)
    {
        var provider = api.MapGroup("/encryption").WithTags("Encryption");
        provider.MapGet("", OfProvider).WithName("readEncryption").WithSummary("The provider's key, and what it encrypts.");
        provider
            .MapPost("/rotate", RotateProvider)
            .WithName("rotateProviderKey")
            .WithSummary("A new key takes the place of the provider's. No content is rewritten.");
        var bucket = api.MapGroup("/buckets/{name}/encryption").WithTags("Encryption").ForKnownBucket();
        bucket
            .MapGet("", Of)
            .WithName("readBucketEncryption")
            .WithSummary("What encrypts a bucket's contents at rest, and what it encrypts.");
        bucket
            .MapPost("/rotate", Rotate)
            .WithName("rotateBucketKey")
            .WithSummary("A new key takes the place of the bucket's own. No content is rewritten.");
        bucket
            .MapPost("/withdraw", Withdraw)
            .WithName("withdrawBucketKey")
            .WithSummary("Nothing under the bucket's own key can be read or written until it is given back. Destroys nothing. Logged.");
        bucket.MapPost("/give-back", GiveBack).WithName("giveBackBucketKey").WithSummary("Ends the withdrawal. Logged.");
    }

    private static Ok<BucketSeal> OfProvider(SimulatedProvider provider) => TypedResults.Ok(provider.Sealing.OfProvider());

    private static Ok<BucketSeal> Of(string name, SimulatedProvider provider) => TypedResults.Ok(provider.Sealing.Of(name));

    private static Ok<BucketSeal> RotateProvider(SimulatedProvider provider)
    {
        provider.Sealing.Rotate(null);
        return TypedResults.Ok(provider.Sealing.OfProvider());
    }

    private static Ok<BucketSeal> Rotate(string name, SimulatedProvider provider)
    {
        provider.Sealing.Rotate(name);
        return TypedResults.Ok(provider.Sealing.Of(name));
    }

    private static Ok<BucketSeal> Withdraw(string name, WithdrawOrder order, SimulatedProvider provider)
    {
        provider.Sealing.Withdraw(name, order.Confirm);
        return TypedResults.Ok(provider.Sealing.Of(name));
    }

    private static Ok<BucketSeal> GiveBack(string name, SimulatedProvider provider)
    {
        provider.Sealing.GiveBack(name);
        return TypedResults.Ok(provider.Sealing.Of(name));
    }
}
