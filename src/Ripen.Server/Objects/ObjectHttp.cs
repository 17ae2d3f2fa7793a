using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.Primitives;
using Microsoft.Net.Http.Headers;
using Ripen.Core.Estates;
using Ripen.Provider.Objects;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

/// <summary>
/// Objects over HTTP as RFC 9110 has it: GET with ranges, HEAD, PUT, DELETE, ETags and preconditions; checksums as Content-Digest and
/// Repr-Digest (RFC 9530).
/// </summary>
internal static class ObjectHttp
{
    private const string Unknown = "application/octet-stream";

    /// <summary>Types that a browser shows and does not run. All others are handed over as files.</summary>
    private static readonly HashSet<string> Shown =
    [
        "text/plain",
        "text/csv",
        "application/json",
        "image/png",
        "image/jpeg",
        "image/gif",
        "image/webp",
        "image/avif",
        "image/bmp",
        "audio/mpeg",
        "audio/ogg",
        "audio/wav",
        "video/mp4",
        "video/webm",
    ];

    /// <summary>Sends an object. Every block is checked before it goes out; a damaged one ends the connection instead of a wrong
    /// byte.</summary>
    public static async Task Get(HttpContext context, IObjectStore objects, string bucket, string key, TimeProvider time)
    {
        DemandNotRun(context.Request);
        using var opened = objects.Open(bucket, key, Version(context.Request));
        var (response, version) = (context.Response, opened.Version);
        if (!Begin(context, version, time, out var conditions, out var current))
            return;
        var (from, to) = (0L, version.Bytes);
        if (conditions.Range(current, version.Bytes) is { } range)
        {
            if (range.From >= version.Bytes)
            {
                response.Headers.ContentRange = $"bytes */{version.Bytes}";
                response.StatusCode = StatusCodes.Status416RangeNotSatisfiable;
                response.ContentType = null;
                response.Headers.ContentDisposition = default;
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

    public static void Head(HttpContext context, IObjectStore objects, string bucket, string key, TimeProvider time)
    {
        var version = objects.Find(bucket, key, Version(context.Request)) ?? throw RefusalException.NoObject(key);
        if (Begin(context, version, time, out _, out _))
            context.Response.ContentLength = version.Bytes;
    }

    public static async Task<StoredVersion> Put(
        HttpContext context,
        IObjectStore objects,
        string bucket,
        string key,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        // However large: the body goes to the disk as it comes.
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = null;
        var request = context.Request;
        var conditions = new WriteConditions(
            Allows: Allowing(request, key),
            Sha256: Digest(request.Headers["Content-Digest"]) ?? Digest(request.Headers["Repr-Digest"]),
            Length: request.ContentLength,
            MediaType: Checked(request.ContentType),
            Tags: Tags(request.Headers["Ripen-Tags"].FirstOrDefault())
        );
        StoredVersion stored;
        try
        {
            stored = await objects.Write(bucket, key, request.Body, conditions, cancel);
        }
        catch (BadHttpRequestException cut)
        {
            throw new RefusalException(
                RefusalKind.Invalid,
                "wrong-length",
                $"The body ended before the announced length, or could not be read; nothing was stored. ({cut.Message})"
            );
        }
        Describe(context.Response, stored, time);
        context.Response.ContentType = null;
        context.Response.Headers.ContentDisposition = default;
        return stored;
    }

    public static Deletion Delete(HttpContext context, IObjectStore objects, string bucket, string key) =>
        objects.Delete(bucket, key, Version(context.Request), Allowing(context.Request, key));

    public static ListingPage List(HttpContext context, IObjectStore objects, string bucket)
    {
        var query = context.Request.Query;
        var most = query["most"].FirstOrDefault() is { } text ? Whole(text, "most") : ListingPage.Most;
        return objects.List(
            bucket,
            query["prefix"].FirstOrDefault() ?? "",
            query["delimiter"].FirstOrDefault(),
            query["after"].FirstOrDefault(),
            (int)Math.Min(most, int.MaxValue)
        );
    }

    public static long? Version(HttpRequest request) =>
        request.Query["version"].FirstOrDefault() is { } text ? Whole(text, "version") : null;

    /// <summary>Describes the answer and looks at the request's conditions; false when there is nothing more to send.</summary>
    private static bool Begin(
        HttpContext context,
        StoredVersion version,
        TimeProvider time,
        out Preconditions conditions,
        out Representation current
    )
    {
        conditions = new Preconditions(context.Request);
        current = Representation.Of(version.Version, version.Written);
        switch (conditions.Against(current))
        {
            case Precondition.Failed:
                throw Stale(version.Key);
            case Precondition.NotModified:
                Describe(context.Response, version, time);
                context.Response.StatusCode = StatusCodes.Status304NotModified;
                context.Response.ContentType = null;
                return false;
            default:
                Describe(context.Response, version, time);
                return true;
        }
    }

    /// <summary>The request's conditions, to be looked at in the transaction that they guard.</summary>
    private static Action<StoredVersion?> Allowing(HttpRequest request, string key)
    {
        var conditions = new Preconditions(request);
        return current =>
        {
            if (conditions.Against(current is null ? null : Representation.Of(current.Version, current.Written)) != Precondition.Proceed)
                throw Stale(key);
        };
    }

    /// <summary>What somebody stored is never a part of a page or program here.</summary>
    private static void DemandNotRun(HttpRequest request)
    {
        if (Door.WouldRun(request))
            throw new RefusalException(
                RefusalKind.Forbidden,
                "not-to-be-run",
                "What is stored here is data: it cannot be a script, a style or a frame of a page. Download it instead."
            );
    }

    internal static IReadOnlyDictionary<string, string>? Tags(string? text)
    {
        try
        {
            return TagText.Read(text);
        }
        catch (FormatException wrong)
        {
            throw new RefusalException(RefusalKind.Invalid, "invalid-tags", $"{wrong.Message} Nothing was stored.", "Ripen-Tags");
        }
    }

    private static long Whole(string text, string name) =>
        long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw new RefusalException(RefusalKind.Invalid, "bad-request", $"'{name}' must be a whole number, not '{text}'.", $"?{name}");

    /// <summary>A type that can be given back as it came: what cannot be read would make the object unreadable.</summary>
    internal static string? Checked(string? type) =>
        string.IsNullOrEmpty(type) || (Ascii.IsValid(type) && MediaTypeHeaderValue.TryParse(type, out _))
            ? type
            : throw new RefusalException(
                RefusalKind.Invalid,
                "invalid-media-type",
                "Content-Type cannot be read; write a media type such as text/plain; charset=utf-8 (RFC 9110, section 8.3). Nothing "
                    + "was stored.",
                "Content-Type"
            );

    private static void Describe(HttpResponse response, StoredVersion version, TimeProvider time)
    {
        var headers = response.GetTypedHeaders();
        headers.ETag = Versions.Tag(version.Version);
        // The provider's clock may be ahead of the world's; what was written there tomorrow was not modified there yet (RFC 9110, section
        // 8.8.2.1).
        if (version.Written <= time.GetUtcNow())
            headers.LastModified = version.Written;
        response.Headers.AcceptRanges = "bytes";
        // Whoever may read it now may not tomorrow.
        response.Headers.CacheControl = "private, no-store";
        var readable = MediaTypeHeaderValue.TryParse(version.MediaType, out var type) && Ascii.IsValid(version.MediaType);
        response.ContentType = readable ? version.MediaType : Unknown;
        if (version.Sha256 is { } sha)
            response.Headers["Repr-Digest"] = $"sha-256=:{Convert.ToBase64String(Convert.FromHexString(sha))}:";
        response.Headers["Ripen-Tier"] = version.Tier;
        if (TagText.Write(version.Tags) is { } tags)
            response.Headers["Ripen-Tags"] = tags;
        response.Headers.ContentSecurityPolicy = "sandbox; default-src 'none'";
        if (
            readable
            && Shown.Contains(type!.MediaType.Value!.ToLowerInvariant())
            && !response.HttpContext.Request.Query.ContainsKey("download")
        )
            return;
        var disposition = new ContentDispositionHeaderValue("attachment");
        disposition.SetHttpFileName(version.Key[(version.Key.LastIndexOf('/') + 1)..]);
        response.Headers.ContentDisposition = disposition.ToString();
    }

    private static byte[]? Digest(StringValues header)
    {
        foreach (var part in header.SelectMany(h => h?.Split(',') ?? []))
        {
            var text = part.Trim();
            if (!text.StartsWith("sha-256=:", StringComparison.Ordinal) || !text.EndsWith(':'))
                continue;
            var digest = new byte[32];
            if (text.Length > 10 && Convert.TryFromBase64String(text[9..^1], digest, out var n) && n == digest.Length)
                return digest;
            throw new RefusalException(RefusalKind.Invalid, "invalid-digest", "Write the SHA-256 as sha-256=:BASE64: (RFC 9530).");
        }
        return null;
    }

    private static RefusalException Stale(string key) =>
        new(
            RefusalKind.PreconditionFailed,
            "changed-meanwhile",
            $"The current version of '{key}' is not as the request's conditions demand. Look at it first."
        );
}
