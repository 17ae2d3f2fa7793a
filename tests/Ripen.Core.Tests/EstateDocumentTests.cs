using System.Text.Json.Nodes;
using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

public class EstateDocumentTests
{
    [Fact]
    public void What_is_written_reads_back_as_the_same_estate()
    {
        foreach (var document in new[] { Samples.SmallDocument, Samples.DemoDocument })
        {
            var estate = EstateDocument.Read(document).Value;
            var written = EstateDocument.Write(estate);
            Assert.Equal(written, EstateDocument.Write(EstateDocument.Read(written).Value));
            Assert.Null(
                Compare.Difference([.. Projection.Of(estate, 12).Rows()], [.. Projection.Of(EstateDocument.Read(written).Value, 12).Rows()])
            );
        }
    }

    [Fact]
    public void Defaults_are_the_contracts()
    {
        var lot = Samples.Small().Find("deck-cameras")!.Stock[0];
        Assert.Equal(lot.Created, lot.InTierSince);
        Assert.Equal(0, Samples.Small().Find("deck-cameras")!.Rules[0].SmallestBytes);
        Assert.False(Samples.Small().Find("engine-telemetry")!.CopyTo[0].CatchUp);
    }

    // A pointer into the worked example, the JSON to put there (null: remove), the code and the path that must be reported.
    public static TheoryData<string, string?, string, string> Mistakes =>
        new()
        {
            { "/ripen", "2", "unknown-version", "$.ripen" },
            { "/ripen", null, "missing-property", "$.ripen" },
            { "/colour", "1", "unknown-property", "$.colour" },
            { "/buckets/0/stock/0/size-in bytes", "1", "unknown-property", "$.buckets[0].stock[0]['size-in bytes']" },
            { "/today", "\"2026-02-30\"", "invalid-date", "$.today" },
            { "/today", "\"1.3.2026\"", "invalid-date", "$.today" },
            { "/today", "20260301", "wrong-type", "$.today" },
            { "/priceBook", "[]", "wrong-type", "$.priceBook" },
            { "/priceBook/currency", "\"euro\"", "invalid-currency", "$.priceBook.currency" },
            { "/priceBook/unit", "\"MB\"", "unknown-choice", "$.priceBook.unit" },
            { "/priceBook/tiers/1/id", "\"counter\"", "duplicate-id", "$.priceBook.tiers[1].id" },
            { "/priceBook/tiers/1/id", "\"Pantry!\"", "invalid-id", "$.priceBook.tiers[1].id" },
            { "/priceBook/tiers/1/minimumStayDays", "-1", "out-of-range", "$.priceBook.tiers[1].minimumStayDays" },
            { "/priceBook/tiers/1/minimumStayDays", "2.5", "not-whole", "$.priceBook.tiers[1].minimumStayDays" },
            { "/priceBook/tiers/1/minimumStayDays", "\"30\"", "wrong-type", "$.priceBook.tiers[1].minimumStayDays" },
            { "/priceBook/tiers/1/waitHours", "1e999", "out-of-range", "$.priceBook.tiers[1].waitHours" },
            { "/priceBook/schemes/0/copies", "0", "out-of-range", "$.priceBook.schemes[0].copies" },
            { "/priceBook/schemes/0/coded", "{ \"data\": 6, \"parity\": 3 }", "coded-copies", "$.priceBook.schemes[0].copies" },
            {
                "/priceBook/schemes/0/hazards",
                "{ \"deviceFailuresPerYear\": 1 }",
                "out-of-range",
                "$.priceBook.schemes[0].hazards.deviceFailuresPerYear"
            },
            { "/priceBook/regions/0/zones", "0", "out-of-range", "$.priceBook.regions[0].zones" },
            { "/buckets/0/stock/0/fraction", "1", "out-of-range", "$.buckets[0].stock[0].fraction" },
            { "/buckets/0/versioning", "1", "wrong-type", "$.buckets[0].versioning" },
            { "/priceBook/transfers/0/megabitsPerSecond", "0", "out-of-range", "$.priceBook.transfers[0].megabitsPerSecond" },
            { "/priceBook/transfers/0/roundTripMilliseconds", "-1", "out-of-range", "$.priceBook.transfers[0].roundTripMilliseconds" },
            { "/buckets/1/copyTo/0/tier", "\"attic\"", "unknown-reference", "$.buckets[1].copyTo[0].tier" },
            { "/buckets/1/copyTo/0/tags", "{ \"\": \"x\" }", "invalid-tags", "$.buckets[1].copyTo[0].tags" },
            { "/buckets/1/copyTo/0/allowedLagHours", "0", "out-of-range", "$.buckets[1].copyTo[0].allowedLagHours" },
            { "/buckets/1/copyTo/0/followDeletions", "true", "needs-versioning", "$.buckets[1].copyTo[0].followDeletions" },
            {
                "/buckets/1/copyTo/0/waiting",
                "[{ \"created\": \"2026-02-02\", \"since\": \"2026-02-01\", \"objects\": 1, \"bytesPerObject\": 1 }]",
                "date-order",
                "$.buckets[1].copyTo[0].waiting[0].since"
            },
            {
                "/buckets/1/copyTo/0/waiting",
                "[{ \"created\": \"2026-03-02\", \"objects\": 1, \"bytesPerObject\": 1 }]",
                "date-order",
                "$.buckets[1].copyTo[0].waiting[0].since"
            },
            { "/priceBook/regions/0/prices/0/storage", "[]", "no-band", "$.priceBook.regions[0].prices[0].storage" },
            { "/priceBook/regions/0/prices/0/storage/1/upTo", "90000", "band-limit", "$.priceBook.regions[0].prices[0].storage[1].upTo" },
            { "/priceBook/regions/0/prices/0/storage/0/upTo", null, "band-limit", "$.priceBook.regions[0].prices[0].storage[0]" },
            { "/priceBook/regions/0/prices/1/tier", "\"counter\"", "duplicate-id", "$.priceBook.regions[0].prices[1].tier" },
            { "/priceBook/regions/0/prices/1/tier", "\"attic\"", "unknown-reference", "$.priceBook.regions[0].prices[1].tier" },
            { "/priceBook/transfers/0/to", "\"nowhere\"", "unknown-reference", "$.priceBook.transfers[0].to" },
            { "/buckets/0/name", "\"Deck\"", "invalid-name", "$.buckets[0].name" },
            { "/buckets/0/name", "\"-deck\"", "invalid-name", "$.buckets[0].name" },
            { "/buckets/0/name", "\"ab\"", "invalid-name", "$.buckets[0].name" },
            { "/buckets/1/name", "\"deck-cameras\"", "duplicate-name", "$.buckets[1].name" },
            { "/buckets/0/tenant", "\"\"", "empty-text", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", "\"-\"", "invalid-name", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", "\"*\"", "invalid-name", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", "\"Fleet \"", "invalid-name", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", "\"Fleet\\nand more\"", "invalid-name", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", $"\"{new string('x', 64)}\"", "invalid-name", "$.buckets[0].tenant" },
            { "/buckets/0/tenant", "7", "wrong-type", "$.buckets[0].tenant" },
            { "/buckets/0/region", "\"atlantis\"", "unknown-reference", "$.buckets[0].region" },
            { "/buckets/2/tier", "\"pantry\"", "not-offered", "$.buckets[2].tier" },
            { "/buckets/0/stock/0/created", "\"2026-03-02\"", "date-order", "$.buckets[0].stock[0].created" },
            { "/buckets/0/stock/0/inTierSince", "\"2025-01-01\"", "date-order", "$.buckets[0].stock[0].inTierSince" },
            { "/buckets/0/stock/0/inTierSince", "\"2027-01-01\"", "date-order", "$.buckets[0].stock[0].inTierSince" },
            { "/buckets/0/stock/0/objects", "0.5", "not-whole", "$.buckets[0].stock[0].objects" },
            { "/buckets/0/streams/0/yearlyGrowth", "-1", "out-of-range", "$.buckets[0].streams[0].yearlyGrowth" },
            { "/buckets/0/reads/1/fromAge", "0", "not-rising", "$.buckets[0].reads[1].fromAge" },
            { "/buckets/0/rules/0/steps/1/age", "30", "duplicate-age", "$.buckets[0].rules[0].steps[1].age" },
            { "/buckets/0/rules/0/steps/1/age", "10", "warming-step", "$.buckets[0].rules[0].steps[0].tier" },
            { "/buckets/0/rules/0/expireAt", "0", "out-of-range", "$.buckets[0].rules[0].expireAt" },
            { "/buckets/0/rules/0", "{ \"id\": \"empty\" }", "empty-rule", "$.buckets[0].rules[0]" },
            { "/buckets/0/rules/1", "{ \"id\": \"cameras\", \"expireAt\": 5 }", "duplicate-id", "$.buckets[0].rules[1].id" },
            { "/buckets/0/rules/0/applies", "\"earlier\"", "needs-versioning", "$.buckets[0].rules[0].applies" },
            { "/buckets/0/rules/0/keepNewest", "2", "needs-versioning", "$.buckets[0].rules[0].keepNewest" },
            { "/buckets/0/rules/0/largestBytes", "-1", "out-of-range", "$.buckets[0].rules[0].largestBytes" },
            { "/buckets/0/rules/0/backOnRead", "true", "back-without-reading", "$.buckets[0].rules[0].backOnRead" },
            { "/buckets/0/rules/0/steps/0/clock", "\"sun\"", "unknown-choice", "$.buckets[0].rules[0].steps[0].clock" },
            { "/buckets/0/rules/0/steps/0/bundleTo", "0", "out-of-range", "$.buckets[0].rules[0].steps[0].bundleTo" },
            { "/priceBook/tiers/1/leastAge", "{ \"created\": 45 }", "below-least-age", "$.buckets[0].rules[0].steps[0].age" },
            { "/buckets/0/streams/0/replacedAfterDays", "1", "kept-and-replaced", "$.buckets[0].streams[0].replacedAfterDays" },
            { "/buckets/0/stock/0/rewriteEvery", "0", "out-of-range", "$.buckets[0].stock[0].rewriteEvery" },
            { "/buckets/0/stock/0/supersededOn", "\"2026-02-01\"", "superseded-on", "$.buckets[0].stock[0].supersededOn" },
            { "/buckets/0/stock/0/replacedOn", "\"2026-04-01\"", "replaced-on", "$.buckets[0].stock[0].replacedOn" },
            {
                "/buckets/0/holds",
                "[{ \"id\": \"h\", \"reason\": \"Claim\", \"placed\": \"2026-02-01\", \"released\": \"2026-01-01\" }]",
                "date-order",
                "$.buckets[0].holds[0].released"
            },
            { "/buckets/0/keep/until", "\"2030-01-01\"", "keep-period", "$.buckets[0].keep" },
            { "/buckets/0/keep/strength", "\"firm\"", "unknown-choice", "$.buckets[0].keep.strength" },
            { "/buckets/1/copyTo/0/bucket", "\"engine-telemetry\"", "self-copy", "$.buckets[1].copyTo[0].bucket" },
            { "/buckets/1/copyTo/0/bucket", "\"lost\"", "unknown-reference", "$.buckets[1].copyTo[0].bucket" },
            { "/buckets/1/copyTo/0/catchUp", "\"yes\"", "wrong-type", "$.buckets[1].copyTo[0].catchUp" },
        };

