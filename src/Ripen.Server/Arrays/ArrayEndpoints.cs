using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Arrays;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Arrays;
using Ripen.Server.Estates;
using Ripen.Server.Http;

namespace Ripen.Server.Arrays;

/// <summary>All local arrays as they stand, and the axis of their pictures.</summary>
public sealed record ArraysReading(IReadOnlyList<ArrayReading> Arrays, AgeAxis Axis);

/// <summary>All local arrays as the document has them.</summary>
public sealed record ArraysDocument(IReadOnlyList<LocalArray> Arrays);

/// <summary>Where an array's data leaves to, null for nowhere, which, and whether reading brings it home.</summary>
public sealed record LeavingOrder(string? Bucket, IReadOnlyList<LeavingRule> Leaving, bool HomeOnRead = false);

/// <summary>What a draft of an array's rules would do; nothing is done.</summary>
/// <param name="Reading">The array under the draft.</param>
/// <param name="Years">What both sides cost, before and after.</param>
/// <param name="Binds">Whether it gives a bucket to an array that had none.</param>
public sealed record LeavingDraft(ArrayReading Reading, IReadOnlyList<ArrayYear> Years, bool Binds);

/// <summary>Storage arrays of one's own, whose data leaves for buckets when nobody uses it.</summary>
internal static class ArrayEndpoints
{
    public static void MapArrays(this RouteGroupBuilder api)
    {
        var arrays = api.MapGroup("/arrays").WithTags("Arrays");
        arrays.MapGet("", ReadAll).WithName("readArrays").WithSummary("Local arrays as they stand. The ETag is the estate's.");
        arrays
            .MapGet("/document", ReadDocument)
            .WithName("readArraysDocument")
            .WithSummary("All that the document says of local arrays. The ETag is the estate's.");
        arrays
            .MapPut("", PutAll)
            .WithName("putArrays")
            .WithSummary("Puts a list of arrays in the place of the one there is. What is away keeps its array, volume and bucket.")
            .Accepts<ArraysDocument>("application/json");
        arrays
            .MapPost("/{id}/leaving/draft", Foresee)
            .WithName("readLeavingDraft")
            .WithSummary("What rules for an array would take, and what both sides would cost. Nothing is done.")
            .Accepts<LeavingOrder>("application/json");
        arrays
            .MapPut("/{id}/leaving", PutLeaving)
            .WithName("putLeaving")
            .WithSummary("Binds an array to a bucket, or changes which of its data leaves. If-Match: the estate's ETag.")
            .Accepts<LeavingOrder>("application/json");
        arrays
            .MapGet("/{id}/volumes/{volume}/homecoming", ForeseeHome)
            .WithName("readHomecoming")
            .WithSummary("What bringing a volume home would do and cost, or why it cannot be done now. Nothing is done.");
        arrays
            .MapPost("/{id}/volumes/{volume}/homecoming", BringHome)
            .WithName("bringHome")
            .WithSummary("Brings a volume home: what is away is read, charged, and leaves its bucket.");
        arrays
            .MapGet("/{id}/volumes/{volume}/reading", ForeseeReading)
            .WithName("readArrayReading")
            .WithSummary(
                "What reading a folder of a volume would cost, and whether it comes home, or why it cannot be read now. Nothing is done."
            );
        arrays
            .MapPost("/{id}/volumes/{volume}/reading", Read)
            .WithName("useArray")
            .WithSummary("Somebody reads a folder of a volume: what is away is charged, and comes home where the array says so.");
    }

    private static async Task<Results<Ok<ArraysReading>, ProblemHttpResult>> ReadAll(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(new ArraysReading([.. view.Estate.Arrays.Select(a => ArrayReading.Of(a, view.Estate))], AgeAxis.OfAll));
    }

    private static Task<Results<Ok<ArraysDocument>, ProblemHttpResult>> ReadDocument(
        CurrentEstate current,
        HttpResponse response,
        CancellationToken cancel
    ) => WholeList.Read(current, response, e => new ArraysDocument(e.Arrays), cancel);

    private static Task<Results<NoContent, ProblemHttpResult>> PutAll(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) => Put(request, current, store, EstateDocument.ReadArrays, cancel);

    private static Task<Results<NoContent, ProblemHttpResult>> PutLeaving(
        string id,
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        CancellationToken cancel
    ) => Put(request, current, store, (json, estate) => EstateDocument.ReadLeaving(json, estate, id), cancel);

    private static Task<Results<NoContent, ProblemHttpResult>> Put(
        HttpRequest request,
        CurrentEstate current,
        BackupStore store,
        Func<string, Estate, Checked<IReadOnlyList<LocalArray>>> read,
        CancellationToken cancel
    ) =>
        WholeList.Put(
            request,
            current,
            read,
            (estate, arrays) => estate with { Arrays = arrays },
            (view, arrays) => store.ChangeArrays(view.Estate.Arrays, arrays, view.Version, cancel),
            cancel
        );

    private static async Task<Results<Ok<LeavingDraft>, ProblemHttpResult>> Foresee(
        string id,
        HttpRequest request,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var read = EstateDocument.ReadLeaving(json, view.Estate, id);
        if (!read.Ok)
            return Problems.Invalid(read.Problems);
        var (was, draft) = (view.Estate.Arrays.Single(a => a.Id == id), read.Value.Single(a => a.Id == id));
        var after = view.Estate with { Arrays = read.Value };
        return TypedResults.Ok(
            new LeavingDraft(
                ArrayReading.Of(draft, after),
                ArrayYear.Of(view.Project(ArrayYear.Months), draft),
                was.Bucket is null && draft.Bucket is not null
            )
        );
    }

    private static Ok<Homecoming> ForeseeHome(string id, string volume, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Homecomings.Foresee(id, volume));

    private static Ok<ArrayRead> ForeseeReading(string id, string volume, string? folder, SimulatedProvider provider) =>
        TypedResults.Ok(provider.ArrayReads.Foresee(id, volume, folder ?? ""));

    private static Ok<ArrayRead> Read(string id, string volume, string? folder, SimulatedProvider provider) =>
        TypedResults.Ok(provider.ArrayReads.Read(id, volume, folder ?? ""));

    private static Ok<Homecoming> BringHome(string id, string volume, SimulatedProvider provider) =>
        TypedResults.Ok(provider.Homecomings.Bring(id, volume));
}
