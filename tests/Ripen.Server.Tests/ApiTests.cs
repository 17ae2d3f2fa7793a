using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Server.Demo;

namespace Ripen.Server.Tests;

public sealed class ApiTests : IDisposable
{
    private const string HarbourLogs = """
        { "name": "harbour-logs", "region": "aldmouth", "scheme": "one-site", "tier": "counter",
          "streams": [{ "prefix": "pier/", "objectsPerDay": 0.5, "bytesPerObject": 20000000, "yearlyGrowth": 0.1 }],
          "rules": [{ "id": "r", "steps": [{ "age": 30, "tier": "pantry" }], "expireAt": 400 }], "keep": { "until": "2030-01-01", "strength": "sealed" } }
        """;

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    [Fact]
    public async Task An_estate_goes_through_the_database_unchanged_and_survives_a_restart()
    {
        var demo = DemoDocument.Read();
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        // The demo's uploaded notices are folded into the stock of their bucket, earlier versions too, and wait to be copied.
        var read = EstateDocument.Read(document).Value;
        var notices = read.Find("harbour-notices")!;
        Assert.Equal(8, notices.Stock.Sum(l => l.Count));
        Assert.Equal(8, notices.CopyTo.Single().Waiting.Sum(w => w.Count));
        Assert.Equal(
            EstateDocument.Write(demo),
            EstateDocument.Write(read.With(notices with { Stock = [], CopyTo = [notices.CopyTo[0] with { Waiting = [] }] }, notices.Name))
        );
        (await server.Send(HttpMethod.Post, "/api/buckets", HarbourLogs)).EnsureSuccessStatusCode();
        var before = await server.Get("/api/buckets/harbour-logs");

        server.Restart();
        Assert.Equal(before.Body.ToJsonString(), (await server.Get("/api/buckets/harbour-logs")).Body.ToJsonString());
        Assert.Equal(demo.Buckets.Count + 1, (await server.Get("/api/buckets")).Body.AsArray().Count);
    }

    [Fact]
    public async Task The_same_estate_gives_the_same_rows_over_http_on_the_command_line_and_in_core()
    {
        var overHttp = await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=30", UriKind.Relative));
        var file = Path.GetTempFileName();
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        await File.WriteAllTextAsync(file, document);
        var (code, output, _) = await CommandLine.Run("forecast", file, "--months", "30");
        File.Delete(file);
        Assert.Equal(0, code);
        Assert.Equal(output, overHttp);
        using var text = new MemoryStream();
        ForecastFiles.WriteCsv(Projection.Of(EstateDocument.Read(document).Value, 30), text);
        Assert.Equal(Encoding.UTF8.GetString(text.ToArray()), overHttp);
    }

    [Fact]
    public async Task A_bucket_is_made_changed_and_deleted_and_the_log_keeps_it_all()
    {
        var made = await server.Send(HttpMethod.Post, "/api/buckets", HarbourLogs);
        Assert.Equal(HttpStatusCode.Created, made.StatusCode);
        Assert.Equal("/api/buckets/harbour-logs", made.Headers.Location!.ToString());

        var (bucket, tag) = await server.Get("/api/buckets/harbour-logs");
        bucket["rules"]![0]!["steps"]![0]!["age"] = 45;
        bucket["copyTo"] = new JsonArray(
            new JsonObject
            {
                ["bucket"] = "telemetry-far",
                ["prefix"] = "logs/",
                ["catchUp"] = false,
                ["followDeletions"] = false,
                ["waiting"] = new JsonArray(),
            }
        );
        var changed = await server.Send(HttpMethod.Put, "/api/buckets/harbour-logs", bucket.ToJsonString(), tag);
        Assert.Equal(HttpStatusCode.OK, changed.StatusCode);
        var (stored, newTag) = await server.Get("/api/buckets/harbour-logs");
        Assert.Equal(bucket.ToJsonString(), stored.ToJsonString());
        Assert.Equal(changed.Headers.ETag!.Tag, newTag);

        Assert.Equal(
            HttpStatusCode.NoContent,
            (await server.Send(HttpMethod.Delete, "/api/buckets/harbour-logs", ifMatch: newTag)).StatusCode
        );
        Assert.Equal(HttpStatusCode.NotFound, (await server.Send(HttpMethod.Get, "/api/buckets/harbour-logs")).StatusCode);

        var log = (await server.Get("/api/estate/changes")).Body.AsArray();
        Assert.Equal(
            ["bucket-deleted", "bucket-changed", "bucket-made", "estate-imported"],
            log.Select(c => c!["kind"]!.GetValue<string>())
        );
        Assert.Contains("\"age\": 30", log[1]!["before"]!.GetValue<string>(), StringComparison.Ordinal);
        Assert.Contains("\"age\": 45", log[1]!["after"]!.GetValue<string>(), StringComparison.Ordinal);
        Assert.Equal([1, 3, 10], log[1]!["shown"]!.AsArray().Select(y => y!["year"]!.GetValue<int>()));
    }