    [Theory]
    [MemberData(nameof(Mistakes))]
    public void Each_mistake_is_reported_once_with_code_path_and_advice(string pointer, string? json, string code, string path)
    {
        var problems = EstateDocument.Read(With(Samples.SmallDocument, (pointer, json))).Problems;
        var problem = Assert.Single(problems, p => p.Path == path);
        Assert.Equal(code, problem.Code);
        Assert.EndsWith(".", problem.Message, StringComparison.Ordinal);
        // What follows from it may be reported as well, but nothing that has nothing to do with it.
        if (
            code != "unknown-reference"
            && !pointer.EndsWith("/id", StringComparison.Ordinal)
            && !pointer.EndsWith("/tier", StringComparison.Ordinal)
            && !pointer.EndsWith("/name", StringComparison.Ordinal)
        )
        {
            Assert.Single(problems);
        }
    }

    [Fact]
    public void All_mistakes_are_reported_at_once()
    {
        var document = With(
            Samples.SmallDocument,
            ("/today", "7"),
            ("/buckets/0/name", "\"!\""),
            ("/buckets/1/copyTo/0/bucket", "\"lost\""),
            ("/priceBook/unit", "null")
        );
        Assert.Equal(
            ["$.buckets[0].name", "$.buckets[1].copyTo[0].bucket", "$.priceBook.unit", "$.today"],
            EstateDocument.Read(document).Problems.Select(p => p.Path).Order()
        );
    }

