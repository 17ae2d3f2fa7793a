using System.Globalization;
using Microsoft.Net.Http.Headers;

namespace Ripen.Server.Http;

/// <summary>Versions as entity tags (RFC 9110, section 8.8.3).</summary>
internal static class Versions
{
    public static void SetVersion(this HttpResponse response, long version) => response.GetTypedHeaders().ETag = Tag(version);

    public static bool HasIfMatch(this HttpRequest request) => request.GetTypedHeaders().IfMatch.Count > 0;

    /// <summary>Whether If-Match names this version, or any.</summary>
    public static bool Matches(this HttpRequest request, long version) =>
        request
            .GetTypedHeaders()
            .IfMatch.Any(tag => tag.Equals(EntityTagHeaderValue.Any) || tag.Compare(Tag(version), useStrongComparison: true));

    public static EntityTagHeaderValue Tag(long version) => new($"\"{version.ToString(CultureInfo.InvariantCulture)}\"");
}
