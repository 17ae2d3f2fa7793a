using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Ripen.Core.Tests;

namespace Ripen.Server.Tests;

/// <summary>
/// Every operation of the OpenAPI document, asked for with what fits and with what does not: no answer is a 500, and every refusal is a
/// problem document.
/// </summary>
public sealed class FuzzTests : IDisposable
{
    private readonly TestServer server = new();
    private JsonObject schemas = [];
    private Random random = new();

    public void Dispose() => server.Dispose();

    private static readonly string[] Texts =
    [
        "",
        "a",
        "harbour-notices",
        "port-sonar",
        "deck-cameras",
        "telemetry-far",
        "fuzzed",
        "aldmouth",
        "kestrel-sound",
        "quarrydown",
        "counter",
        "pantry",
        "cave",
        "one-site",
        "2026-11-01",
        "2027-01-01T00:00:00Z",
        "9999-12-31",
        "9999-12-31T23:59:59Z",
        "0001-01-01",
        "0001-01-01T00:00:00Z",
        "aldmouth/berth-3-closed.txt",
        "../..",
        "%",
        "%2F",
        "a b",
        "ü€𝄞",
        "\u0000",
        "\u202e",
        "-1",
        "0",
        "1",
        "2",
        "999999999999999999999",
        "1e309",
        "null",
        "'; DROP TABLE entry; --",
        "<script>",
        "keep-equal",
        "switch-over",
        "drop-old",
        "take-folder",
        "read",
        "warm",
        "{}",
    ];

    [Fact]
    public async Task No_operation_answers_500_whatever_it_is_asked()
    {
        var requests = Randomly.Times(1_500);
        random = new Random(Randomly.Seed);
        var document = (await server.Get("/openapi/v1.json")).Body;
        schemas = document["components"]!["schemas"]!.AsObject();
        var operations = document["paths"]!
            .AsObject()
            .SelectMany(path =>
                path.Value!.AsObject()
                    .Where(o => o.Key is "get" or "put" or "post" or "delete")
                    .Select(o => (Path: path.Key, Method: o.Key, Operation: o.Value!))
            )
            .ToList();
        const string passphrase = """{ "passphrase": "the ferry leaves at nine" }""";
        foreach (var made in (string[])["harbour-shelf/pool", "chart-room/volume", "purser/library", "purser/cartridges"])
            (await server.Send(HttpMethod.Post, $"/api/targets/{made}", passphrase)).EnsureSuccessStatusCode();
        var broken = new Dictionary<string, string>();
        var (answers, reached) = (new Dictionary<int, int>(), new HashSet<string>());
        for (var i = 0; i < requests; i++)
        {
            // Time that is passing keeps others out; it is stopped now and then, so that they are reached too.
            if (i % 40 == 0)
                await server.Send(HttpMethod.Delete, "/api/clock/passages");
            var (path, method, operation) = operations[i % operations.Count];
            using var request = await Request(path, method, operation);
            if (request is null)
                continue;
            var said = $"{request.Method} {request.RequestUri} {(request.Content is { } c ? await c.ReadAsStringAsync() : "")}";
            using var answer = await server.Http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
            var status = (int)answer.StatusCode;
            if (status is >= 500 and not 503 and not 507)
                broken.TryAdd($"{method} {path}", $"Seed {Randomly.Seed}, request {i}: {said} gave {status}. {server.Errors.Newest}");
            if (status >= 400 && method != "head")
            {
                var problem = JsonNode.Parse(await answer.Content.ReadAsStringAsync());
                Assert.True(problem?["code"] is not null, $"Seed {Randomly.Seed}: {said} gave {status} without a code: {problem}");
            }
            if (status < 400)
                reached.Add($"{method} {path}");
            answers[status] = answers.GetValueOrDefault(status) + 1;
        }
        Assert.True(broken.Count == 0, string.Join("\n\n", broken.Values));
        Assert.True(reached.Count > operations.Count / 3, $"Only {reached.Count} of {operations.Count} operations were ever allowed.");
        Assert.True(answers.Keys.Count(s => s >= 400) >= 4, string.Join(", ", answers));
    }

