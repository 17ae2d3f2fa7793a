using System.Globalization;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.Headers;
using Microsoft.Extensions.Primitives;
using Microsoft.Net.Http.Headers;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Objects;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

/// <summary>
/// Objects over HTTP as RFC 9110 has it: GET with ranges, HEAD, PUT, DELETE, ETags and preconditions; checksums as Content-Digest and Repr-Digest (RFC 9530).
/// </summary>
internal static class ObjectHttp
{
    /// <summary>Sends an object. Every block is checked before it goes out; a damaged one ends the connection instead of a wrong byte.</summary>
    public static async Task Get(HttpContext context, IObjectStore objects, string bucket, string key)
    {
        using var opened = objects.Open(bucket, key, Version(context.Request));
        var (request, response, version) = (context.Request, context.Response, opened.Version);
        Describe(response, version);
        var headers = request.GetTypedHeaders();
        if (headers.IfMatch.Count > 0 && !Versions.Matches(request, version.Version)) throw Stale(key);
        if (headers.IfNoneMatch.Any(tag => tag.Equals(EntityTagHeaderValue.Any) || tag.Compare(Versions.Tag(version.Version), useStrongComparison: false)))
        {
            response.StatusCode = StatusCodes.Status304NotModified;
            return;
        }
        var (from, to) = (0L, version.Bytes);
        if (Range(headers, version) is { } range)
        {
            if (range.From >= version.Bytes)
            {
                response.Headers.ContentRange = $"bytes */{version.Bytes}";
                response.StatusCode = StatusCodes.Status416RangeNotSatisfiable;
                return;
            }
            (from, to) = range;
            response.StatusCode = StatusCodes.Status206PartialContent;
            response.Headers.ContentRange = $"bytes {from}-{to - 1}/{version.Bytes}";
        }
        response.ContentLength = to - from;
        context.Features.Get<IHttpResponseBodyFeature>()?.DisableBuffering();
        try
        {
            await opened.Send(from, to, response.Body, context.RequestAborted);
        }
        catch (RefusalException) when (response.HasStarted)
        {
            context.Abort();
        }
    }

    public static void Head(HttpContext context, IObjectStore objects, string bucket, string key)
    {
        var version = objects.Find(bucket, key, Version(context.Request)) ?? throw new RefusalException(RefusalKind.NotFound, "no-object", $"There is no object '{key}' here.");
        Describe(context.Response, version);
        context.Response.ContentLength = version.Bytes;
    }

