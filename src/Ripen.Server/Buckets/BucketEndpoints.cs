using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Buckets;

/// <summary>
/// A draft looked at and not stored: what is wrong with it, or its strip and what it would do, with a step to go on with
/// for a new rule (<see cref="FirstStep"/>) and for each of its rules; null where there is no colder tier.
/// <see cref="Seen"/> marks the figures: a change that sends it is refused when they hold no longer.
/// </summary>
public sealed record DraftReading(
    IReadOnlyList<Problem> Problems,
    AgeStrip? Strip,
    Consequences? Consequences,
    Step? FirstStep,
    IReadOnlyList<Step?> NextSteps,
    string? Seen
);

/// <summary>Lifts a liftable keep rule, or puts a weaker one in its place.</summary>
public sealed record LiftOrder
{
    /// <summary>Why: the log keeps it.</summary>
    public required string Reason { get; init; }

    /// <summary>The bucket's name, typed.</summary>
    public required string Confirm { get; init; }

    /// <summary>The rule from now on; null for none.</summary>
    public KeepRule? Keep { get; init; }
}

internal static class BucketEndpoints
{
    internal const string SeenWords = "The mark of the consequences that were shown; others by now are refused with 409.";

    public static void MapBuckets(this RouteGroupBuilder api)
    {
        var buckets = api.MapGroup("/buckets").WithTags("Buckets");
        buckets.MapGet("", List).WithName("listBuckets").WithSummary("All buckets.");
        buckets.MapPost("", Create).WithName("createBucket").WithSummary("Makes a bucket.").Accepts<Bucket>("application/json");
        buckets.MapGet("/{name}", Read).WithName("readBucket").WithSummary("One bucket; its ETag is what a change must send as If-Match.");
        buckets
            .MapPut("/{name}", Change)
            .WithName("changeBucket")
            .WithSummary("Puts a bucket in the place of the one of this name. If-Match is needed.")
            .Accepts<Bucket>("application/json");
        buckets
            .MapDelete("/{name}", Delete)
            .WithName("deleteBucket")
            .WithSummary("Deletes a bucket with all that it holds. If-Match is needed.");
        buckets
            .MapPost("/{name}/keep/lift", Lift)
            .WithName("liftKeepRule")
            .WithSummary("Lifts liftable retention, with a reason. If-Match is needed.");
        buckets
            .MapPost("/{name}/draft", ReadChange)
            .WithName("readChangeDraft")
            .WithSummary("What changing this bucket would do. Nothing is stored.")
            .Accepts<Bucket>("application/json");
        api.MapManyBuckets();
        api.MapPlaces();
        api.MapPost("/drafts", ReadNew)
            .WithTags("Buckets")
            .WithName("readNewDraft")
            .WithSummary("What making this bucket would do. Nothing is stored.")
            .Accepts<Bucket>("application/json");
    }

    private static async Task<Results<Ok<IReadOnlyList<Bucket>>, ProblemHttpResult>> List(
        CurrentEstate current,
        CancellationToken cancel
    ) => await current.Get(cancel) is { } view ? TypedResults.Ok(view.Estate.Buckets) : Problems.NoEstate();

    private static async Task<Results<Ok<Bucket>, ProblemHttpResult>> Read(
        string name,
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel,
        [Description("Whether to tell its stock, and what waits to be copied, as well; a change does not need it.")] bool stock = true
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (view.Estate.Find(name) is not { } bucket)
            return Problems.NoBucket(name);
        response.SetVersion(view.VersionOf(name));
        return TypedResults.Ok(stock ? bucket : bucket.WithoutContents());
    }

