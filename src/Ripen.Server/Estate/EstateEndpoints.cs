using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using Ripen.Core;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Demo;
using Ripen.Server.Http;

namespace Ripen.Server.Estates;

/// <summary>An estate without its buckets.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Identity">Of the stored estate, for life: a draft that was begun on another one does not belong here.</param>
/// <param name="Today">The provider's day.</param>
/// <param name="Months">Of the screens' horizon.</param>
/// <param name="PriceBook">Whole.</param>
/// <param name="Buckets">Their names, in order.</param>
/// <param name="Tenants">Names of all that have a bucket, in order.</param>
public sealed record EstateSummary(
    string Name,
    string Identity,
    DateOnly Today,
    IReadOnlyList<Month> Months,
    PriceBook PriceBook,
    IReadOnlyList<string> Buckets,
    IReadOnlyList<string> Tenants
);

internal static class EstateEndpoints
{
    /// <summary>About a million lots.</summary>
    private const long LargestDocument = 256_000_000;

    public static void MapEstate(this RouteGroupBuilder api)
    {
        var estate = api.MapGroup("/estate").WithTags("Estate");
        estate.MapGet("", Read).WithName("readEstate").WithSummary("The estate: its name, day, price book and the names of its buckets.");
        // Bound while the server runs: generated code knows no defaults of a record's parameters.
        Delegate board = BoardEndpoint.Read;
        Delegate names = BoardEndpoint.Names;
#pragma warning disable RDG002
        estate
            .MapGet("/board", board)
            .WithName("readBoard")
            .WithSummary("Buckets on a day, found, sorted and in stretches: strip, contents, cost of that month, trend.");
        estate
            .MapGet("/names", names)
            .WithName("findBuckets")
            .WithSummary("The names of all buckets that the same question finds on the board, in its order.");
#pragma warning restore RDG002
        estate
            .MapGet("/board/{name}", BoardEndpoint.ReadOne)
            .WithName("readBucketOnBoard")
            .WithSummary("One bucket on a day, as the board shows it.");
        estate
            .MapGet("/document", Export)
            .WithName("exportEstate")
            .WithSummary("The whole estate as one document.")
            .Produces<Estate>(contentType: "application/json");
        estate
            .MapPut("/document", Import)
            .WithName("importEstate")
            .WithSummary("Puts a document in the place of the estate. If-Match is needed when there is one.")
            .Accepts<Estate>("application/json")
            .WithMetadata(new RequestSizeLimitAttribute(LargestDocument));
        estate
            .MapPost("/demo", LoadDemo)
            .WithName("loadDemo")
            .WithSummary("Loads the demo estate, with the ninety days that it has lived; only where there is no estate.");
        estate
            .MapGet("/changes", Changes)
            .WithName("readChanges")
            .WithSummary("Who changed what: the newest changes first, with before and after.");
        estate.MapGet("/changes/{id:long}", Change).WithName("readChange").WithSummary("One change with the documents before and after.");
    }

    private static async Task<Results<Ok<EstateSummary>, ProblemHttpResult>> Read(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(
            new EstateSummary(
                view.Estate.Name,
                view.Stored.Identity,
                view.Estate.Today,
                Horizon.Months(view.Estate.Today),
                view.Estate.PriceBook,
                [.. view.Estate.Buckets.Select(b => b.Name)],
                [.. Tenants.Of(view.Estate.Buckets).Where(t => t != Tenants.None)]
            )
        );
    }

    private static async Task<Results<FileContentHttpResult, ProblemHttpResult>> Export(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Bytes(System.Text.Encoding.UTF8.GetBytes(EstateDocument.Write(view.Estate)), "application/json", "estate.json");
    }

    private static async Task<Results<Ok<EstateSummary>, ProblemHttpResult>> Import(
        HttpRequest request,
        HttpResponse response,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("Whether objects with content may be lost by it. What is kept is never lost by it.")] bool discardContents = false
    )
    {
        var document = EstateDocument.Read(await request.ReadText(cancel));
        if (!document.Ok)
            return Problems.Invalid(document.Problems);
        var refused = await current.Change(
            async view =>
            {
                if (view is not null && !request.HasIfMatch())
                    return Problems.NoIfMatch();
                if (view is not null && !request.Matches(view.Version))
                    return Problems.Stale("The estate");
                await current.Apply(
                    new PlannedChange(document.Value, IsImport: true),
                    () =>
                    {
                        if (view is not null && !discardContents && provider.Contents(null) is { Objects: > 0 } contents)
                        {
                            throw new RefusalException(
                                RefusalKind.Conflict,
                                "contents-would-go",
                                $"{Wording.Objects(contents.Objects)} with {Wording.Bytes(contents.Bytes)} of content lie in this estate's buckets and "
                                    + "would be lost: a document holds no content. Fetch them first, or send ?discardContents=true."
                            );
                        }
                        return store.Replace(document.Value, view?.Version ?? 0, cancel: cancel);
                    }
                );
                return null;
            },
            cancel
        );
        return refused is not null ? refused : await Read(current, response, cancel);
    }

    private static async Task<Results<Ok<EstateSummary>, ProblemHttpResult>> LoadDemo(
        HttpResponse response,
        CurrentEstate current,
        DemoEstate demo,
        CancellationToken cancel
    )
    {
        await demo.Load(cancel);
        return await Read(current, response, cancel);
    }

    /// <summary>Decisions from the store, and what was done by hand at the provider, in one order.</summary>
    private static async Task<Ok<IReadOnlyList<LoggedChange>>> Changes(
        ChangeLog log,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("At most so many.")] int most = 100,
        [Description("Only decisions of a lower number, which are told above 0.")] long? before = null,
        [Description("Only deeds at the provider of a lower number, which are told below 0: write it without its sign.")]
            long? beforeDeed = null,
        [Description("Whether to tell the documents before and after as well.")] bool documents = true
    )
    {
        most = Math.Clamp(most, 1, 1000);
        var deeds = provider
            .Deeds(most, beforeDeed)
            .Select(d => new LoggedChange(-d.Id, d.At, d.Actor, "done-by-hand", d.Bucket, null, [], null, d.What, null))
            .ToList();
        return TypedResults.Ok<IReadOnlyList<LoggedChange>>([
            .. InOneOrder(await log.Newest(most, before, documents, cancel), deeds).Take(most),
        ]);
    }

    /// <summary>Newest first, each of the two in its own order whatever the clock on the wall did, so that pages by number miss none.</summary>
    private static IEnumerable<LoggedChange> InOneOrder(IReadOnlyList<LoggedChange> decisions, List<LoggedChange> deeds)
    {
        var (i, j) = (0, 0);
        while (i < decisions.Count || j < deeds.Count)
        {
            var decides = j == deeds.Count || (i < decisions.Count && decisions[i].At >= deeds[j].At);
            yield return decides ? decisions[i++] : deeds[j++];
        }
    }

    private static async Task<Results<Ok<LoggedChange>, ProblemHttpResult>> Change(long id, ChangeLog log, CancellationToken cancel) =>
        await log.Find(id, cancel) is { } change ? TypedResults.Ok(change) : Problems.NotFound("no-change", $"The log has no change {id}.");
}
