using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Buckets;

/// <summary>A legal hold that somebody places.</summary>
/// <param name="Id">Of the case: lower-case letters, digits and hyphens.</param>
/// <param name="Reason">Why, in 1 to 1,000 characters.</param>
/// <param name="By">Who answers for it, in 1 to 100 characters.</param>
/// <param name="Prefix">What begins so; empty for the whole bucket, a whole key for one object.</param>
/// <param name="Tags">Only what carries all of these; null for no such condition.</param>
public sealed record HoldOrder(
    [property: JsonRequired] string Id,
    [property: JsonRequired] string Reason,
    [property: JsonRequired] string By,
    string Prefix = "",
    IReadOnlyDictionary<string, string>? Tags = null
);

/// <summary>A hold that somebody ends.</summary>
/// <param name="Reason">Why, in 1 to 1,000 characters.</param>
/// <param name="By">Who answers for it, in 1 to 100 characters.</param>
/// <param name="Confirm">The hold's id, typed.</param>
public sealed record ReleaseOrder(
    [property: JsonRequired] string Reason,
    [property: JsonRequired] string By,
    [property: JsonRequired] string Confirm
);

/// <summary>What a hold would match.</summary>
public sealed record HoldScope(string Prefix = "", IReadOnlyDictionary<string, string>? Tags = null);

/// <summary>How much something matches: weightless objects and earlier versions too.</summary>
public sealed record Matched(double Objects, double Bytes);

/// <summary>A hold, and what it keeps today.</summary>
public sealed record HoldReading(Hold Hold, bool Holds, Matched Matched);

/// <summary>Legal holds of buckets are placed and released by these requests alone, each with a name and a reason that the log keeps.</summary>
internal static class HoldEndpoints
{
    private const int LongestReason = 1000;
    private const int LongestName = 100;

    public static void MapHolds(this RouteGroupBuilder api)
    {
        var holds = api.MapGroup("/buckets/{name}/holds").WithTags("Retention");
        holds.MapGet("", ReadAll).WithName("readHolds").WithSummary("The bucket's legal holds, ended ones too. The ETag is the bucket's.");
        holds.MapPost("/draft", Foresee).WithName("readHoldDraft").WithSummary("What a hold would match today. Nothing is done.");
        holds.MapPost("", Place).WithName("placeHold").WithSummary("Places a legal hold: from now on nothing that it matches can go.");
        holds
            .MapPost("/{id}/release", Release)
            .WithName("releaseHold")
            .WithSummary("Releases a legal hold: what nothing else keeps can go from now on.");
    }

    private static async Task<Results<Ok<IReadOnlyList<HoldReading>>, ProblemHttpResult>> ReadAll(
        string name,
        CurrentEstate current,
        SimulatedProvider provider,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (view.Estate.Find(name) is not { } bucket)
            return Problems.NoBucket(name);
        response.SetVersion(view.VersionOf(name));
        var matched = provider.HeldIn(name);
        var today = view.Estate.Today;
        return TypedResults.Ok<IReadOnlyList<HoldReading>>([
            .. bucket.Holds.Select(h =>
            {
                var (objects, bytes) = matched.GetValueOrDefault(h.Id);
                return new HoldReading(h, h.Placed <= today && (h.Released is null || today < h.Released), new Matched(objects, bytes));
            }),
        ]);
    }

    private static async Task<Results<Ok<Matched>, ProblemHttpResult>> Foresee(
        string name,
        HoldScope scope,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (view.Estate.Find(name) is null)
            return Problems.NoBucket(name);
        var (objects, bytes) = provider.WouldHold(name, new Scope(scope.Prefix, scope.Tags));
        return TypedResults.Ok(new Matched(objects, bytes));
    }

    private static Task<Results<Ok<Bucket>, ProblemHttpResult>> Place(
        string name,
        HoldOrder order,
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel
    ) =>
        Change(
            name,
            request,
            response,
            current,
            (bucket, today) =>
                Said(order.Reason, order.By) is { } wrong
                    ? (null, wrong)
                    : (
                        [
                            .. bucket.Holds,
                            new Hold
                            {
                                Id = order.Id,
                                Prefix = order.Prefix,
                                Tags = order.Tags,
                                Reason = order.Reason.Trim(),
                                Placed = today,
                                PlacedBy = order.By.Trim(),
                            },
                        ],
                        null
                    ),
            (view, before, after) =>
                store.ChangeHolds(
                    before,
                    after,
                    isRelease: false,
                    order.Reason.Trim(),
                    view.Estate.Today,
                    view.VersionOf(name),
                    view.Version,
                    cancel
                ),
            cancel
        );

    private static Task<Results<Ok<Bucket>, ProblemHttpResult>> Release(
        string name,
        string id,
        ReleaseOrder order,
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel
    ) =>
        Change(
            name,
            request,
            response,
            current,
            (bucket, today) =>
            {
                if (bucket.Holds.FirstOrDefault(h => h.Id == id) is not { } hold)
                    return (null, Problems.NotFound("no-hold", $"'{name}' has no legal hold '{id}'."));
                if (hold.Released <= today)
                    return (null, Problems.Conflict("released", $"The hold '{id}' was released on {hold.Released:yyyy-MM-dd}."));
                if (Said(order.Reason, order.By) is { } wrong)
                    return (null, wrong);
                if (order.Confirm != id)
                    return (
                        null,
                        Problems.Invalid(
                            "not-confirmed",
                            "$.confirm",
                            $"What it holds may be deleted from then on; type '{id}' to confirm."
                        )
                    );
                var released = hold with
                {
                    Released = hold.Placed > today ? hold.Placed : today,
                    ReleasedBy = order.By.Trim(),
                    ReleasedBecause = order.Reason.Trim(),
                };
                return ([.. bucket.Holds.Select(h => h.Id == id ? released : h)], null);
            },
            (view, before, after) =>
                store.ChangeHolds(
                    before,
                    after,
                    isRelease: true,
                    order.Reason.Trim(),
                    view.Estate.Today,
                    view.VersionOf(name),
                    view.Version,
                    cancel
                ),
            cancel
        );

    private static async Task<Results<Ok<Bucket>, ProblemHttpResult>> Change(
        string name,
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        Func<Bucket, DateOnly, (IReadOnlyList<Hold>? Holds, ProblemHttpResult? Wrong)> change,
        Func<EstateView, Bucket, Bucket, Task> store,
        CancellationToken cancel
    ) =>
        await current.Change<Results<Ok<Bucket>, ProblemHttpResult>>(
            async view =>
            {
                if (BucketEndpoints.Refusal(view, name, request) is { } refusal)
                    return refusal;
                var before = view!.Estate.Find(name)!;
                var (holds, wrong) = change(before, view.Estate.Today);
                if (wrong is not null)
                    return wrong;
                var after = before with { Holds = holds! };
                var problems = EstateDocument.CheckHolds(holds!);
                if (problems.Count > 0)
                    return Problems.Invalid(problems);
                await current.Apply(new PlannedChange(view.Estate.With(after, name), Held: name), () => store(view, before, after));
                response.SetVersion(view.VersionOf(name) + 1);
                return TypedResults.Ok(after.WithoutContents());
            },
            cancel
        );

    private static ProblemHttpResult? Said(string reason, string by) =>
        reason.Trim().Length is 0 or > LongestReason
            ? Problems.Invalid("no-reason", "$.reason", $"Say why, in 1 to {LongestReason} characters; the log keeps it.")
        : by.Trim().Length is 0 or > LongestName
            ? Problems.Invalid("no-name", "$.by", $"Say who answers for it, in 1 to {LongestName} characters.")
        : null;
}
