using System.Net;
using System.Net.Http.Headers;
using System.Text.Json;

namespace Ripen.Backup.Pools;

/// <summary>A pool's objects in a bucket of another machine, over plain HTTP (RFC 9110: GET with ranges, and a listing in JSON). For reading
/// only: who recovers changes nothing.</summary>
/// <param name="http">With the key or token, where one is needed.</param>
/// <param name="bucket">The bucket's address, with a slash at its end.</param>
/// <param name="root">Under which the pool lies; empty for the whole bucket.</param>
public sealed class RemoteObjects(HttpClient http, Uri bucket, string root) : IPoolObjects
{
    public async Task<byte[]> Read(string key, long from, int length, CancellationToken cancel)
    {
        if (length == 0)
            return [];
        using var request = new HttpRequestMessage(
            HttpMethod.Get,
            new Uri(bucket.AbsoluteUri + Uri.EscapeDataString(root + key).Replace("%2F", "/", StringComparison.Ordinal))
        );
        // From the end there is no first byte to name; what is longer than was asked for is cut below.
        request.Headers.Range = from < 0 ? new RangeHeaderValue(null, -from) : new RangeHeaderValue(from, from + length - 1);
        using var response = await Send(request, key, cancel);
        if (response.StatusCode == HttpStatusCode.RequestedRangeNotSatisfiable)
            return [];
        var bytes = await response.Content.ReadAsByteArrayAsync(cancel);
        if (response.StatusCode == HttpStatusCode.PartialContent)
            return bytes.Length <= length ? bytes : bytes[..length];
        var (at, count) = Ranges.Of(from, length, bytes.Length);
        return bytes.AsSpan((int)at, count).ToArray();
    }

    public async Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel)
    {
        var found = new List<PoolObject>();
        string? after = null;
        do
        {
            var asked = $"?prefix={Uri.EscapeDataString(root + prefix)}" + (after is null ? "" : $"&after={Uri.EscapeDataString(after)}");
            using var request = new HttpRequestMessage(HttpMethod.Get, new Uri(bucket, asked));
            using var response = await Send(request, root, cancel);
            try
            {
                using var page = JsonDocument.Parse(await response.Content.ReadAsByteArrayAsync(cancel));
                foreach (var o in page.RootElement.GetProperty("objects").EnumerateArray())
                    found.Add(new PoolObject(o.GetProperty("key").GetString()![root.Length..], o.GetProperty("bytes").GetInt64()));
                after = page.RootElement.TryGetProperty("next", out var next) ? next.GetString() : null;
            }
            catch (Exception wrong) when (wrong is JsonException or KeyNotFoundException or InvalidOperationException)
            {
                throw new RefusalException(
                    RefusalKind.NotFound,
                    "no-bucket",
                    $"'{bucket}' answers, and is no bucket of a Ripen: its listing cannot be read."
                );
            }
        } while (after is not null);
        return found;
    }

    public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) => throw OnlyRead();

    public Task Delete(string key, CancellationToken cancel) => throw OnlyRead();

    private async Task<HttpResponseMessage> Send(HttpRequestMessage request, string what, CancellationToken cancel)
    {
        var response = await http.SendAsync(request, cancel);
        if (response.IsSuccessStatusCode || response.StatusCode == HttpStatusCode.RequestedRangeNotSatisfiable)
            return response;
        using (response)
        {
            throw response.StatusCode switch
            {
                HttpStatusCode.NotFound => RefusalException.NoObject(what),
                HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden => new RefusalException(
                    RefusalKind.Forbidden,
                    "no-access",
                    $"'{bucket}' does not let this key read '{what}': it needs the rights to list and to read under '{root}'."
                ),
                var status => new RefusalException(
                    RefusalKind.Unavailable,
                    "unreachable",
                    $"'{request.RequestUri}' answered {(int)status}."
                ),
            };
        }
    }

    private static RefusalException OnlyRead() =>
        new(RefusalKind.Forbidden, "read-only", "A pool is only read from here: nothing is written there and nothing removed.");
}
