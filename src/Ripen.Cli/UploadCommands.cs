using System.CommandLine;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Large files over a running server, by the tus protocol: what broke off goes on when the same file is put again.</summary>
internal static class UploadCommands
{
    /// <summary>Smaller files are sent at once: there is little to send again.</summary>
    private const int WorthResuming = 8_000_000;

    public static IEnumerable<Command> All() => [List(), Discard()];

    public static bool IsWorthIt(FileInfo file) => file.Length >= WorthResuming;

    /// <summary>Sends a file, or what is missing of it.</summary>
    /// <param name="http">Of the server.</param>
    /// <param name="file">With its size.</param>
    /// <param name="target">Bucket, slash and key.</param>
    /// <param name="tags">To be kept with the object; null for none.</param>
    public static async Task Send(HttpClient http, FileInfo file, string target, string? tags)
    {
        var (bucket, key) = ServerCommands.Split(target);
        var fingerprint = FormattableString.Invariant($"{file.Name} {file.Length} {file.LastWriteTimeUtc:O}");
        var known = (await All(http, bucket)).FirstOrDefault(u => (string?)u["key"] == key && (string?)u["fingerprint"] == fingerprint);
        var (address, from) = known is null
            ? (await Begin(http, bucket, file.Length, [("key", key), ("fingerprint", fingerprint), ("tags", tags)]), 0L)
            : (In(bucket) + "/" + known["id"], (long)known["received"]!);
        if (from > 0)
            Console.WriteLine($"{key}: goes on at byte {from} of {file.Length}");
        await using var body = file.OpenRead();
        body.Position = from;
        using var request = Request(HttpMethod.Patch, address);
        request.Headers.Add("Upload-Offset", from.ToString(CultureInfo.InvariantCulture));
        request.Content = new StreamContent(body)
        {
            Headers = { ContentType = new MediaTypeHeaderValue("application/offset+octet-stream") },
        };
        using var done = await http.SendAsync(request);
        await ServerCommands.Answer(done);
        Console.WriteLine($"{key}: {file.Length} bytes, version {done.Headers.ETag?.Tag.Trim('"')}");
    }

    private static string In(string bucket) => $"/api/buckets/{Uri.EscapeDataString(bucket)}/uploads";

    private static async Task<IEnumerable<JsonNode>> All(HttpClient http, string bucket) =>
        (await ServerCommands.Answer(await http.GetAsync(new Uri(In(bucket), UriKind.Relative))))!.AsArray().Select(u => u!);

    private static async Task<string> Begin(HttpClient http, string bucket, long length, IEnumerable<(string Name, string? Value)> said)
    {
        using var request = Request(HttpMethod.Post, In(bucket));
        request.Headers.Add("Upload-Length", length.ToString(CultureInfo.InvariantCulture));
        request.Headers.Add(
            "Upload-Metadata",
            string.Join(
                ',',
                said.Where(s => s.Value is not null).Select(s => $"{s.Name} {Convert.ToBase64String(Encoding.UTF8.GetBytes(s.Value!))}")
            )
        );
        using var begun = await http.SendAsync(request);
        await ServerCommands.Answer(begun);
        return begun.Headers.Location!.OriginalString;
    }

    private static HttpRequestMessage Request(HttpMethod method, string address)
    {
        var request = new HttpRequestMessage(method, new Uri(address, UriKind.Relative));
        request.Headers.Add("Tus-Resumable", "1.0.0");
        return request;
    }

    private static Command List()
    {
        var bucket = new Argument<string>("BUCKET");
        return ServerCommands.Make(
            "uploads",
            "Print uploads that are not complete: tab-separated id, key, bytes received, bytes in all, day of the last, day of removal.",
            [bucket],
            async (http, parsed) =>
            {
                foreach (var u in await All(http, parsed.GetRequiredValue(bucket)))
                    Console.WriteLine(
                        $"{u["id"]}\t{u["key"]}\t{u["received"]}\t{u["length"]}\t{u["lastReceived"]}\t{u["removedOn"]?.ToString() ?? "-"}"
                    );
            }
        );
    }

    private static Command Discard()
    {
        var (bucket, id) = (new Argument<string>("BUCKET"), new Argument<string>("ID") { Description = "as 'ripen uploads' prints it" });
        return ServerCommands.Make(
            "upload-discard",
            "Remove an upload and what has come of it.",
            [bucket, id],
            async (http, parsed) =>
            {
                using var request = Request(HttpMethod.Delete, $"{In(parsed.GetRequiredValue(bucket))}/{parsed.GetRequiredValue(id)}");
                await ServerCommands.Answer(await http.SendAsync(request));
                Console.WriteLine("Removed.");
            }
        );
    }
}