    private async Task<HttpRequestMessage?> Request(string path, string method, JsonNode operation)
    {
        var query = new List<string>();
        foreach (var parameter in operation["parameters"]?.AsArray() ?? [])
        {
            var name = parameter!["name"]!.GetValue<string>();
            var value = Uri.EscapeDataString(random.Next(3) == 0 ? Text() : Plausible(name, path));
            if (parameter["in"]!.GetValue<string>() == "path")
                path = path.Replace($"{{{name}}}", value, StringComparison.Ordinal);
            else if (random.Next(2) == 0)
                query.Add($"{name}={value}");
        }
        // Whatever the framework makes of a null or a dot segment in a path, it makes of it before the application is asked.
        if (path.Contains("%00", StringComparison.Ordinal) || path.Split('/').Any(s => s is "." or ".." or "%2E" or "..%2F.."))
            return null;
        if (!Uri.TryCreate(path + (query.Count > 0 ? "?" + string.Join('&', query) : ""), UriKind.Relative, out var address))
            return null;
        var request = new HttpRequestMessage(new HttpMethod(method.ToUpperInvariant()), address);
        if (random.Next(3) > 0)
            request.Headers.TryAddWithoutValidation(
                "If-Match",
                random.Next(3) switch
                {
                    0 => "*",
                    1 => $"\"{random.Next(8)}\"",
                    _ => (await server.Get("/api/estate")).Tag,
                }
            );
        if (operation["requestBody"] is { } body)
        {
            var content = body["content"]!.AsObject().First();
            var text =
                random.Next(12) == 0 ? Text()
                : content.Value?["schema"] is { } schema && content.Key.Contains("json", StringComparison.Ordinal)
                    ? Mutated(Value(schema, 0))
                : Text();
            request.Content = new StringContent(text, Encoding.UTF8, random.Next(15) == 0 ? "text/plain" : "application/json");
        }
        return request;
    }

    private static string Plausible(string name, string path) =>
        name switch
        {
            "id" when path.StartsWith("/api/targets", StringComparison.Ordinal) => path.Contains("/volume", StringComparison.Ordinal)
            || path.Contains("/snapshots", StringComparison.Ordinal)
                ? "chart-room"
            : path.Contains("/library", StringComparison.Ordinal)
            || path.Contains("/cartridges", StringComparison.Ordinal)
            || path.Contains("/drives", StringComparison.Ordinal)
                ? "purser"
            : "harbour-shelf",
            "name" or "from" or "bucket" => "harbour-notices",
            "to" => "telemetry-far",
            "key" => "aldmouth/berth-3-closed.txt",
            "region" => "aldmouth",
            "step" => "keep-equal",
            "months" => "12",
            "on" => "2027-03-01",
            "by" => "tier",
            "delimiter" => "/",
            _ => "1",
        };

    private string Text() => Texts[random.Next(Texts.Length)];

    private string Mutated(JsonNode? value)
    {
        var text = value?.ToJsonString() ?? "null";
        return random.Next(10) switch
        {
            0 => text[..random.Next(text.Length + 1)],
            1 => text.Replace("\"", "\\ud800\"", StringComparison.Ordinal),
            2 => text.Replace(":", ": 1e308, \"unknown\":", StringComparison.Ordinal),
            _ => text,
        };
    }

    /// <summary>A value that the schema describes, more or less.</summary>
    private JsonNode? Value(JsonNode schema, int depth)
    {
        if (depth > 6)
            return null;
        if (random.Next(25) == 0)
            return JsonValue.Create(Text());
        if (schema["$ref"] is { } reference)
            return Value(schemas[reference.GetValue<string>().Split('/')[^1]]!, depth + 1);
        if (schema["oneOf"] is JsonArray one)
            return Value(one[random.Next(one.Count)]!, depth + 1);
        if (schema["anyOf"] is JsonArray any)
            return Value(any[random.Next(any.Count)]!, depth + 1);
        if (schema["enum"] is JsonArray choices)
            return choices[random.Next(choices.Count)]?.DeepClone();
        var type = schema["type"] switch
        {
            JsonArray several => several[random.Next(several.Count)]!.GetValue<string>(),
            JsonValue single => single.GetValue<string>(),
            _ => "object",
        };
        switch (type)
        {
            case "object":
                var made = new JsonObject();
                foreach (var (name, of) in schema["properties"]?.AsObject() ?? [])
                {
                    var isNeeded = schema["required"]?.AsArray().Any(r => r!.GetValue<string>() == name) == true;
                    if (random.Next(20) > 0 && (isNeeded || random.Next(2) == 0))
                        made[name] = Value(of!, depth + 1);
                }
                return made;
            case "array":
                return new JsonArray([.. Enumerable.Range(0, random.Next(3)).Select(_ => Value(schema["items"]!, depth + 1))]);
            case "integer":
                return JsonValue.Create(
                    random.Next(6) switch
                    {
                        0 => long.MaxValue,
                        1 => -1,
                        2 => 0,
                        _ => random.Next(1000),
                    }
                );
            case "number":
                return JsonNode.Parse(
                    random.Next(6) switch
                    {
                        0 => "1e308",
                        1 => "-1",
                        2 => "0",
                        3 => "5e-324",
                        _ => random.NextDouble().ToString(CultureInfo.InvariantCulture),
                    }
                );
            case "boolean":
                return JsonValue.Create(random.Next(2) == 0);
            case "null":
                return null;
            default:
                return JsonValue.Create(
                    schema["format"]?.GetValue<string>() switch
                    {
                        "date" => "2027-02-03",
                        "date-time" => "2027-02-03T04:05:06Z",
                        _ => Text(),
                    }
                );
        }
    }
}
