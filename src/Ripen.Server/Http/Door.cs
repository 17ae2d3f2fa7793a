using System.Net;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.Metadata;
using Microsoft.Net.Http.Headers;
using Ripen.Server.Objects;

namespace Ripen.Server.Http;

/// <summary>
/// What stands between a running Ripen and the web pages of others: who may be asked for (Host), who may change something (Origin,
/// Sec-Fetch-Site), what a request must look like, and what every answer says of itself. There are no accounts yet: whoever reaches the
/// server from this machine may do everything.
/// </summary>
public static class Door
{
    /// <summary>Says that a request without a body was meant: a page elsewhere cannot add a header unasked.</summary>
    public const string Intent = "Ripen-Request";

    private static readonly string[] Loopback = ["localhost", "127.0.0.1", "[::1]"];

    /// <summary>Destinations at which a browser runs or frames what it gets.</summary>
    private static readonly HashSet<string> Running =
    [
        "script",
        "worker",
        "sharedworker",
        "serviceworker",
        "style",
        "embed",
        "object",
        "frame",
        "iframe",
        "manifest",
        "xslt",
    ];

    /// <summary>Why the server may not listen there; null when it may.</summary>
    public static string? Refusal(string addresses, bool beyondLoopback) =>
        beyondLoopback ? null
        : addresses
            .Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Select(BindingAddress.Parse)
            .FirstOrDefault(a => !IsLoopback(a.Host))
            is { } open
            ? $"'{open}' can be reached from other machines, and Ripen has no sign-in yet: whoever reaches it can read, change and "
                + "delete everything. Start with --Ripen:BeyondLoopback=true if that is what you want."
        : null;

    /// <summary>The gates that need no endpoint, in their order; outermost the headers of every answer.</summary>
    public static void UseDoor(this WebApplication app, RipenSettings settings)
    {
        app.Use(
            (context, next) =>
            {
                context.Response.OnStarting(() =>
                {
                    Describe(context);
                    return Task.CompletedTask;
                });
                return next(context);
            }
        );
        var hosts = (
            settings.Hosts is { Length: > 0 } named
                ? named.Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                : Loopback
        ).ToHashSet(StringComparer.OrdinalIgnoreCase);
        app.UseExceptionHandler(
            new ExceptionHandlerOptions
            {
                StatusCodeSelector = error =>
                    error is BadHttpRequestException bad ? bad.StatusCode : StatusCodes.Status500InternalServerError,
            }
        );
        app.UseStatusCodePages();
        app.Use(
            (context, next) =>
            {
                var request = context.Request;
                if (!hosts.Contains("*") && !hosts.Contains(request.Host.Host))
                {
                    throw new RefusalException(
                        RefusalKind.Invalid,
                        "unknown-host",
                        $"This server does not answer for the host '{request.Host.Host}'; ask for {hosts.First()}, or name hosts with "
                            + "--Ripen:Hosts=NAME;NAME."
                    );
                }
                if (HasDotSegments(request.RawPath()))
                {
                    throw new RefusalException(
                        RefusalKind.Invalid,
                        "dot-segments",
                        "The address holds the segments '.' or '..', which would name another thing than it seems to; write it "
                            + "without them (RFC 3986, section 5.2.4)."
                    );
                }
                if (IsChange(request) && IsForeign(request))
                {
                    throw new RefusalException(
                        RefusalKind.Forbidden,
                        "foreign-origin",
                        "This request comes from a page that is not Ripen's; such pages may change nothing here."
                    );
                }
                return next(context);
            }
        );
    }

    /// <summary>What an operation's body must be; runs when it is known which operation is asked for.</summary>
    public static void UseBodyGate(this WebApplication app) =>
        app.Use(
            (context, next) =>
            {
                var request = context.Request;
                if (
                    !IsChange(request)
                    || context.GetEndpoint() is not { } endpoint
                    || !request.Path.StartsWithSegments("/api", StringComparison.Ordinal)
                )
                    return next(context);
                if (endpoint.Metadata.GetMetadata<IAcceptsMetadata>() is not null)
                {
                    if (!request.HasJsonContentType())
                        throw new BadHttpRequestException("Send the body as application/json.", StatusCodes.Status415UnsupportedMediaType);
                }
                else if (!HttpMethods.IsPut(request.Method) && !request.Headers.ContainsKey(Intent) && IsSimple(request))
                {
                    throw new RefusalException(
                        RefusalKind.Invalid,
                        "intent-missing",
                        $"Send the header '{Intent}: 1' with a request that has no JSON body, so that it cannot be a page's elsewhere."
                    );
                }
                return next(context);
            }
        );

    /// <summary>Whether what a browser wants it for would run or frame it.</summary>
    public static bool WouldRun(HttpRequest request) => Running.Contains(request.Headers["Sec-Fetch-Dest"].ToString());

    private static void Describe(HttpContext context)
    {
        var (headers, request) = (context.Response.Headers, context.Request);
        headers.XContentTypeOptions = "nosniff";
        headers.XFrameOptions = "DENY";
        headers["Referrer-Policy"] = "no-referrer";
        headers["Cross-Origin-Resource-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        if (headers.CacheControl.Count == 0)
            headers.CacheControl = "no-store";
        // Scripts come from the assets that were shipped, and from nowhere else of this origin: what people store lies beside them.
        if (headers.ContentSecurityPolicy.Count == 0)
        {
            headers.ContentSecurityPolicy =
                $"default-src 'self'; script-src {request.Scheme}://{request.Host}/assets/; worker-src 'none'; object-src 'none'; "
                + "base-uri 'none'; form-action 'self'; "
                + "frame-ancestors 'none'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:";
        }
    }

    private static bool IsChange(HttpRequest request) =>
        !HttpMethods.IsGet(request.Method) && !HttpMethods.IsHead(request.Method) && !HttpMethods.IsOptions(request.Method);

    private static bool IsForeign(HttpRequest request)
    {
        var site = request.Headers["Sec-Fetch-Site"].ToString();
        if (site is "cross-site" or "same-site")
            return true;
        var origin = request.Headers.Origin.ToString();
        return origin.Length > 0 && origin != $"{request.Scheme}://{request.Host}";
    }

    /// <summary>Whether a page elsewhere could send this without asking first (Fetch standard, CORS-safelisted method and content
    /// type).</summary>
    private static bool IsSimple(HttpRequest request)
    {
        if (request.ContentType is not { Length: > 0 } type)
            return true;
        return !MediaTypeHeaderValue.TryParse(type, out var parsed)
            || parsed.MediaType.Value?.ToLowerInvariant() is "text/plain" or "application/x-www-form-urlencoded" or "multipart/form-data";
    }

    private static bool IsLoopback(string host) =>
        host.Equals("localhost", StringComparison.OrdinalIgnoreCase)
        || (IPAddress.TryParse(host.Trim('[', ']'), out var address) && IPAddress.IsLoopback(address));

    private static bool HasDotSegments(string path) =>
        path.Contains('.', StringComparison.Ordinal) || path.Contains("%2e", StringComparison.OrdinalIgnoreCase)
            ? path.Split('/').Any(s => s.Replace("%2e", ".", StringComparison.OrdinalIgnoreCase) is "." or "..")
            : false;
}
