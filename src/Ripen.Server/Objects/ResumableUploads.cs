using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.Http.Features;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Objects;
using Ripen.Server.Http;

namespace Ripen.Server.Objects;

/// <summary>
/// Uploads that can be resumed, by the open tus protocol 1.0.0 (tus.io/protocols/resumable-upload) with its extensions creation,
/// creation-with-upload, checksum, termination and expiration. <c>Upload-Metadata</c> names the key (<c>key</c>, or else <c>filename</c>) and
/// may have <c>filetype</c>, <c>tags</c> (name=value, &amp; between), <c>onlyNew</c> and <c>fingerprint</c>.
/// </summary>
internal static class ResumableUploads
{
    private const string Version = "1.0.0";
    private const string Bytes = "application/offset+octet-stream";
    private const int LongestFingerprint = 500;

    /// <summary>The protocol's own, of the checksum extension.</summary>
    private const int ChecksumMismatch = 460;

    public static void Options(HttpContext context)
    {
        var headers = context.Response.Headers;
        headers["Tus-Resumable"] = Version;
        headers["Tus-Version"] = Version;
        headers["Tus-Extension"] = "creation,creation-with-upload,checksum,termination,expiration";
        headers["Tus-Checksum-Algorithm"] = "sha1,sha256";
        context.Response.StatusCode = StatusCodes.Status204NoContent;
    }

    /// <param name="context">Of the request.</param>
    /// <param name="provider">Where to.</param>
    /// <param name="bucket">Its name.</param>
    /// <param name="home">The address below which uploads have theirs.</param>
    /// <param name="demand">Looks at the key before anything is done; throws when the sender must not write it.</param>
    public static async Task Create(HttpContext context, SimulatedProvider provider, string bucket, string home, Action<string> demand)
    {
        DemandVersion(context);
        var said = Metadata(context.Request);
        if ((said.GetValueOrDefault("key") ?? said.GetValueOrDefault("filename")) is not { } key)
            throw Wrong("Upload-Metadata", "Name the object's key in Upload-Metadata: key BASE64.");
        ObjectKeys.Check(key);
        demand(key);
        if (said.GetValueOrDefault("fingerprint")?.Length > LongestFingerprint)
            throw Wrong("Upload-Metadata", $"A fingerprint has at most {LongestFingerprint} characters.");
        var upload = provider.Uploads.Begin(
            bucket,
            key,
            new UploadOrder(
                Number(context.Request, "Upload-Length"),
                ObjectHttp.Checked(said.GetValueOrDefault("filetype")),
                ObjectHttp.Tags(said.GetValueOrDefault("tags")),
                said.ContainsKey("onlyNew"),
                said.GetValueOrDefault("fingerprint")
            )
        );
        context.Response.Headers.Location = $"{home}/{upload.Id}";
        context.Response.StatusCode = StatusCodes.Status201Created;
        var sent = context.Request.ContentType == Bytes;
        if (sent || upload.Length == 0)
            await Take(context, provider, upload, 0, sent ? context.Request.Body : Stream.Null, StatusCodes.Status201Created);
        else
            Describe(context.Response, upload, upload.Received);
    }

    public static void Head(HttpContext context, Upload upload)
    {
        DemandVersion(context);
        Describe(context.Response, upload, upload.Received);
        context.Response.Headers["Upload-Length"] = Text(upload.Length);
        context.Response.Headers.CacheControl = "no-store";
    }

    public static Task Patch(HttpContext context, SimulatedProvider provider, Upload upload)
    {
        DemandVersion(context);
        if (context.Request.ContentType != Bytes)
            return Refuse(context, StatusCodes.Status415UnsupportedMediaType, "unsupported-media-type", $"Send the bytes as {Bytes}.");
        return Take(
            context,
            provider,
            upload,
            Number(context.Request, "Upload-Offset"),
            context.Request.Body,
            StatusCodes.Status204NoContent
        );
    }

    public static void Delete(HttpContext context, SimulatedProvider provider, Upload upload)
    {
        DemandVersion(context);
        provider.Uploads.Discard(upload.Bucket, upload.Id);
        context.Response.Headers["Tus-Resumable"] = Version;
        context.Response.StatusCode = StatusCodes.Status204NoContent;
    }

