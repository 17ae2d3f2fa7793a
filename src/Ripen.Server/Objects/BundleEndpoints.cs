using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Objects;

namespace Ripen.Server.Objects;

/// <summary>What is to be bundled of a bucket.</summary>
/// <param name="Prefix">Objects under it.</param>
/// <param name="SmallerThan">Only those of fewer bytes: 1 to 64,000,000.</param>
public sealed record BundleRequest(string Prefix = "", long SmallerThan = 1_000_000);

internal static class BundleEndpoints
{
    private const long Largest = 64_000_000;

    public static void MapBundles(this RouteGroupBuilder api)
    {
        var bundles = api.MapGroup("/buckets/{name}").WithTags("Objects").ForKnownBucket();
        bundles
            .MapPost("/bundle-drafts", Foresee)
            .WithName("readBundling")
            .WithSummary("What bundling small objects would do, cost once and save a month. Nothing is done.");
        bundles
            .MapPost("/bundles", Make)
            .WithName("bundleObjects")
            .WithSummary("Puts small objects into a tar archive with an index beside it; they go when it has been read back and compared.");
        bundles.MapGet("/bundle-members/{**key}", Members).WithName("listBundle").WithSummary("What lies in a bundle, by its index.");
        bundles
            .MapGet("/bundle-member/{**key}", Member)
            .WithName("readBundleMember")
            .WithSummary("One member of a bundle, read by a range.")
            .Produces(200, contentType: "application/octet-stream");
    }

    private static Ok<Bundling> Foresee(string name, BundleRequest request, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Bundles.Foresee(Order(name, request)));

    private static async Task<Ok<Bundling>> Make(
        string name,
        BundleRequest request,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => TypedResults.Ok(await provider.Bundles.Make(Order(name, request), cancel));

    private static async Task<Ok<BundleIndex>> Members(string name, string key, SimulatedProvider provider, CancellationToken cancel) =>
        TypedResults.Ok(await provider.Bundles.Members(name, key, cancel));

    private static async Task<PushStreamHttpResult> Member(
        string name,
        string key,
        SimulatedProvider provider,
        [Description("The key that the member had.")] string member,
        CancellationToken cancel
    )
    {
        var (bundle, found) = await provider.Bundles.Open(name, key, member, cancel);
        return TypedResults.Stream(
            async to =>
            {
                using (bundle)
                    await bundle.Send(found.Offset, found.Offset + found.Bytes, to, cancel);
            },
            "application/octet-stream",
            found.Key[(found.Key.LastIndexOf('/') + 1)..]
        );
    }

    private static BundleOrder Order(string bucket, BundleRequest request) =>
        request.SmallerThan is < 1 or > Largest
            ? throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"Say 1 to {Largest} bytes.", "$.smallerThan")
            : new(bucket, request.Prefix, request.SmallerThan);
}
