using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Browser.Tests;

/// <summary>Buckets as another program would make, read and change them while the browser looks on.</summary>
internal sealed class BucketsOverHttp(Uri address) : IDisposable
{
    private readonly HttpClient http = new() { BaseAddress = address };

    public void Dispose() => http.Dispose();

    public async Task Make(string name, string rules = "[]")
    {
        var bucket = $$"""
            { "name": "{{name}}", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "rules": {{rules}},
              "streams": [{ "objectsPerDay": 100, "bytesPerObject": 50000000 }] }
            """;
        (await http.PostAsync(new Uri("/api/buckets", UriKind.Relative), Body(bucket))).EnsureSuccessStatusCode();
    }

    public async Task<JsonNode> Stored(string name) => (await StoredWithTag(name)).Bucket;

    public async Task<(JsonNode Bucket, string Tag)> StoredWithTag(string name)
    {
        var response = await http.GetAsync(new Uri($"/api/buckets/{name}", UriKind.Relative));
        return ((await response.Content.ReadFromJsonAsync<JsonNode>())!, response.Headers.ETag!.Tag);
    }

    public async Task Change(JsonNode bucket, string etag)
    {
        using var change = new HttpRequestMessage(HttpMethod.Put, $"/api/buckets/{bucket["name"]}")
        {
            Content = Body(bucket.ToJsonString()),
        };
        change.Headers.TryAddWithoutValidation("If-Match", etag);
        (await http.SendAsync(change)).EnsureSuccessStatusCode();
    }

    /// <summary>Lifts the bucket's keep rule.</summary>
    public async Task Lift(string name)
    {
        using var lift = new HttpRequestMessage(HttpMethod.Post, $"/api/buckets/{name}/keep/lift")
        {
            Content = Body($$"""{ "reason": "the test wants it gone", "confirm": "{{name}}" }"""),
        };
        lift.Headers.TryAddWithoutValidation("If-Match", (await StoredWithTag(name)).Tag);
        (await http.SendAsync(lift)).EnsureSuccessStatusCode();
    }

    private static StringContent Body(string json) => new(json, Encoding.UTF8, "application/json");
}
