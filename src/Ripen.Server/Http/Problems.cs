using System.Text.Json;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Estates;

namespace Ripen.Server.Http;

/// <summary>RFC 9457 problem details: every one has a stable <c>code</c>, and where input is wrong, <c>problems</c> with JSON
/// paths.</summary>
public static class Problems
{
    public static ProblemHttpResult Invalid(IReadOnlyList<Problem> problems) =>
        Make(
            StatusCodes.Status400BadRequest,
            "invalid",
            problems.Count == 1 ? problems[0].Message : $"{problems.Count} things are wrong; nothing was changed.",
            problems
        );

    public static ProblemHttpResult Invalid(string code, string path, string message) => Invalid([new Problem(code, path, message)]);

    public static ProblemHttpResult NotFound(string code, string message) => Make(StatusCodes.Status404NotFound, code, message);

    public static ProblemHttpResult NoEstate() =>
        NotFound("no-estate", "There is no estate yet; import an estate document or load the demo.");

    public static ProblemHttpResult NoBucket(string name) => NotFound("no-bucket", $"There is no bucket '{name}'.");

    public static ProblemHttpResult Stale(string what) => Refused(RefusalException.Stale(what));

    public static ProblemHttpResult NoIfMatch() =>
        Make(
            StatusCodes.Status428PreconditionRequired,
            "if-match-missing",
            "Send the ETag that you last read as If-Match, so that nobody's change is overwritten unseen."
        );

    public static ProblemHttpResult Conflict(string code, string message) => Make(StatusCodes.Status409Conflict, code, message);

    /// <summary>Gives a code and words to the answers that the framework makes itself, such as for a query parameter that is not a
    /// number.</summary>
    public static IServiceCollection AddRipenProblemDetails(this IServiceCollection services) =>
        services.AddProblemDetails(options =>
            options.CustomizeProblemDetails = context =>
            {
                var problem = context.ProblemDetails;
                var (code, detail) = problem.Status switch
                {
                    StatusCodes.Status400BadRequest => (
                        "bad-request",
                        "A parameter of the address cannot be read; /openapi/v1.json says what it takes."
                    ),
                    StatusCodes.Status404NotFound => ("not-found", "There is nothing at this address."),
                    StatusCodes.Status405MethodNotAllowed => (
                        "method-not-allowed",
                        "This address does not take this method; /openapi/v1.json says which it takes."
                    ),
                    StatusCodes.Status416RangeNotSatisfiable => (
                        "range-not-satisfiable",
                        "The object has no such bytes; Content-Range says how many it has."
                    ),
                    StatusCodes.Status413PayloadTooLarge => (
                        "too-large",
                        "The body is larger than this address takes; nothing was changed."
                    ),
                    StatusCodes.Status415UnsupportedMediaType => ("unsupported-media-type", "Send the body as application/json."),
                    _ => ("unexpected", "Something went wrong in the server; its own log says what."),
                };
                problem.Extensions.TryAdd("code", code);
                problem.Detail ??= detail;
            }
        );

    public static ProblemHttpResult Refused(RefusalException refusal) =>
        Make(
            refusal.Kind switch
            {
                RefusalKind.NotFound => StatusCodes.Status404NotFound,
                RefusalKind.Invalid => StatusCodes.Status400BadRequest,
                RefusalKind.Conflict => StatusCodes.Status409Conflict,
                RefusalKind.PreconditionFailed => StatusCodes.Status412PreconditionFailed,
                RefusalKind.Forbidden => StatusCodes.Status403Forbidden,
                RefusalKind.Unauthorized => StatusCodes.Status401Unauthorized,
                RefusalKind.TooLarge => StatusCodes.Status413PayloadTooLarge,
                RefusalKind.Full => StatusCodes.Status507InsufficientStorage,
                RefusalKind.Unavailable => StatusCodes.Status503ServiceUnavailable,
                _ => StatusCodes.Status500InternalServerError,
            },
            refusal.Code,
            refusal.Message,
            refusal.Path is { } path ? [new Problem(refusal.Code, path, refusal.Message)] : null
        );

    internal static ProblemHttpResult Make(int status, string code, string detail, IReadOnlyList<Problem>? problems = null)
    {
        var extensions = new Dictionary<string, object?> { ["code"] = code };
        if (problems is not null)
            extensions["problems"] = problems;
        return TypedResults.Problem(detail, statusCode: status, extensions: extensions);
    }
}

/// <summary>Answers with what the provider refused, and why.</summary>
internal sealed class RefusalHandler : IExceptionHandler
{
    public async ValueTask<bool> TryHandleAsync(HttpContext httpContext, Exception exception, CancellationToken cancellationToken)
    {
        if (exception is BadHttpRequestException { InnerException: JsonException wrong } bad)
        {
            await Problems
                .Invalid("invalid-json", wrong.Path ?? "$", $"{Plain(wrong.Message)} Nothing was changed.")
                .ExecuteAsync(httpContext);
            return bad.StatusCode == StatusCodes.Status400BadRequest;
        }
        if (IsFull(exception))
        {
            await Problems
                .Refused(
                    new RefusalException(
                        RefusalKind.Full,
                        "disk-full",
                        "The disk is full; nothing was stored. Make room and send it again."
                    )
                )
                .ExecuteAsync(httpContext);
            return true;
        }
        if (exception is not RefusalException refusal)
            return false;
        if (refusal.Kind == RefusalKind.Unauthorized)
            httpContext.Response.Headers.WWWAuthenticate = "Basic realm=\"objects\", charset=\"UTF-8\"";
        await Problems.Refused(refusal).ExecuteAsync(httpContext);
        return true;
    }

    /// <summary>SQLITE_FULL (13), by itself or under the mapper, or ENOSPC (28).</summary>
    private static bool IsFull(Exception? error) =>
        error is SqliteException { SqliteErrorCode: 13 } or IOException { HResult: 28 }
        || (error is DbUpdateException && IsFull(error.InnerException));

    private static readonly string[] NumberTypes = ["System.Double", "System.Int32", "System.Int64"];

    /// <summary>Without the reader's own way of saying where, which the path says, and without its names of types.</summary>
    private static string Plain(string message)
    {
        if (NumberTypes.Any(t => message.Contains($"to {t}.", StringComparison.Ordinal)))
            return "A number is wanted here.";
        var place = message.IndexOf(" Path: $", StringComparison.Ordinal);
        return (place < 0 ? message : message[..place]).TrimEnd('.') + ".";
    }
}