    private static async Task<Results<Ok<DraftReading>, ProblemHttpResult>> ReadNew(
        HttpRequest request,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => await ReadDraft(null, request, current, provider, cancel);

    private static async Task<Results<Ok<DraftReading>, ProblemHttpResult>> ReadChange(
        string name,
        HttpRequest request,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => await ReadDraft(name, request, current, provider, cancel);

    private static async Task<Results<Ok<DraftReading>, ProblemHttpResult>> ReadDraft(
        string? replaces,
        HttpRequest request,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (replaces is not null && view.Estate.Find(replaces) is null)
            return Problems.NoBucket(replaces);
        var draft = EstateDocument.ReadBucket(await request.ReadText(cancel), view.Estate, replaces);
        if (!draft.Ok)
            return TypedResults.Ok(new DraftReading(draft.Problems, null, null, null, [], null));
        var bucket = replaces is null ? draft.Value : current.WithStock(draft.Value, view.Estate.Find(replaces)!);
        if (provider.Foresee(new PlannedChange(view.Estate.With(bucket, replaces))) is { } refusal)
        {
            return TypedResults.Ok(
                new DraftReading([new Problem(refusal.Code, refusal.Path ?? "$", refusal.Message)], null, null, null, [], null)
            );
        }
        var prices = view.Estate.PriceBook;
        var consequences = Consequences.Of(view.Project(Consequences.Months), bucket, replaces);
        return TypedResults.Ok(
            new DraftReading(
                [],
                AgeStrip.Of(bucket, prices, view.Estate.Today),
                consequences,
                NextStep.After([], bucket, prices),
                [.. bucket.Rules.Select(r => NextStep.After(r.Steps, bucket, prices))],
                Seen.Mark(consequences.Cost)
            )
        );
    }

    private static IReadOnlyList<YearChange> Shown(EstateView view, Bucket draft, string? replaces) =>
        Consequences.Of(view.Project(Consequences.Months), draft, replaces).Cost;

    private static async Task<Results<Created<Bucket>, ProblemHttpResult>> Create(
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel,
        [Description(SeenWords)] string? seen = null
    )
    {
        var json = await request.ReadText(cancel);
        return await current.Change<Results<Created<Bucket>, ProblemHttpResult>>(
            async view =>
            {
                if (view is null)
                    return Problems.NoEstate();
                var bucket = EstateDocument.ReadBucket(json, view.Estate, replaces: null);
                if (!bucket.Ok)
                    return Problems.Invalid(bucket.Problems);
                var shown = Shown(view, bucket.Value, null);
                if (Seen.Refusal(seen, shown) is { } otherwise)
                    return otherwise;
                await current.Apply(
                    new PlannedChange(view.Estate.With(bucket.Value, null)),
                    () => store.Add(bucket.Value, view.Estate.Today, view.Version, shown, cancel)
                );
                response.SetVersion(1);
                return TypedResults.Created($"/api/buckets/{bucket.Value.Name}", bucket.Value);
            },
            cancel
        );
    }

    private static async Task<Results<Ok<Bucket>, ProblemHttpResult>> Change(
        string name,
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel,
        [Description(SeenWords)] string? seen = null
    )
    {
        var json = await request.ReadText(cancel);
        return await current.Change<Results<Ok<Bucket>, ProblemHttpResult>>(
            async view =>
            {
                if (Refusal(view, name, request) is { } refusal)
                    return refusal;
                var after = EstateDocument.ReadBucket(json, view!.Estate, replaces: name);
                if (!after.Ok)
                    return Problems.Invalid(after.Problems);
                var before = view.Estate.Find(name)!;
                var whole = current.WithStock(after.Value, before);
                var shown = Shown(view, whole, name);
                if (Seen.Refusal(seen, shown) is { } otherwise)
                    return otherwise;
                await current.Apply(
                    new PlannedChange(view.Estate.With(whole, name)),
                    () => store.Change(before, whole, view.Estate.Today, view.VersionOf(name), view.Version, shown, cancel)
                );
                response.SetVersion(view.VersionOf(name) + 1);
                return TypedResults.Ok(whole.WithoutContents());
            },
            cancel
        );
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> Delete(
        string name,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel
    ) =>
        await current.Change<Results<NoContent, ProblemHttpResult>>(
            async view =>
            {
                if (Refusal(view, name, request) is { } refusal)
                    return refusal;
                var sources = view!.Estate.CopiedInto(name).Select(c => c.From.Name).Distinct().ToList();
                if (sources.Count > 0)
                {
                    return Problems.Conflict(
                        "copies-arrive",
                        $"'{name}' receives copies from {string.Join(", ", sources)}; remove those replication rules first."
                    );
                }
                if (NeededElsewhere(view.Estate, name) is { } needed)
                    return needed;
                var after = view.Estate with { Buckets = [.. view.Estate.Buckets.Where(b => b.Name != name)] };
                await current.Apply(
                    new PlannedChange(after),
                    () => store.Delete(view.Estate.Find(name)!, view.VersionOf(name), view.Version, cancel)
                );
                return TypedResults.NoContent();
            },
            cancel
        );

    /// <summary>A keep rule is weakened by this request alone, and only a liftable one.</summary>
    private static async Task<Results<Ok<Bucket>, ProblemHttpResult>> Lift(
        string name,
        LiftOrder order,
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        CancellationToken cancel
    ) =>
        await current.Change<Results<Ok<Bucket>, ProblemHttpResult>>(
            async view =>
            {
                if (Refusal(view, name, request) is { } refusal)
                    return refusal;
                if (order.Reason.Trim().Length is 0 or > 1000)
                    return Problems.Invalid(
                        "no-reason",
                        "$.reason",
                        "Say why the rule is lifted, in 1 to 1,000 characters; the log keeps it."
                    );
                if (order.Confirm != name)
                    return Problems.Invalid(
                        "not-confirmed",
                        "$.confirm",
                        $"What was kept may be deleted from then on; type '{name}' to confirm."
                    );
                var before = view!.Estate.Find(name)!;
                if (before.Keep is null)
                    return Problems.Conflict("nothing-to-lift", $"'{name}' has no retention.");
                var after = before with { Keep = order.Keep };
                var wrong = EstateDocument.CheckKeep(order.Keep);
                if (wrong.Count > 0)
                    return Problems.Invalid(wrong);
                await current.Apply(
                    new PlannedChange(view.Estate.With(after, name), Lifted: name),
                    () =>
                        store.Lift(
                            before,
                            order.Keep,
                            order.Reason.Trim(),
                            view.Estate.Today,
                            view.VersionOf(name),
                            view.Version,
                            Shown(view, after, name),
                            cancel
                        )
                );
                response.SetVersion(view.VersionOf(name) + 1);
                return TypedResults.Ok(after.WithoutContents());
            },
            cancel
        );

    internal static ProblemHttpResult? Refusal(EstateView? view, string name, HttpRequest request)
    {
        if (view is null)
            return Problems.NoEstate();
        if (view.Estate.Find(name) is null)
            return Problems.NoBucket(name);
        if (!request.HasIfMatch())
            return Problems.NoIfMatch();
        return request.Matches(view.VersionOf(name)) ? null : Problems.Stale($"Bucket '{name}'");
    }

    /// <summary>Why a bucket stays for the sake of backups or arrays; null when it may go.</summary>
    internal static ProblemHttpResult? NeededElsewhere(Estate estate, string name)
    {
        if (estate.Targets.FirstOrDefault(t => t.Bucket == name) is { } target)
            return Problems.Conflict("holds-target", $"The backup target '{target.Name}' lies in '{name}'; remove the target first.");
        if (estate.Arrays.FirstOrDefault(a => a.Bucket == name) is { } array)
            return Problems.Conflict(
                "holds-array-data",
                $"The array '{array.Name}' puts its data into '{name}', and has it nowhere else; bring it home and unbind the array first."
            );
        if (estate.Workloads.FirstOrDefault(w => w.Source?.Bucket == name) is { } workload)
            return Problems.Conflict(
                "is-source",
                $"Plans read the workload '{workload.Name}' from '{name}'; say another source there, or remove the workload first."
            );
        return null;
    }
}