    [Theory]
    [InlineData("")]
    [InlineData("{")]
    [InlineData("null")]
    [InlineData("[1, 2]")]
    [InlineData("{ \"ripen\": 1, } // no")]
    public void What_is_no_document_is_a_problem_and_not_an_exception(string text) => Assert.NotEmpty(EstateDocument.Read(text).Problems);

    [Fact]
    public void A_property_written_twice_is_an_error()
    {
        var problem = Assert.Single(
            EstateDocument
                .Read(Samples.SmallDocument.Replace("\"currency\":", "\"currency\": \"EUR\", \"currency\":", StringComparison.Ordinal))
                .Problems
        );
        Assert.Equal(("duplicate-property", "$.priceBook.currency"), (problem.Code, problem.Path));
    }

    // Robustness: whatever stands in any place of the document, reading ends with an estate that projects, or with problems.
    [Fact]
    public void Nothing_in_any_place_makes_reading_or_projecting_throw()
    {
        var pointers = Pointers(JsonNode.Parse(Samples.SmallDocument)!, "").Where(p => p.Length > 0).ToArray();
        var values = new[]
        {
            null,
            "null",
            "0",
            "-1",
            "1e300",
            "0.5",
            "\"\"",
            "\"pantry\"",
            "[]",
            "{}",
            "true",
            "[null]",
            "\"2026-03-01\"",
            "99999999999999999999",
        };
        var mistakes = from pointer in Gen.Elements(pointers) from value in Gen.Elements(values) select (pointer, value);
        var twoMistakes = from a in mistakes from b in mistakes select (a, b);
        Prop.ForAll(
                Arb.From(twoMistakes),
                pair =>
                {
                    var read = EstateDocument.Read(With(Samples.SmallDocument, pair.a, pair.b));
                    if (read.Ok)
                        Assert.All(Projection.Of(read.Value, 3).Rows(), row => Assert.True(double.IsFinite(row.Amount)));
                    else
                        Assert.NotEmpty(read.Problems);
                }
            )
            .Check(Randomly.Draws(1500));
    }

