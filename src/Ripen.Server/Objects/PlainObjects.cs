using System.Text;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Access;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

/// <summary>
/// Plain HTTP at <c>/objects/{bucket}/{key…}</c> for programs and people with an access: a key and its secret (basic authentication, RFC
/// 7617), a key's token (RFC 6750), a timed link, or nothing where a bucket is open to public reading. It runs before routing, on the path as it was sent.
/// Uploads that can be resumed are at <c>/uploads/{bucket}</c>, with the same credentials.
/// </summary>
internal sealed class PlainObjects(RequestDelegate next)
{
    private const string Root = "/objects/";
    private const string Uploads = "/uploads/";

    public async Task Invoke(HttpContext context, CurrentEstate current, SimulatedProvider provider, TimeProvider time)
    {
        var isUpload = context.Request.RawPath().StartsWith(Uploads, StringComparison.Ordinal);
        if (!isUpload && !context.Request.RawPath().StartsWith(Root, StringComparison.Ordinal))
        {
            await next(context);
            return;
        }
        if (!current.IsThere)
            throw new RefusalException(RefusalKind.NotFound, "no-estate", "There is no estate yet.");
        if (isUpload)
        {
            await Resume(context, provider);
            return;
        }
        var path = context.Request.RawPath()[Root.Length..];
        var slash = path.IndexOf('/', StringComparison.Ordinal);
        var bucket = RequestTarget.Unescape(slash < 0 ? path : path[..slash]);
        var key = slash < 0 ? "" : context.Request.KeyAfter(2);
        if (key.Length == 0 && !HttpMethods.IsGet(context.Request.Method))
            Ripen.Provider.Objects.ObjectKeys.Check(key);
        await Answer(context, provider, time, bucket, key);
    }

    private static async Task Answer(HttpContext context, SimulatedProvider provider, TimeProvider time, string bucket, string key)
    {
        var who = Credentials(context.Request);
        var objects = provider.Objects;
        switch (context.Request.Method)
        {
            case "GET" when key.Length == 0:
                provider.Access.Demand(bucket, context.Request.Query["prefix"].FirstOrDefault() ?? "", Right.List, who);
                await context.Response.WriteAsJsonAsync(ObjectHttp.List(context, objects, bucket), EstateDocument.Json);
                break;
            case "GET":
                Demand(Of(Right.Read, Right.ReadVersions));
                await ObjectHttp.Get(context, objects, bucket, key, time);
                break;
            case "HEAD":
                Demand(Of(Right.Read, Right.ReadVersions));
                ObjectHttp.Head(context, objects, bucket, key, time);
                break;
            case "PUT":
                Demand(Right.Write);
                var stored = await ObjectHttp.Put(context, objects, bucket, key, time, context.RequestAborted);
                context.Response.StatusCode = StatusCodes.Status201Created;
                await context.Response.WriteAsJsonAsync(stored, EstateDocument.Json);
                break;
            case "DELETE":
                Demand(Of(Right.Write, Right.DeleteVersions));
                await context.Response.WriteAsJsonAsync(ObjectHttp.Delete(context, objects, bucket, key), EstateDocument.Json);
                break;
            default:
                context.Response.Headers.Allow = "GET, HEAD, PUT, DELETE";
                context.Response.StatusCode = StatusCodes.Status405MethodNotAllowed;
                break;
        }

        // History is a right of its own, and so is destroying a part of it.
        Right Of(Right right, Right ofVersion) => ObjectHttp.Version(context.Request) is null ? right : ofVersion;

        void Demand(Right right)
        {
            Ripen.Provider.Objects.ObjectKeys.Check(key);
            provider.Access.Demand(bucket, key, right, who);
        }
    }

    /// <summary>Uploads that can be resumed: <c>/uploads/{bucket}</c>, and below it each one's own address.</summary>
    private static async Task Resume(HttpContext context, SimulatedProvider provider)
    {
        var parts = context.Request.RawPath()[Uploads.Length..].Split('/');
        var (bucket, id) = (RequestTarget.Unescape(parts[0]), parts.ElementAtOrDefault(1));
        if (HttpMethods.IsOptions(context.Request.Method))
        {
            ResumableUploads.Options(context);
            return;
        }
        var who = Credentials(context.Request);
        if (id is null && HttpMethods.IsPost(context.Request.Method))
        {
            await ResumableUploads.Create(context, provider, bucket, Uploads + parts[0], Demand);
            return;
        }
        var upload = provider.Uploads.Find(bucket, id ?? "");
        Demand(upload.Key);
        switch (context.Request.Method)
        {
            case "HEAD":
                ResumableUploads.Head(context, upload);
                break;
            case "PATCH":
                await ResumableUploads.Patch(context, provider, upload);
                break;
            case "DELETE":
                ResumableUploads.Delete(context, provider, upload);
                break;
            default:
                context.Response.Headers.Allow = "OPTIONS, POST, HEAD, PATCH, DELETE";
                context.Response.StatusCode = StatusCodes.Status405MethodNotAllowed;
                break;
        }

        void Demand(string key) => provider.Access.Demand(bucket, key, Right.Write, who);
    }

    internal static Credentials Credentials(HttpRequest request)
    {
        if (request.Query["link"].FirstOrDefault() is { } token)
            return new Credentials(LinkToken: token);
        const string scheme = "Basic ";
        const string bearer = "Bearer ";
        var header = request.Headers.Authorization.ToString();
        if (header.StartsWith(bearer, StringComparison.OrdinalIgnoreCase))
            return new Credentials(KeyToken: header[bearer.Length..].Trim());
        if (!header.StartsWith(scheme, StringComparison.OrdinalIgnoreCase))
            return new Credentials();
        try
        {
            var pair = Encoding.UTF8.GetString(Convert.FromBase64String(header[scheme.Length..].Trim()));
            var colon = pair.IndexOf(':', StringComparison.Ordinal);
            return colon < 0 ? new Credentials(pair, "") : new Credentials(pair[..colon], pair[(colon + 1)..]);
        }
        catch (FormatException)
        {
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "unknown-key",
                "The Authorization header cannot be read; send KEY:SECRET in base64 (RFC 7617)."
            );
        }
    }
}
