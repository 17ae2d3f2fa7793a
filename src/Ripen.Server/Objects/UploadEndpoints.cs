using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Objects;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

internal static class UploadEndpoints
{
    public static void MapUploads(this RouteGroupBuilder api)
    {
        var uploads = api.MapGroup("/buckets/{name}/uploads").WithTags("Uploads").ForKnownBucket();
        uploads.MapGet("", List).WithName("listUploads").WithSummary("Uploads that are not complete, and what has come of each.");
        uploads
            .MapPost("", Create)
            .WithName("beginUpload")
            .WithSummary("Begins an upload that can be resumed, by the tus protocol 1.0.0.")
            .TakesBytes();
        uploads.MapMethods("", [HttpMethods.Options], ResumableUploads.Options).ExcludeFromDescription();
        uploads
            .MapMethods("/{id}", [HttpMethods.Head], Head)
            .WithName("readUpload")
            .WithSummary("How many bytes of an upload have come (Upload-Offset).");
        uploads
            .MapPatch("/{id}", Patch)
            .WithName("continueUpload")
            .WithSummary("Sends bytes from Upload-Offset on; with the last one the object is stored.")
            .TakesBytes();
        uploads
            .MapDelete("/{id}", Delete)
            .WithName("discardUpload")
            .WithSummary("Removes an upload and what has come of it.")
            .Produces(StatusCodes.Status204NoContent);
    }

    private static Ok<IReadOnlyList<Upload>> List(string name, SimulatedProvider provider) => TypedResults.Ok(provider.Uploads.All(name));

    private static Task Create(string name, HttpContext context, SimulatedProvider provider) =>
        ResumableUploads.Create(context, provider, name, context.Request.RawPath(), _ => { });

    private static void Head(string name, string id, HttpContext context, SimulatedProvider provider) =>
        ResumableUploads.Head(context, provider.Uploads.Find(name, id));

    private static Task Patch(string name, string id, HttpContext context, SimulatedProvider provider) =>
        ResumableUploads.Patch(context, provider, provider.Uploads.Find(name, id));

    private static void Delete(string name, string id, HttpContext context, SimulatedProvider provider) =>
        ResumableUploads.Delete(context, provider, provider.Uploads.Find(name, id));
}