    private static async Task Take(HttpContext context, SimulatedProvider provider, Upload upload, long offset, Stream body, int done)
    {
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = null;
        var (algorithm, announced) = Checksum(context.Request);
        using var sum = algorithm is null ? null : IncrementalHash.CreateHash(algorithm.Value);
        await using var summed = sum is null ? body : new SummedStream(body, sum);
        UploadProgress progress;
        try
        {
            progress = await provider.Uploads.Append(
                upload.Bucket,
                upload.Id,
                offset,
                summed,
                whole =>
                {
                    // A part that is cut short has another sum than the one announced.
                    if (sum is not null && !(whole && sum.GetHashAndReset().AsSpan().SequenceEqual(announced)))
                        throw new ChecksumException();
                },
                context.RequestAborted
            );
        }
        catch (ChecksumException)
        {
            await Refuse(
                context,
                ChecksumMismatch,
                "wrong-checksum",
                "The part's checksum is not what was announced; nothing of it was kept. Send it again."
            );
            return;
        }
        Describe(context.Response, upload, progress.Received);
        if (progress.Stored is { } stored)
            context.Response.GetTypedHeaders().ETag = Versions.Tag(stored.Version);
        context.Response.StatusCode = done;
    }

    private static void Describe(HttpResponse response, Upload upload, long received)
    {
        response.Headers["Tus-Resumable"] = Version;
        response.Headers["Upload-Offset"] = Text(received);
        if (received < upload.Length && upload.RemovedOn is { } day)
            response.Headers["Upload-Expires"] = day.ToDateTime(TimeOnly.MinValue).ToString("R", CultureInfo.InvariantCulture);
    }

    private static Task Refuse(HttpContext context, int status, string code, string detail) =>
        Problems.Make(status, code, detail).ExecuteAsync(context);

    private static void DemandVersion(HttpContext context)
    {
        if (context.Request.Headers["Tus-Resumable"] == Version)
            return;
        context.Response.OnStarting(() =>
        {
            context.Response.Headers["Tus-Version"] = Version;
            return Task.CompletedTask;
        });
        throw new RefusalException(RefusalKind.PreconditionFailed, "wrong-protocol", $"Send Tus-Resumable: {Version}.", "Tus-Resumable");
    }

    private static (HashAlgorithmName? Algorithm, byte[] Sum) Checksum(HttpRequest request)
    {
        if (request.Headers["Upload-Checksum"].FirstOrDefault() is not { } text)
            return (null, []);
        var parts = text.Split(' ');
        var algorithm = parts[0] switch
        {
            "sha1" => HashAlgorithmName.SHA1,
            "sha256" => HashAlgorithmName.SHA256,
            _ => throw Wrong("Upload-Checksum", "Checksums are sha1 or sha256."),
        };
        return (algorithm, Base64("Upload-Checksum", parts.ElementAtOrDefault(1) ?? ""));
    }

    private static Dictionary<string, string> Metadata(HttpRequest request)
    {
        var said = new Dictionary<string, string>();
        foreach (var pair in (request.Headers["Upload-Metadata"].FirstOrDefault() ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries))
        {
            var parts = pair.Trim().Split(' ');
            if (parts.Length > 2 || !said.TryAdd(parts[0], Utf8(Base64("Upload-Metadata", parts.ElementAtOrDefault(1) ?? ""))))
                throw Wrong("Upload-Metadata", "Write every name once, a space and its value in base64, with a comma between pairs.");
        }
        return said;
    }

    private static byte[] Base64(string header, string text)
    {
        try
        {
            return Convert.FromBase64String(text);
        }
        catch (FormatException)
        {
            throw Wrong(header, $"'{text}' is no base64.");
        }
    }

    private static string Utf8(byte[] bytes)
    {
        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(bytes);
        }
        catch (DecoderFallbackException)
        {
            throw Wrong("Upload-Metadata", "Values are UTF-8.");
        }
    }

    private static long Number(HttpRequest request, string header) =>
        long.TryParse(request.Headers[header].FirstOrDefault(), NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw Wrong(header, $"{header} must be a whole number of bytes from 0 on.");

    private static RefusalException Wrong(string header, string message) => new(RefusalKind.Invalid, "bad-request", message, header);

    private static string Text(long number) => number.ToString(CultureInfo.InvariantCulture);

    private sealed class ChecksumException : Exception;

    /// <summary>Adds what is read to a sum.</summary>
    private sealed class SummedStream(Stream body, IncrementalHash sum) : Stream
    {
        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            var read = await body.ReadAsync(buffer, cancellationToken);
            sum.AppendData(buffer.Span[..read]);
            return read;
        }

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
