using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Copies elsewhere over HTTP: one change of two buckets, drafts, lines, proofs, lost regions, moving house.</summary>
public sealed class ReplicationTests : IDisposable
{
    private const string Order = """
        { "source": "crew-records", "rule": { "bucket": "crew-far", "catchUp": true, "followDeletions": true }, "switchVersioningOn": true,
          "newBucket": { "name": "crew-far", "region": "kestrel-sound", "scheme": "one-site", "tier": "counter" } }
        """;

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<JsonNode> Rule(string bucket) =>
        (await server.Get("/api/replication")).Body["rules"]!
            .AsArray()
            .Single(r => (string)r!["bucket"]! == bucket && !(bool)r["bringsBack"]!)!;

    private async Task<JsonNode> Did(HttpMethod method, string path, string? json = null, string? tag = null)
    {
        var response = await server.Send(method, path, json, tag);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    private async Task<(HttpStatusCode Status, string Code, string? Path)> Refused(
        HttpMethod method,
        string path,
        string? json = null,
        string? tag = null
    )
    {
        var response = await server.Send(method, path, json, tag);
        var problem = (await response.Content.ReadFromJsonAsync<JsonNode>())!;
        var first = problem["problems"]?.AsArray().FirstOrDefault();
        return (response.StatusCode, (string)(first?["code"] ?? problem["code"])!, (string?)first?["path"]);
    }

    private async Task<string> Tag() => (await server.Get("/api/replication")).Tag;

    private async Task PassHour()
    {
        await Did(HttpMethod.Post, "/api/clock/passages", """{ "for": "hour" }""");
        await server.Stands();
    }

    private Task<HttpResponseMessage> Put(string address, string text, string? tags = null)
    {
        var request = new HttpRequestMessage(HttpMethod.Put, new Uri(address, UriKind.Relative))
        {
            Content = new StringContent(text, Encoding.UTF8, "text/plain"),
        };
        if (tags is not null)
            request.Headers.Add("Ripen-Tags", tags);
        return server.Http.SendAsync(request);
    }

    [Fact]
    public async Task A_rule_its_new_target_and_versioning_are_one_change_and_the_log_has_both_buckets()
    {
        Assert.Equal(
            (HttpStatusCode.PreconditionRequired, "if-match-missing", null),
            await Refused(HttpMethod.Post, "/api/replication/rules", Order)
        );
        var tag = await Tag();
        var made = await Did(HttpMethod.Post, "/api/replication/rules", Order, tag);
        Assert.Equal(("crew-records", "crew-far"), ((string)made["bucket"]!, (string)made["target"]!));
        Assert.True((double)made["waiting"]! > 270_000);
        Assert.True((bool)(await server.Get("/api/buckets/crew-records")).Body["versioning"]!);
        Assert.True((bool)(await server.Get("/api/buckets/crew-far")).Body["versioning"]!);
        var log = (await server.Get("/api/estate/changes")).Body.AsArray();
        Assert.Equal(
            ["bucket-made crew-far", "bucket-changed crew-records"],
            log.Take(2).Select(c => $"{c!["kind"]} {c["subject"]}").OrderDescending()
        );
        Assert.All(log.Take(2), c => Assert.NotEmpty(c!["shown"]!.AsArray()));
        Assert.Equal(
            (HttpStatusCode.PreconditionFailed, "changed-meanwhile", null),
            await Refused(HttpMethod.Post, "/api/replication/rules", Order, tag)
        );

        var id = (long)made["id"]!;
        var terms = """{ "source": "crew-records", "rule": { "bucket": "crew-far", "allowedLagHours": 5 } }""";
        Assert.Equal(
            5,
            (double)(await Did(HttpMethod.Put, $"/api/replication/rules/{id}", terms, await Tag()))["rule"]!["allowedLagHours"]!
        );
        Assert.Equal(id, (long)(await Rule("crew-records"))["id"]!);
        await Did(HttpMethod.Delete, $"/api/replication/rules/{id}", tag: await Tag());
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-copy-rule", null),
            await Refused(HttpMethod.Delete, $"/api/replication/rules/{id}", tag: await Tag())
        );
    }

