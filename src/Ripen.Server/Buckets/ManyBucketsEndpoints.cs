using System.ComponentModel;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Scenarios;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Replication;

namespace Ripen.Server.Buckets;

/// <summary>One change for many buckets.</summary>
public sealed record ManyBuckets
{
    public required IReadOnlyList<string> Buckets { get; init; }
    public required BucketChange Change { get; init; }
}

/// <summary>What the change would do to one of the buckets. <see cref="Cost"/> is empty where it is refused.</summary>
public sealed record OneOfMany(string Name, bool Changes, IReadOnlyList<Problem> Problems, IReadOnlyList<YearChange> Cost);

/// <summary>A change of many buckets looked at and not stored.</summary>
/// <param name="Problems">With the change itself.</param>
/// <param name="Changing">Buckets that it changes.</param>
/// <param name="Refused">Buckets that cannot take it; while there are any, none is changed.</param>
/// <param name="Cost">Of all that change, together.</param>
/// <param name="Each">One by one: those that refuse first, then by how much their third year changes.</param>
/// <param name="Seen">The mark of the figures, for applying exactly this.</param>
/// <param name="Assume">What opens the amounts afterwards: the buckets as they would be. Nothing where they are more than <see cref="MostAssumed"/>.</param>
public sealed record ManyReading(
    IReadOnlyList<Problem> Problems,
    int Changing,
    int Refused,
    IReadOnlyList<YearChange> Cost,
    IReadOnlyList<OneOfMany> Each,
    string? Seen,
    IReadOnlyList<Assumption> Assume
)
{
    public const int MostAssumed = 100;
}

internal static class ManyBucketsEndpoints
{
    public static void MapManyBuckets(this RouteGroupBuilder api)
    {
        var changes = api.MapGroup("/bucket-changes").WithTags("Buckets");
        changes
            .MapPost("/draft", Read)
            .WithName("readManyDraft")
            .WithSummary("What one change would do to many buckets, summed and one by one. Nothing is stored.");
        changes
            .MapPost("", Apply)
            .WithName("changeManyBuckets")
            .WithSummary("Makes one change to many buckets: to all of them or to none. If-Match: the estate's ETag.");
    }

    private static async Task<Results<Ok<ManyReading>, ProblemHttpResult>> Read(
        ManyBuckets many,
        CurrentEstate current,
        SimulatedProvider provider,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(Draft(view, current, provider, many).Reading);
    }

    private static async Task<Results<Ok<ManyReading>, ProblemHttpResult>> Apply(
        ManyBuckets many,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketEndpoints.SeenWords)] string? seen = null
    ) =>
        await current.Change<Results<Ok<ManyReading>, ProblemHttpResult>>(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var (reading, after) = Draft(view!, current, provider, many);
                var problems = reading.Problems.Concat(reading.Each.SelectMany(e => e.Problems)).ToList();
                if (problems.Count > 0)
                    return Problems.Invalid(problems);
                if (Seen.Refusal(seen, reading.Cost) is { } otherwise)
                    return otherwise;
                var shown = reading.Each.ToDictionary(e => e.Name, e => e.Cost);
                await current.Apply(
                    new PlannedChange(after),
                    () => store.ChangeTogether(view!.Estate, after, "bucket-changed", view.Version, name => shown[name], cancel)
                );
                return TypedResults.Ok(reading);
            },
            cancel
        );

    /// <summary>Every bucket goes through the very reader that a change of one goes through.</summary>
    private static (ManyReading Reading, Estate After) Draft(
        EstateView view,
        CurrentEstate current,
        SimulatedProvider provider,
        ManyBuckets many
    )
    {
        var estate = view.Estate;
        // The reader of requests lets null stand in a list.
        var wanted = many.Buckets.Select(b => b ?? "").ToHashSet();
        var wrong = new List<Problem>();
        if (many.Change.IsEmpty())
            wrong.Add(new Problem("nothing-to-change", "$.change", "Say what is to change."));
        if (wanted.Count == 0)
            wrong.Add(new Problem("no-bucket", "$.buckets", "Name at least one bucket."));
        wrong.AddRange(
            wanted
                .Where(b => estate.Find(b) is null)
                .Select(b => new Problem("unknown-reference", "$.buckets", $"There is no bucket '{b}'."))
        );
        if (wrong.Count > 0)
            return (new ManyReading(wrong, 0, 0, [], [], null, []), estate);
        var changed = estate
            .Buckets.Where(b => wanted.Contains(b.Name))
            .AsParallel()
            .AsOrdered()
            .Select(b => Changed(b, view, current, many))
            .ToList();
        var drafts = changed.Where(c => c.After is not null).ToDictionary(c => c.Name, c => c.After!);
        var after = estate with { Buckets = [.. estate.Buckets.Select(b => drafts.GetValueOrDefault(b.Name) ?? b)] };
        if (drafts.Count > 0 && provider.Foresee(new PlannedChange(after)) is { } refusal)
            wrong.Add(new Problem(refusal.Code, refusal.Path ?? "$", refusal.Message));
        var (sum, each) = Consequences.CostOfEach(view.Project(Consequences.Months), after, drafts.Keys.ToHashSet());
        var rows = changed.ConvertAll(c => new OneOfMany(c.Name, c.After is not null, c.Problems, each.GetValueOrDefault(c.Name) ?? []));
        return (
            new ManyReading(
                wrong,
                drafts.Count,
                changed.Count(c => c.Problems.Count > 0),
                sum,
                [
                    .. rows.OrderByDescending(r => r.Problems.Count > 0)
                        .ThenByDescending(r => r.Cost.Count == 0 ? 0 : Math.Abs(r.Cost[1].BucketChange)),
                ],
                wrong.Count > 0 ? null : Seen.Mark(sum),
                drafts.Count <= ManyReading.MostAssumed ? ScenarioParts.BucketsAssumed(estate, after) : []
            ),
            after
        );
    }

    private sealed record Drafted(string Name, Bucket? After, IReadOnlyList<Problem> Problems);

    private static Drafted Changed(Bucket bucket, EstateView view, CurrentEstate current, ManyBuckets many)
    {
        var bare = bucket.WithoutContents();
        var (was, will) = (Text(bare), Text(many.Change.Of(bare)));
        if (was == will)
            return new Drafted(bucket.Name, null, []);
        var read = EstateDocument.ReadBucket(will, view.Estate, bucket.Name);
        return read.Ok
            ? new Drafted(bucket.Name, current.WithStock(read.Value, bucket), [])
            : new Drafted(bucket.Name, null, read.Problems);
    }

    private static string Text(Bucket bucket) => JsonSerializer.Serialize(bucket, EstateDocument.Json);
}
