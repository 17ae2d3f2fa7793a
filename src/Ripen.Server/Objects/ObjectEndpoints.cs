using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Stock;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

/// <summary>What one object is and was: its versions, newest first, and what the chosen one was charged so far; null for a deletion's
/// mark.</summary>
public sealed record ObjectDetails(StoredVersion Chosen, ObjectCharged? Charged, IReadOnlyList<StoredVersion> Versions);

/// <summary>Where to move current objects by hand: the object of this key, or everything that begins with it.</summary>
public sealed record TierMoveOrder
{
    public required string Scope { get; init; }
    public bool WholePrefix { get; init; }
    public required string Tier { get; init; }
}

public sealed record MonthlyAmount(Month Month, double Amount);

/// <summary>A bucket's money by month: metered up to today (the running month so far), projected from today on (the rest of it
/// first).</summary>
public sealed record BucketMoney(DateOnly Today, IReadOnlyList<MonthlyAmount> Metered, IReadOnlyList<MonthlyAmount> Projected);

/// <summary>Keys that somebody is about to write, at most 10,000.</summary>
public sealed record KeysQuestion([property: System.Text.Json.Serialization.JsonRequired] IReadOnlyList<string> Keys);

internal static class ObjectEndpoints
{
    private const int MostKeysAsked = 10_000;

    public static void MapObjects(this RouteGroupBuilder api)
    {
        var bucket = api.MapGroup("/buckets/{name}").WithTags("Objects").AddEndpointFilter(KnownBucket);
        bucket
            .MapGet("/objects", List)
            .WithName("listObjects")
            .WithSummary("A page of keys and common prefixes, in the order of UTF-8 bytes.");
        bucket
            .MapPost("/taken-keys", ReadTaken)
            .WithName("readTakenKeys")
            .WithSummary("Of the keys that are asked for, those that an upload would overwrite. Nothing is stored.");
        bucket.MapGet("/deletions", Deletions).WithName("listDeletions").WithSummary("Deleted objects whose deletion can be undone.");
        bucket
            .MapPut("/objects/{**key}", Put)
            .WithName("putObject")
            .WithSummary("Stores the body as an object. If-Match, If-None-Match: *, Content-Digest: sha-256=:…:.")
            .TakesBytes();
        bucket
            .MapGet("/objects/{**key}", Get)
            .WithName("getObject")
            .WithSummary("The object's bytes, each block checked before it is sent. Range, If-None-Match, ?version, ?download.")
            .Produces<byte[]>(contentType: "application/octet-stream")
            .Produces(StatusCodes.Status206PartialContent);
        bucket
            .MapDelete("/objects/{**key}", Delete)
            .WithName("deleteObject")
            .WithSummary(
                "Deletes the object; with versioning it stays as an earlier version. ?version deletes one version for good; that of a "
                    + "deletion undoes it."
            );
        bucket
            .MapGet("/details/{**key}", Details)
            .WithName("readObject")
            .WithSummary("Versions, checksum, tier, keep date and charges so far of an object.");
        bucket.MapPost("/tier-moves", Move).WithName("moveToTier").WithSummary("Moves objects to another tier by hand.");
        bucket
            .MapPost("/tier-moves/draft", Foresee)
            .WithName("readTierMoveDraft")
            .WithSummary("What such a move would do and cost. Nothing is moved.");
        bucket
            .MapGet("/untouched", ReadUntouched)
            .WithName("readUntouched")
            .WithSummary("By prefix, what nobody read or wrote for 30, 90, 180 and 365 days, and what it costs a month.");
        bucket.MapGet("/money", Money).WithName("readBucketMoney").WithSummary("Metered and projected money by month.");
        bucket
            .MapGet("/contents", Totals)
            .WithName("readContentTotals")
            .WithSummary("How many objects with content the bucket holds, and their bytes.");
    }

    private static async ValueTask<object?> KnownBucket(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        var services = context.HttpContext.RequestServices;
        if (!services.GetRequiredService<CurrentEstate>().IsThere)
            return Problems.NoEstate();
        var name = (string)context.HttpContext.Request.RouteValues["name"]!;
        return services.GetRequiredService<SimulatedProvider>().HasBucket(name) ? await next(context) : Problems.NoBucket(name);
    }

    /// <summary>Adds the filter that answers for buckets that are not there. It asks for nothing but the bucket: no stock is counted for
    /// it.</summary>
    public static TBuilder ForKnownBucket<TBuilder>(this TBuilder builder)
        where TBuilder : IEndpointConventionBuilder => builder.AddEndpointFilter(KnownBucket);