    [Fact]
    public void An_element_that_cannot_be_read_leaves_the_rest_to_be_checked()
    {
        var document = Samples.DemoDocument;
        var elements = Pointers(JsonNode.Parse(document)!, "").Where(p => char.IsDigit(p.LastOrDefault()) && p.Count(c => c == '/') <= 4);
        Assert.All(elements, pointer => Assert.NotEmpty(EstateDocument.Read(With(document, (pointer, "7"))).Problems));
    }

    [Fact]
    public void The_shipped_schema_is_the_one_made_from_the_records() =>
        Assert.Equal(File.ReadAllText("Examples/estate.schema.json"), EstateDocument.Schema());

    [Fact]
    public void A_draft_is_checked_as_a_part_of_its_estate()
    {
        var estate = Samples.Small();
        const string bucket = """{ "name": "NAME", "region": "kestrel-sound", "scheme": "one-site", "tier": "cave" }""";
        Assert.True(EstateDocument.ReadBucket(bucket.Replace("NAME", "harbour-logs", StringComparison.Ordinal), estate, null).Ok);
        Assert.Equal(
            "duplicate-name",
            Assert
                .Single(EstateDocument.ReadBucket(bucket.Replace("NAME", "deck-cameras", StringComparison.Ordinal), estate, null).Problems)
                .Code
        );
        Assert.Equal(
            "renamed",
            Assert
                .Single(
                    EstateDocument.ReadBucket(bucket.Replace("NAME", "other", StringComparison.Ordinal), estate, "deck-cameras").Problems
                )
                .Code
        );
        Assert.Equal(
            "not-offered",
            Assert
                .Single(
                    EstateDocument
                        .ReadBucket(
                            bucket.Replace("NAME", "other", StringComparison.Ordinal).Replace("cave", "cellar", StringComparison.Ordinal),
                            estate,
                            null
                        )
                        .Problems
                )
                .Code
        );
    }

    private static string With(string document, params (string Pointer, string? Json)[] changes)
    {
        var root = JsonNode.Parse(document)!;
        foreach (var (pointer, json) in changes)
        {
            var names = pointer.Split('/')[1..];
            var parent = root;
            foreach (var name in names[..^1])
                parent = parent is JsonArray a && int.TryParse(name, out var i) && i < a.Count ? a[i] : (parent as JsonObject)?[name];
            if (parent is JsonArray list && int.TryParse(names[^1], out var at))
            {
                if (at < list.Count)
                    list.RemoveAt(at);
                if (json is not null && at <= list.Count)
                    list.Insert(at, Raw(json));
            }
            else if (parent is JsonObject o)
            {
                o.Remove(names[^1]);
                if (json is not null)
                    o[names[^1]] = Raw(json);
            }
        }
        return root.ToJsonString();

        // Numbers that no .NET type holds stay the text they are.
        static JsonNode? Raw(string json) => json == "null" ? null : JsonNode.Parse(json);
    }

    private static IEnumerable<string> Pointers(JsonNode node, string at) =>
        node switch
        {
            JsonObject o => o.SelectMany(p => Pointers(p.Value!, $"{at}/{p.Key}")).Prepend(at),
            JsonArray a => a.SelectMany((item, i) => Pointers(item!, $"{at}/{i}")).Prepend(at),
            _ => [at],
        };
}