    public static async Task<StoredVersion> Put(HttpContext context, IObjectStore objects, string bucket, string key, CancellationToken cancel)
    {
        // However large: the body goes to the disk as it comes.
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit) limit.MaxRequestBodySize = null;
        var headers = context.Request.GetTypedHeaders();
        var conditions = new WriteConditions(
            headers.IfMatch.Count == 0 ? null : IfVersion(headers.IfMatch, key), headers.IfNoneMatch.Any(t => t.Equals(EntityTagHeaderValue.Any)),
            Digest(context.Request.Headers["Content-Digest"]) ?? Digest(context.Request.Headers["Repr-Digest"]), context.Request.ContentLength, context.Request.ContentType, Tags(context.Request));
        StoredVersion stored;
        try
        {
            stored = await objects.Write(bucket, key, context.Request.Body, conditions, cancel);
        }
        catch (BadHttpRequestException cut)
        {
            throw new RefusalException(RefusalKind.Invalid, "wrong-length", $"The body ended before the announced length, or could not be read; nothing was stored. ({cut.Message})");
        }
        Describe(context.Response, stored);
        context.Response.ContentType = null;
        return stored;
    }

    public static Deletion Delete(HttpContext context, IObjectStore objects, string bucket, string key)
    {
        var match = context.Request.GetTypedHeaders().IfMatch;
        return objects.Delete(bucket, key, Version(context.Request), match.Count == 0 ? null : IfVersion(match, key));
    }

    public static ListingPage List(HttpContext context, IObjectStore objects, string bucket)
    {
        var query = context.Request.Query;
        var most = query["most"].FirstOrDefault() is { } text ? Whole(text, "most") : ListingPage.Most;
        return objects.List(bucket, query["prefix"].FirstOrDefault() ?? "", query["delimiter"].FirstOrDefault(), query["after"].FirstOrDefault(), (int)Math.Min(most, int.MaxValue));
    }

    private static IReadOnlyDictionary<string, string>? Tags(HttpRequest request)
    {
        try
        {
            return TagText.Read(request.Headers["Ripen-Tags"].FirstOrDefault());
        }
        catch (FormatException wrong)
        {
            throw new RefusalException(RefusalKind.Invalid, "invalid-tags", $"{wrong.Message} Nothing was stored.", "Ripen-Tags");
        }
    }

    private static long? Version(HttpRequest request) => request.Query["version"].FirstOrDefault() is { } text ? Whole(text, "version") : null;

    private static long Whole(string text, string name) => long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
        ? number
        : throw new RefusalException(RefusalKind.Invalid, "bad-request", $"'{name}' must be a whole number, not '{text}'.", $"?{name}");

    private static void Describe(HttpResponse response, StoredVersion version)
    {
        var headers = response.GetTypedHeaders();
        headers.ETag = Versions.Tag(version.Version);
        headers.LastModified = version.Written;
        response.Headers.AcceptRanges = "bytes";
        response.ContentType = version.MediaType ?? "application/octet-stream";
        if (version.Sha256 is { } sha) response.Headers["Repr-Digest"] = $"sha-256=:{Convert.ToBase64String(Convert.FromHexString(sha))}:";
        response.Headers["Ripen-Tier"] = version.Tier;
        if (TagText.Write(version.Tags) is { } tags) response.Headers["Ripen-Tags"] = tags;
        // What somebody uploaded is shown as it is and runs nothing here.
        response.Headers.ContentSecurityPolicy = "sandbox; default-src 'none'";
        if (response.HttpContext.Request.Query.ContainsKey("download"))
        {
            var disposition = new ContentDispositionHeaderValue("attachment");
            disposition.SetHttpFileName(version.Key[(version.Key.LastIndexOf('/') + 1)..]);
            response.Headers.ContentDisposition = disposition.ToString();
        }
    }

    /// <summary>The one range that was asked for, as [From, To); null for all of it, also when several or none that can be understood were asked for.</summary>
    private static (long From, long To)? Range(RequestHeaders headers, StoredVersion version)
    {
        if (headers.Range is not { Unit.Value: "bytes", Ranges: { Count: 1 } ranges }) return null;
        if (headers.IfRange?.EntityTag is { } tag && !tag.Compare(Versions.Tag(version.Version), useStrongComparison: true)) return null;
        var range = ranges.First();
        return range switch
        {
            { From: { } from, To: { } to } => (from, Math.Min(to + 1, version.Bytes)),
            { From: { } from } => (from, version.Bytes),
            { To: { } last } => last == 0 ? (version.Bytes, version.Bytes) : (Math.Max(0, version.Bytes - last), version.Bytes),
            _ => null,
        };
    }

    private static long? IfVersion(IList<EntityTagHeaderValue> tags, string key) => tags switch
    {
        [var one] when long.TryParse(one.Tag.AsSpan().Trim('"'), NumberStyles.None, CultureInfo.InvariantCulture, out var version) => version,
        _ => throw Stale(key),
    };

    private static byte[]? Digest(StringValues header)
    {
        foreach (var part in header.SelectMany(h => h?.Split(',') ?? []))
        {
            var text = part.Trim();
            if (!text.StartsWith("sha-256=:", StringComparison.Ordinal) || !text.EndsWith(':')) continue;
            var digest = new byte[32];
            if (Convert.TryFromBase64String(text[9..^1], digest, out var n) && n == digest.Length) return digest;
            throw new RefusalException(RefusalKind.Invalid, "invalid-digest", "Write the SHA-256 as sha-256=:BASE64: (RFC 9530).");
        }
        return null;
    }

    private static RefusalException Stale(string key) =>
        new(RefusalKind.PreconditionFailed, "changed-meanwhile", $"The current version of '{key}' is another one than If-Match names. Look at it first.");
}