    [Fact]
    public async Task Two_who_change_the_same_bucket_do_not_overwrite_each_other()
    {
        var (bucket, tag) = await server.Get("/api/buckets/port-sonar");
        var json = bucket.ToJsonString();
        bucket["tier"] = "pantry";
        Assert.Equal(
            HttpStatusCode.OK,
            (await server.Send(HttpMethod.Put, "/api/buckets/port-sonar", bucket.ToJsonString(), tag)).StatusCode
        );
        await IsProblem(
            await server.Send(HttpMethod.Put, "/api/buckets/port-sonar", json, tag),
            HttpStatusCode.PreconditionFailed,
            "changed-meanwhile"
        );
        await IsProblem(
            await server.Send(HttpMethod.Put, "/api/buckets/port-sonar", json),
            HttpStatusCode.PreconditionRequired,
            "if-match-missing"
        );
        await IsProblem(
            await server.Send(HttpMethod.Delete, "/api/buckets/port-sonar", ifMatch: tag),
            HttpStatusCode.PreconditionFailed,
            "changed-meanwhile"
        );
        Assert.Equal("pantry", (await server.Get("/api/buckets/port-sonar")).Body["tier"]!.GetValue<string>());
    }

    [Fact]
    public async Task Of_many_at_once_each_change_is_whole_and_none_is_lost_unseen()
    {
        var (bucket, tag) = await server.Get("/api/buckets/crew-records");
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 12)
                .Select(i =>
                {
                    var mine = bucket.DeepClone();
                    mine["rules"]![0]!["expireAt"] = 2000 + i;
                    return server.Send(HttpMethod.Put, "/api/buckets/crew-records", mine.ToJsonString(), tag);
                })
        );
        Assert.Single(answers, a => a.StatusCode == HttpStatusCode.OK);
        Assert.Equal(11, answers.Count(a => a.StatusCode == HttpStatusCode.PreconditionFailed));
        var made = await Task.WhenAll(
            Enumerable
                .Range(0, 8)
                .Select(i =>
                    server.Send(
                        HttpMethod.Post,
                        "/api/buckets",
                        HarbourLogs.Replace("harbour-logs", $"harbour-{i}", StringComparison.Ordinal)
                    )
                )
        );
        Assert.All(made, a => Assert.Equal(HttpStatusCode.Created, a.StatusCode));
        Assert.Equal(2 + 8, (await server.Get("/api/estate/changes")).Body.AsArray().Count);
    }

    [Fact]
    public async Task Bad_input_is_told_with_codes_and_paths_and_changes_nothing()
    {
        var (_, tag) = await server.Get("/api/estate");
        var wrong = HarbourLogs
            .Replace("0.5", "-1", StringComparison.Ordinal)
            .Replace("pantry", "attic", StringComparison.Ordinal)
            .Replace("\"tier\": \"counter\"", "\"tear\": 1", StringComparison.Ordinal);
        var problem = await IsProblem(await server.Send(HttpMethod.Post, "/api/buckets", wrong), HttpStatusCode.BadRequest, "invalid");
        Assert.Equal(
            [
                ("missing-property", "$.tier"),
                ("out-of-range", "$.streams[0].objectsPerDay"),
                ("unknown-property", "$.tear"),
                ("unknown-reference", "$.rules[0].steps[0].tier"),
            ],
            problem["problems"]!.AsArray().Select(p => (p!["code"]!.GetValue<string>(), p["path"]!.GetValue<string>())).Order()
        );

        await IsProblem(await server.Send(HttpMethod.Post, "/api/buckets", "{ nonsense"), HttpStatusCode.BadRequest, "invalid");
        await IsProblem(await server.Send(HttpMethod.Put, "/api/estate/document", "{}", tag), HttpStatusCode.BadRequest, "invalid");
        await IsProblem(await server.Send(HttpMethod.Get, "/api/forecast?months=0"), HttpStatusCode.BadRequest, "invalid");
        await IsProblem(await server.Send(HttpMethod.Get, "/api/forecast?months=many"), HttpStatusCode.BadRequest, "bad-request");
        await IsProblem(await server.Send(HttpMethod.Get, "/api/forecast?by=colour"), HttpStatusCode.BadRequest, "invalid");
        await IsProblem(await server.Send(HttpMethod.Get, "/api/estate/board?on=2020-01-01"), HttpStatusCode.BadRequest, "invalid");
        await IsProblem(await server.Send(HttpMethod.Delete, "/api/estate"), HttpStatusCode.MethodNotAllowed, "method-not-allowed");
        await IsProblem(await server.Send(HttpMethod.Get, "/api/nothing"), HttpStatusCode.NotFound, "unknown-address");
        Assert.Equal(tag, (await server.Get("/api/estate")).Tag);
    }

    [Fact]
    public async Task A_bucket_that_receives_copies_is_not_deleted()
    {
        var (_, tag) = await server.Get("/api/buckets/telemetry-far");
        await IsProblem(
            await server.Send(HttpMethod.Delete, "/api/buckets/telemetry-far", ifMatch: tag),
            HttpStatusCode.Conflict,
            "copies-arrive"
        );
        Assert.NotNull((await server.Get("/api/buckets/telemetry-far")).Body);
    }

    [Fact]
    public async Task Reading_a_draft_has_no_effect_and_says_what_it_would_do()
    {
        var (bucket, tag) = await server.Get("/api/buckets/port-sonar");
        bucket["rules"] = JsonNode.Parse("""[{ "id": "r", "steps": [{ "age": 90, "tier": "cave" }] }]""");
        var reading = await (
            await server.Send(HttpMethod.Post, "/api/buckets/port-sonar/draft", bucket.ToJsonString())
        ).Content.ReadFromJsonAsync<JsonNode>();
        var year = reading!["consequences"]!["cost"]![0]!;
        Assert.True(year["bucketAfter"]!.GetValue<double>() < year["bucketBefore"]!.GetValue<double>());
        Assert.Equal(["counter", "cave"], reading["strip"]!["lanes"]![0]!["bands"]!.AsArray().Select(b => b!["tier"]!.GetValue<string>()));
        Assert.Equal(tag, (await server.Get("/api/buckets/port-sonar")).Tag);

        bucket["rules"]![0]!["steps"]![0]!["age"] = "soon";
        var refused = await (
            await server.Send(HttpMethod.Post, "/api/buckets/port-sonar/draft", bucket.ToJsonString())
        ).Content.ReadFromJsonAsync<JsonNode>();
        Assert.Equal("$.rules[0].steps[0].age", refused!["problems"]![0]!["path"]!.GetValue<string>());
        Assert.Null(refused["consequences"]);
    }

    [Fact]
    public async Task The_board_of_a_later_day_is_projected_and_agrees_with_the_forecast()
    {
        var board = (await server.Get("/api/estate/board?on=2028-02-14")).Body;
        var forecast = (await server.Get("/api/forecast?by=bucket")).Body;
        Assert.True(board["projected"]!.GetValue<bool>());
        Assert.Equal("2028-02", board["month"]!.GetValue<string>());
        Assert.Equal(forecast["money"]![15]!.GetValue<double>(), board["monthCost"]!.GetValue<double>(), 1e-6);
        Assert.Equal(
            board["bytes"]!.GetValue<double>(),
            board["buckets"]!
                .AsArray()
                .Sum(b => b!["contents"]!.AsArray().Sum(c => c!["bytesByAge"]!.AsArray().Sum(v => v!.GetValue<double>()))),
            1e3
        );
    }

    [Fact]
    public async Task Importing_replaces_the_estate_only_when_its_version_is_named()
    {
        using var free = new TestServer(demo: false);
        var document = JsonNode.Parse(await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative)))!;
        foreach (var bucket in document["buckets"]!.AsArray())
            bucket!.AsObject().Remove("keep");
        (await free.Send(HttpMethod.Put, "/api/estate/document", document.ToJsonString())).EnsureSuccessStatusCode();
        (
            await free.Http.PutAsync(new Uri("/api/buckets/harbour-notices/objects/a", UriKind.Relative), new ByteArrayContent([1]))
        ).EnsureSuccessStatusCode();
        var smaller = document.DeepClone();
        smaller["name"] = "Smaller";
        smaller["buckets"]!.AsArray().RemoveAt(0);
        var (_, tag) = await free.Get("/api/estate");
        await IsProblem(
            await free.Send(HttpMethod.Put, "/api/estate/document", smaller.ToJsonString()),
            HttpStatusCode.PreconditionRequired,
            "if-match-missing"
        );
        await IsProblem(
            await free.Send(HttpMethod.Put, "/api/estate/document", smaller.ToJsonString(), tag),
            HttpStatusCode.Conflict,
            "contents-would-go"
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (await free.Send(HttpMethod.Put, "/api/estate/document?discardContents=true", smaller.ToJsonString(), tag)).StatusCode
        );
        Assert.Equal("Smaller", (await free.Get("/api/estate")).Body["name"]!.GetValue<string>());
        await IsProblem(
            await free.Send(HttpMethod.Put, "/api/estate/document", document.ToJsonString(), tag),
            HttpStatusCode.PreconditionFailed,
            "changed-meanwhile"
        );
        await IsProblem(await free.Send(HttpMethod.Post, "/api/estate/demo"), HttpStatusCode.Conflict, "estate-exists");
    }

    [Fact]
    public async Task An_empty_database_says_so_everywhere()
    {
        using var empty = new TestServer(demo: false);
        foreach (
            var path in new[]
            {
                "/api/estate",
                "/api/estate/board",
                "/api/estate/document",
                "/api/buckets",
                "/api/buckets/x",
                "/api/forecast",
                "/api/forecast/rows.csv",
            }
        )
        {
            await IsProblem(await empty.Send(HttpMethod.Get, path), HttpStatusCode.NotFound, "no-estate");
        }
        Assert.Equal(HttpStatusCode.OK, (await empty.Send(HttpMethod.Post, "/api/estate/demo")).StatusCode);
        Assert.Equal("Brackwater Ferries", (await empty.Get("/api/estate")).Body["name"]!.GetValue<string>());
    }

    [Fact]
    public async Task The_file_is_in_write_ahead_mode_and_holds_rows_and_not_a_document()
    {
        await server.Get("/health");
        using var connection = new SqliteConnection($"Data Source={server.Database}");
        connection.Open();
        Assert.Equal("wal", Scalar("PRAGMA journal_mode"));
        var demo = DemoDocument.Read();
        Assert.Equal((long)demo.Buckets.Sum(b => b.Rules.Sum(r => r.Steps.Count)), Scalar("SELECT count(*) FROM Step"));
        Assert.Equal((long)demo.PriceBook.Regions.Sum(r => r.Prices.Sum(p => p.Storage.Count)), Scalar("SELECT count(*) FROM Band"));
        Assert.Equal(0L, Scalar("SELECT count(*) FROM pragma_foreign_key_check"));

        object? Scalar(string sql)
        {
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            return command.ExecuteScalar();
        }
    }

    [Fact]
    public async Task The_openapi_document_names_every_operation()
    {
        var document = (await server.Get("/openapi/v1.json")).Body;
        var operations = document["paths"]!
            .AsObject()
            .Where(p => p.Key.StartsWith("/api", StringComparison.Ordinal))
            .SelectMany(p => p.Value!.AsObject())
            .ToList();
        Assert.True(operations.Count >= 14);
        Assert.All(operations, o => Assert.False(string.IsNullOrEmpty(o.Value!["summary"]?.GetValue<string>())));
    }

    private static async Task<JsonNode> IsProblem(HttpResponseMessage response, HttpStatusCode status, string code)
    {
        Assert.Equal(status, response.StatusCode);
        Assert.Equal("application/problem+json", response.Content.Headers.ContentType?.MediaType);
        var body = (await response.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.Equal(code, body["code"]!.GetValue<string>());
        return body;
    }

    [Fact]
    public async Task Places_for_a_new_bucket_bear_the_schemes_factor_and_the_way_from_its_users()
    {
        var places = (await server.Get("/api/places?scheme=two-regions&users=aldmouth")).Body;
        var regions = places["regions"]!.AsArray().ToDictionary(r => (string)r!["region"]!, r => r!);
        // 0.0312 for a unit-month on the counter in Aldmouth, times 2.05 for the scheme; the line as the price book has it.
        Assert.Equal(0.0312 * 2.05, (double)regions["aldmouth"]["tiers"]![0]!["price"]!, 12);
        Assert.True((bool)regions["aldmouth"]["isHere"]!);
        Assert.Equal(
            (12, 18),
            ((int)regions["kestrel-sound"]["line"]!["megabitsPerSecond"]!, (int)regions["kestrel-sound"]["line"]!["roundTripMilliseconds"]!)
        );
        Assert.Equal(("own", "provider"), ((string)regions["quarrydown"]["operatedBy"]!, (string)regions["aldmouth"]["operatedBy"]!));
        Assert.Null(regions["quarrydown"]["tiers"]!.AsArray().Single(t => (string)t!["tier"]! == "cave")!["price"]);
        Assert.Equal("aldmouth", (string)places["begin"]!["region"]!);
        var refused = await server.Send(HttpMethod.Get, "/api/places?users=nowhere");
        Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
    }
}