    private static Ok<ListingPage> List(
        string name,
        SimulatedProvider provider,
        string prefix = "",
        string? delimiter = null,
        [Description("A page's 'next'.")] string? after = null,
        [Description("From 1 to 1,000.")] int most = 100,
        [Description("Begins at this text after the prefix.")] string? from = null,
        [Description("Only keys that hold this text, whatever the case of its letters A to Z.")] string? contains = null
    ) => TypedResults.Ok(provider.Objects.List(name, prefix, delimiter, after, most, from, contains));

    private static Results<Ok<IReadOnlyList<string>>, ProblemHttpResult> ReadTaken(
        string name,
        KeysQuestion question,
        SimulatedProvider provider
    ) =>
        question.Keys.Count > MostKeysAsked
            ? Problems.Invalid("out-of-range", "$.keys", $"At most {MostKeysAsked} keys are asked for at once.")
            : TypedResults.Ok(provider.Objects.Taken(name, question.Keys));

    private static Ok<IReadOnlyList<StoredVersion>> Deletions(
        string name,
        SimulatedProvider provider,
        string prefix = "",
        [Description("At most so many, up to 1,000.")] int most = 100
    ) => TypedResults.Ok(provider.Objects.Deletions(name, prefix, Math.Clamp(most, 1, ListingPage.Most)));

    private static async Task<Created<StoredVersion>> Put(
        string name,
        HttpContext context,
        SimulatedProvider provider,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var stored = await ObjectHttp.Put(context, provider.Objects, name, Key(context), time, cancel);
        return TypedResults.Created(context.Request.RawPath(), stored);
    }

    private static Task Get(string name, HttpContext context, SimulatedProvider provider, TimeProvider time) =>
        ObjectHttp.Get(context, provider.Objects, name, Key(context), time);

    private static Ok<Deletion> Delete(
        string name,
        HttpContext context,
        SimulatedProvider provider,
        [Description("Only this version, for good.")] long? version = null
    ) => TypedResults.Ok(ObjectHttp.Delete(context, provider.Objects, name, Key(context)));

    private static Results<Ok<ObjectDetails>, ProblemHttpResult> Details(
        string name,
        HttpContext context,
        SimulatedProvider provider,
        long? version = null
    )
    {
        var key = Key(context);
        var versions = provider.Objects.Versions(name, key);
        var chosen = versions.FirstOrDefault(v => version is null ? v.IsCurrent : v.Version == version);
        return chosen is null
            ? Problems.NotFound("no-object", $"There is no object '{key}' here.")
            : TypedResults.Ok(new ObjectDetails(chosen, provider.ChargedSoFar(name, chosen.Version), versions));
    }

    private static Ok<TierMove> Move(string name, TierMoveOrder order, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Objects.Move(name, order.Scope, order.WholePrefix, order.Tier));

    private static Ok<TierMove> Foresee(string name, TierMoveOrder order, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Objects.ForeseeMove(name, order.Scope, order.WholePrefix, order.Tier));

    private static Ok<IReadOnlyList<UntouchedPrefix>> ReadUntouched(
        string name,
        SimulatedProvider provider,
        [Description("Only what begins so.")] string under = ""
    ) => TypedResults.Ok(provider.Untouched(name, under));

    private static Ok<ContentTotals> Totals(string name, SimulatedProvider provider) => TypedResults.Ok(provider.Contents(name));

    private static async Task<Results<Ok<BucketMoney>, ProblemHttpResult>> Money(
        string name,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("Months ahead, 1 to 360.")] int months = 24
    )
    {
        if (Horizon.Check(months) is { } wrong)
            return wrong;
        var view = (await current.Get(cancel))!;
        var today = view.Estate.Today;
        var metered = provider
            .Ledger(DateOnly.MinValue, today.AddDays(1), name)
            .GroupBy(r => Month.Of(r.Day))
            .Select(m => new MonthlyAmount(m.Key, m.Sum(r => r.Amount)));
        var projected = ForecastSeries.Of(view.Project(months), SplitBy.Bucket, name);
        return TypedResults.Ok(
            new BucketMoney(today, [.. metered], [.. projected.Months.Zip(projected.Money, (m, amount) => new MonthlyAmount(m, amount))])
        );
    }

    /// <summary>From /api/buckets/NAME/objects/KEY, as it was sent.</summary>
    private static string Key(HttpContext context) => context.Request.KeyAfter(4);
}
