using System.Text;
using Microsoft.AspNetCore.Http.Features;
using Ripen.Provider;

namespace Ripen.Server.Objects;

/// <summary>
/// Bucket and key as the request's first line has them. The server's own path has dot segments resolved and some escapes left, and so could
/// name another object than the client did.
/// </summary>
internal static class RequestTarget
{
    /// <summary>The path of the request's first line, escapes untouched.</summary>
    public static string RawPath(this HttpRequest request)
    {
        var target = request.HttpContext.Features.Get<IHttpRequestFeature>()?.RawTarget;
        if (target is not ['/', ..])
            target = request.Path.ToUriComponent();
        var query = target.IndexOf('?', StringComparison.Ordinal);
        return query < 0 ? target : target[..query];
    }

    /// <summary>What comes after the first <paramref name="segments"/> segments of the path, unescaped; empty when nothing does.</summary>
    /// <exception cref="RefusalException">An escape is broken or no UTF-8.</exception>
    public static string KeyAfter(this HttpRequest request, int segments)
    {
        var path = request.RawPath();
        var at = 0;
        for (var i = 0; i < segments && at >= 0; i++)
            at = path.IndexOf('/', at + 1);
        return at < 0 ? "" : Unescape(path[(at + 1)..]);
    }

    public static string Unescape(string text)
    {
        var bytes = new byte[Encoding.UTF8.GetMaxByteCount(text.Length)];
        var n = 0;
        for (var i = 0; i < text.Length; )
        {
            if (text[i] == '%')
            {
                if (i + 2 >= text.Length || !char.IsAsciiHexDigit(text[i + 1]) || !char.IsAsciiHexDigit(text[i + 2]))
                    throw Broken();
                bytes[n++] = Convert.ToByte(text.Substring(i + 1, 2), 16);
                i += 3;
            }
            else
            {
                var length = char.IsHighSurrogate(text[i]) && i + 1 < text.Length ? 2 : 1;
                n += Encoding.UTF8.GetBytes(text, i, length, bytes, n);
                i += length;
            }
        }
        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(bytes, 0, n);
        }
        catch (DecoderFallbackException)
        {
            throw Broken();
        }
    }

    private static RefusalException Broken() =>
        new(
            RefusalKind.Invalid,
            "invalid-key",
            "The key in the address is not well escaped; escape it as UTF-8 with percent signs (RFC 3986)."
        );
}