    [Fact]
    public async Task A_refused_rule_says_where_and_leaves_both_buckets_as_they_were()
    {
        var before = await Tag();
        Assert.Equal(
            (HttpStatusCode.BadRequest, "needs-versioning", "$.switchVersioningOn"),
            await Refused(
                HttpMethod.Post,
                "/api/replication/rules",
                """{ "source": "deck-cameras", "rule": { "bucket": "crew-records" } }""",
                before
            )
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range", "$.rule.allowedLagHours"),
            await Refused(
                HttpMethod.Post,
                "/api/replication/rules",
                """{ "source": "deck-cameras", "rule": { "bucket": "crew-records", "allowedLagHours": -1 } }""",
                before
            )
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-offered", "$.newBucket.tier"),
            await Refused(HttpMethod.Post, "/api/replication/rules", Order.Replace("counter", "cellar", StringComparison.Ordinal), before)
        );
        Assert.Equal(before, await Tag());
        Assert.False((bool)(await server.Get("/api/buckets/deck-cameras")).Body["versioning"]!);
    }

    [Fact]
    public async Task A_draft_tells_both_answers_and_stores_nothing()
    {
        var before = await Tag();
        var draft = await Did(
            HttpMethod.Post,
            "/api/replication/drafts",
            """{ "source": "ticketing-backups", "rule": { "bucket": "port-sonar", "prefix": "nightly/" } }"""
        );
        Assert.Equal("needs-versioning", (string)draft["problems"]![0]!["code"]!);
        Assert.Equal(["ticketing-backups"], draft["versioning"]!.AsArray().Select(v => (string)v!["bucket"]!));
        Assert.True((double)draft["catchUp"]!["hours"]! > 0 && (double)draft["catchUp"]!["transferCharge"]! > 0);
        Assert.True((double)draft["costWith"]![0]!["estateAfter"]! > (double)draft["costWithout"]![0]!["estateAfter"]!);
        Assert.Equal(5 * 84e9, (double)draft["arrivingBytesADay"]!, 1);
        Assert.Equal(before, await Tag());
    }

