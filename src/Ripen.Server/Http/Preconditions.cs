using Microsoft.AspNetCore.Http.Headers;
using Microsoft.Net.Http.Headers;

namespace Ripen.Server.Http;

/// <summary>What a request's conditions come to.</summary>
internal enum Precondition
{
    Proceed,
    NotModified,
    Failed,
}

/// <summary>What a resource is at the moment: its entity tag, and when it was last written.</summary>
internal sealed record Representation(EntityTagHeaderValue Tag, DateTimeOffset Written)
{
    public static Representation Of(long version, DateTimeOffset written) =>
        new(Versions.Tag(version), DateTimeOffset.FromUnixTimeSeconds(written.ToUnixTimeSeconds()));
}

/// <summary>Conditional requests by RFC 9110, section 13: one evaluator for all methods, in the order of section 13.2.2.</summary>
internal sealed class Preconditions
{
    private readonly RequestHeaders headers;
    private readonly bool isReading;

    /// <exception cref="RefusalException">If-Match or If-None-Match is there and cannot be read: it must not count as absent.</exception>
    public Preconditions(HttpRequest request)
    {
        headers = request.GetTypedHeaders();
        isReading = HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method);
        Demand(request.Headers.IfMatch.Count > 0 && headers.IfMatch.Count == 0, "If-Match");
        Demand(request.Headers.IfNoneMatch.Count > 0 && headers.IfNoneMatch.Count == 0, "If-None-Match");
    }

    /// <param name="current">Null when there is none.</param>
    public Precondition Against(Representation? current)
    {
        if (headers.IfMatch.Count > 0)
        {
            if (
                !headers.IfMatch.Any(t =>
                    current is not null && (t.Equals(EntityTagHeaderValue.Any) || t.Compare(current.Tag, useStrongComparison: true))
                )
            )
                return Precondition.Failed;
        }
        else if (headers.IfUnmodifiedSince is { } unmodified && current?.Written > unmodified)
        {
            return Precondition.Failed;
        }
        if (headers.IfNoneMatch.Count > 0)
        {
            var matches = headers.IfNoneMatch.Any(t =>
                current is not null && (t.Equals(EntityTagHeaderValue.Any) || t.Compare(current.Tag, useStrongComparison: false))
            );
            if (matches)
                return isReading ? Precondition.NotModified : Precondition.Failed;
        }
        else if (isReading && headers.IfModifiedSince is { } modified && current?.Written <= modified)
        {
            return Precondition.NotModified;
        }
        return Precondition.Proceed;
    }

    /// <summary>
    /// The one range of bytes that was asked for, as [From, To), of <paramref name="bytes"/>; null for all of it: also when several were
    /// asked for, when what was asked for cannot be understood, and when If-Range says that it was meant for another state.
    /// </summary>
    public (long From, long To)? Range(Representation current, long bytes)
    {
        if (headers.Range is not { Unit.Value: "bytes", Ranges: { Count: 1 } ranges })
            return null;
        if (headers.IfRange is { } only && !Holds(only, current))
            return null;
        return ranges.First() switch
        {
            { From: { } from, To: { } to } => (from, Math.Min(to, bytes - 1) + 1),
            { From: { } from } => (from, bytes),
            { To: { } last } => last == 0 ? (bytes, bytes) : (Math.Max(0, bytes - last), bytes),
            _ => null,
        };
    }

    private static bool Holds(RangeConditionHeaderValue only, Representation current) =>
        only.EntityTag is { } tag ? tag.Compare(current.Tag, useStrongComparison: true) : only.LastModified == current.Written;

    private static void Demand(bool unreadable, string header)
    {
        if (unreadable)
            throw new RefusalException(
                RefusalKind.Invalid,
                "invalid-precondition",
                $"{header} cannot be read; write entity tags in quotes, with commas between them, or * (RFC 9110, section 8.8.3)."
            );
    }
}