    [Fact]
    public async Task A_line_is_changed_cut_and_restored()
    {
        await Did(
            HttpMethod.Put,
            "/api/replication/lines/aldmouth/kestrel-sound",
            """{ "price": 0.01, "megabitsPerSecond": 400, "roundTripMilliseconds": 20 }""",
            await Tag()
        );
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        Assert.Equal(400, (double)JsonNode.Parse(document)!["priceBook"]!["transfers"]![0]!["megabitsPerSecond"]!);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range", "$.megabitsPerSecond"),
            await Refused(
                HttpMethod.Put,
                "/api/replication/lines/aldmouth/kestrel-sound",
                """{ "price": 0.01, "megabitsPerSecond": 0 }""",
                await Tag()
            )
        );
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-region", null),
            await Refused(HttpMethod.Put, "/api/replication/lines/aldmouth/nowhere/cut", "{}")
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range", "$.hours"),
            await Refused(HttpMethod.Put, "/api/replication/lines/aldmouth/kestrel-sound/cut", """{ "hours": -1 }""")
        );
        var lines = await Did(HttpMethod.Put, "/api/replication/lines/aldmouth/kestrel-sound/cut", """{ "hours": 3 }""");
        // Both directions.
        Assert.Equal(2, lines.AsArray().Count(l => (string)l!["state"]! == "cut"));
        await PassHour();
        Assert.Equal(
            ("cut", 1.0),
            ((string)(await Rule("harbour-notices"))["line"]!, (double)(await Rule("harbour-notices"))["lagHours"]!)
        );
        await Did(HttpMethod.Delete, "/api/replication/lines/kestrel-sound/aldmouth/cut");
        await PassHour();
        Assert.Equal(0, (double)(await Rule("harbour-notices"))["waiting"]!);
    }

    [Fact]
    public async Task Tags_travel_with_an_object_and_its_copies_are_told()
    {
        Assert.Equal(HttpStatusCode.BadRequest, (await Put("/api/buckets/harbour-notices/objects/bad", "x", "=")).StatusCode);
        (await Put("/api/buckets/harbour-notices/objects/tagged.txt", "tagged", "port=aldmouth&kind=notice")).EnsureSuccessStatusCode();
        var details = (await server.Get("/api/buckets/harbour-notices/details/tagged.txt")).Body["chosen"]!;
        Assert.Equal("aldmouth", (string)details["tags"]!["port"]!);
        var of = $"/api/replication/of/harbour-notices/{details["version"]}";
        Assert.Equal(["waiting"], (await server.Get(of)).Body.AsArray().Select(c => (string)c!["state"]!));
        await PassHour();
        var copy = (await server.Get(of)).Body.AsArray().Single()!;
        Assert.Equal(("there", "notices-far"), ((string)copy["state"]!, (string)copy["bucket"]!));
        var response = await server.Http.GetAsync(new Uri("/api/buckets/notices-far/objects/tagged.txt", UriKind.Relative));
        Assert.Equal("kind=notice&port=aldmouth", response.Headers.GetValues("Ripen-Tags").Single());
    }

    [Fact]
    public async Task A_probe_and_an_audit_leave_records_that_can_be_exported()
    {
        await PassHour();
        var id = (long)(await Rule("harbour-notices"))["id"]!;
        var probe = await Did(HttpMethod.Post, $"/api/replication/rules/{id}/probes");
        await PassHour();
        var audit = await Did(HttpMethod.Post, $"/api/replication/rules/{id}/audits?readEverything=true");
        Assert.True((bool)audit["good"]!);
        var records = (await server.Get("/api/replication")).Body["records"]!.AsArray();
        Assert.Equal(["audit", "probe"], records.Select(r => (string)r!["kind"]!));
        var record = (await server.Get($"/api/replication/records/{records[1]!["id"]}")).Body;
        Assert.Equal((string)probe["key"]!, (string)record["items"]![0]!["key"]!);
        var csv = await server.Http.GetStringAsync(new Uri($"/api/replication/records/{records[1]!["id"]}.csv", UriKind.Relative));
        Assert.StartsWith("record,at,kind,bucket,key,version,objects,bytes,note\r\n", csv, StringComparison.Ordinal);
        Assert.Contains(",compared byte for byte,harbour-notices,", csv, StringComparison.Ordinal);
        Assert.Equal((HttpStatusCode.NotFound, "no-record", null), await Refused(HttpMethod.Get, "/api/replication/records/999"));
        Assert.Equal(
            (HttpStatusCode.BadRequest, "no-such-mend", "$.mend"),
            await Refused(HttpMethod.Post, $"/api/replication/rules/{id}/mends", """{ "kind": "failed", "mend": "remove" }""")
        );
    }

    [Fact]
    public async Task A_lost_region_refuses_reads_and_comes_back_only_by_name_when_empty()
    {
        var loss = await Did(HttpMethod.Put, "/api/replication/regions/aldmouth/loss");
        Assert.Contains(loss["items"]!.AsArray(), i => (string)i!["key"]! == "readme.txt");
        Assert.Equal(
            (HttpStatusCode.ServiceUnavailable, "region-lost", null),
            await Refused(HttpMethod.Get, "/api/buckets/harbour-notices/objects/readme.txt")
        );
        Assert.Equal(
            (HttpStatusCode.Conflict, "lost-already", null),
            await Refused(HttpMethod.Put, "/api/replication/regions/aldmouth/loss")
        );
        var promotion = (await server.Get("/api/replication/promotions/harbour-notices/notices-far")).Body;
        Assert.Equal((0, 3), (promotion["problems"]!.AsArray().Count, promotion["cost"]!.AsArray().Count));
        await Did(HttpMethod.Post, "/api/replication/promotions/harbour-notices/notices-far", tag: await Tag());
        Assert.Single((await server.Get("/api/buckets/notices-far")).Body["streams"]!.AsArray());
        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-confirmed", "$.confirm"),
            await Refused(HttpMethod.Post, "/api/replication/regions/aldmouth/return", """{ "withItsData": false }""")
        );
        server.Restart();
        var back = await Did(HttpMethod.Post, "/api/replication/regions/aldmouth/return", """{ "withItsData": true }""");
        Assert.Equal(("region-back", true), ((string)back["kind"]!, (bool)back["good"]!));
        Assert.Equal(
            "Notices of the harbour offices. One folder a port.\n",
            await server.Http.GetStringAsync(new Uri("/api/buckets/harbour-notices/objects/readme.txt", UriKind.Relative))
        );
    }

    [Fact]
    public async Task A_move_goes_step_by_step_and_drops_only_what_is_equal_and_confirmed()
    {
        const string move = "/api/replication/moves/harbour-notices/notices-far";
        Assert.Equal(
            (HttpStatusCode.Conflict, "not-ready", null),
            await Refused(HttpMethod.Post, $"{move}/switch-over", "{}", await Tag())
        );
        Assert.Equal((HttpStatusCode.NotFound, "no-step", null), await Refused(HttpMethod.Post, $"{move}/sideways", "{}", await Tag()));
        await PassHour();
        await Did(HttpMethod.Post, $"{move}/switch-over", "{}", await Tag());
        Assert.Equal(
            (HttpStatusCode.Conflict, "cannot-undo", null),
            await Refused(HttpMethod.Delete, $"{move}/keep-equal", tag: await Tag())
        );
        await Did(HttpMethod.Delete, $"{move}/switch-over", tag: await Tag());
        await Did(HttpMethod.Post, $"{move}/switch-over", "{}", await Tag());
        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-confirmed", "$.confirm"),
            await Refused(HttpMethod.Post, $"{move}/drop-old", "{}", await Tag())
        );
        // What somebody still writes to the old one has to arrive first.
        (await Put("/api/buckets/harbour-notices/objects/late.txt", "late")).EnsureSuccessStatusCode();
        Assert.Equal(
            (HttpStatusCode.Conflict, "not-ready", null),
            await Refused(HttpMethod.Post, $"{move}/drop-old", """{ "confirm": "harbour-notices" }""", await Tag())
        );
        await PassHour();
        var moved = await Did(HttpMethod.Post, $"{move}/drop-old", """{ "confirm": "harbour-notices" }""", await Tag());
        Assert.True((bool)moved["oldIsGone"]!);
        Assert.Equal("late", await server.Http.GetStringAsync(new Uri("/api/buckets/notices-far/objects/late.txt", UriKind.Relative)));
        Assert.DoesNotContain((await server.Get("/api/replication")).Body["rules"]!.AsArray(), r => (string)r!["bucket"]! == "notices-far");
    }

    [Fact]
    public async Task A_rule_and_a_line_are_applied_as_shown_or_refused()
    {
        var draft = await Did(HttpMethod.Post, "/api/replication/drafts", Order);
        var (with, without) = ((string)draft["seenWith"]!, (string)draft["seenWithout"]!);
        Assert.NotEqual(with, without);
        const string Line = "/api/replication/lines/aldmouth/kestrel-sound";
        const string Terms = """{ "price": 0.5, "megabitsPerSecond": 40, "roundTripMilliseconds": 9 }""";
        var before = (string)(await Did(HttpMethod.Post, $"{Line}/draft", Terms))["seen"]!;

        // The rule catches up: what was shown without it is not what is applied.
        Assert.Equal(
            (HttpStatusCode.Conflict, "shown-differs", null),
            await Refused(HttpMethod.Post, $"/api/replication/rules?seen={without}", Order, await Tag())
        );
        Assert.DoesNotContain("crew-far", (await server.Get("/api/estate")).Body.ToJsonString(), StringComparison.Ordinal);
        await Did(HttpMethod.Post, $"/api/replication/rules?seen={with}", Order, await Tag());

        // More is carried now, so that the line's other price comes to another sum.
        Assert.Equal(
            (HttpStatusCode.Conflict, "shown-differs", null),
            await Refused(HttpMethod.Put, $"{Line}?seen={before}", Terms, await Tag())
        );
        var now = await Did(HttpMethod.Post, $"{Line}/draft", Terms);
        await Did(HttpMethod.Put, $"{Line}?seen={(string)now["seen"]!}", Terms, await Tag());
        var logged = (await server.Get("/api/estate/changes")).Body[0]!;
        Assert.Equal("line-changed", (string)logged["kind"]!);
        Assert.Equal(now["cost"]!.ToJsonString(), logged["shown"]!.ToJsonString());
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range", "$.price"),
            await Refused(HttpMethod.Post, $"{Line}/draft", """{ "price": -1 }""")
        );
    }
}
