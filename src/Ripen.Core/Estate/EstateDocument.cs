using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Schema;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Estates;

/// <summary>The estate document, version 1: one JSON file that holds an estate. Reading is strict and reports every problem at
/// once.</summary>
public static class EstateDocument
{
    /// <summary>The version of the format, the value of the document's property <c>ripen</c>.</summary>
    public const int Version = 1;

    /// <summary>How estates and their parts are written as JSON, in files and over HTTP.</summary>
    public static JsonSerializerOptions Json { get; } = Configure(new JsonSerializerOptions { WriteIndented = true });

    private const string IsWhole =
        "The command line, which is compiled ahead of time, keeps this library whole, and writes as WrittenJson has it.";

    private static readonly JsonSerializerOptions Written = new(Json) { TypeInfoResolver = WrittenJson.Default };

    private static readonly JsonSerializerOptions OnOneLine = new(Written) { WriteIndented = false };

    /// <summary>A value of those that files are made of as JSON text, in the document's names.</summary>
    public static string Text<T>(T value, bool indented = true) =>
        JsonSerializer.Serialize(value, (JsonTypeInfo<T>)(indented ? Written : OnOneLine).GetTypeInfo(typeof(T)));

    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    private static JsonElement Element<T>(T value) => JsonSerializer.SerializeToElement(value, Json);

    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    private static JsonObject Node<T>(T value) => JsonSerializer.SerializeToNode(value, Json)!.AsObject();

    /// <summary>Sets <paramref name="options"/> to the document's names, dates, choices and prices.</summary>
    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    public static JsonSerializerOptions Configure(JsonSerializerOptions options)
    {
        options.TypeInfoResolver ??= new DefaultJsonTypeInfoResolver();
        options.PropertyNamingPolicy = JsonNamingPolicy.CamelCase;
        options.DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull;
        options.NumberHandling = JsonNumberHandling.Strict;
        options.RespectNullableAnnotations = true;
        options.Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping;
        options.Converters.Add(new JsonStringEnumConverter<SizeUnit>(allowIntegerValues: false));
        options.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false));
        options.Converters.Add(new UnitPriceConverter());
        options.Converters.Add(new PricePerThousandConverter());
        options.Converters.Add(new TimeOfDayConverter());
        return options;
    }

    /// <summary>The same for what comes from outside: members that nobody knows are an error.</summary>
    public static JsonSerializerOptions ConfigureStrict(JsonSerializerOptions options)
    {
        options.UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow;
        return Configure(options);
    }

    /// <summary>Reads a whole document; the result holds the estate, or every problem with its JSON path.</summary>
    public static Checked<Estate> Read(string json) =>
        Parse(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var estate = EstateReader.Estate(reader, findings);
                reader.Close();
                EstateChecks.Check(estate, findings);
                return (findings.Problems.Count > 0 ? estate : estate with { PriceBook = estate.PriceBook.On(estate.Today) }, findings);
            }
        );

    /// <summary>
    /// Reads one bucket and checks it as a part of <paramref name="estate"/>, in the place of the bucket
    /// <paramref name="replaces"/>, or as a new one when that is null. Paths begin at the bucket. A bucket that is replaced keeps the stock
    /// that it holds and what waits to be copied, whatever the JSON says of it; its tiers must have prices in the new region.
    /// </summary>
    public static Checked<Bucket> ReadBucket(string json, Estate estate, string? replaces) =>
        Parse(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var bucket = BucketReader.Bucket(reader);
                reader.Close();
                var others = estate.Buckets.Where(b => b.Name != replaces).ToList();
                if (replaces is not null)
                {
                    findings.Require(
                        bucket.Name == replaces,
                        "renamed",
                        "$.name",
                        $"A bucket keeps its name for life; write '{replaces}'."
                    );
                    bucket = bucket with
                    {
                        Stock = [],
                        CopyTo = [.. bucket.CopyTo.Select(c => c is null ? null! : c with { Waiting = [] })],
                    };
                }
                findings.Require(
                    others.All(b => b.Name != bucket.Name),
                    "duplicate-name",
                    "$.name",
                    $"'{bucket.Name}' is taken; choose another name."
                );
                EstateChecks.CheckBucket(bucket, "$", estate.PriceBook, estate.Today, [.. others, bucket], findings);
                BackupChecks.CheckBucket(bucket, "$", estate, findings);
                ArrayChecks.CheckBucket(bucket, "$.rules", estate, findings);
                if (replaces is not null && estate.Find(replaces) is { } held)
                {
                    bucket = bucket with { Stock = held.Stock };
                    EstateChecks.CheckHeld(bucket, estate, findings);
                    if (findings.Problems.Count == 0)
                        bucket = bucket.Awaiting(held);
                }
                return (bucket, findings);
            }
        );

    /// <summary>Reads an organisation's list of retention periods, as the only property of an object.</summary>
    public static Checked<IReadOnlyList<RetentionPeriod>> ReadPeriods(string json) =>
        ReadList(json, "retentionPeriods", PlanReader.Period, RetentionPeriodChecks.Check);

    /// <summary>Reads the machines that carry, as the only property of an object.</summary>
    public static Checked<IReadOnlyList<CarrierMachine>> ReadCarriers(string json, Estate estate) =>
        ReadList(
            json,
            "carriers",
            PlanReader.Carrier,
            (carriers, path, findings) =>
            {
                CarrierMachine.Check(carriers, path, estate, findings);
                foreach (var plan in estate.Plans)
                    PlanChecks.CheckCarriers(plan, path, path, estate with { Carriers = carriers }, findings);
            }
        );

    /// <summary>Reads local arrays, as the only property of an object. What is away is what the estate says of it, whatever the JSON
    /// says.</summary>
    public static Checked<IReadOnlyList<LocalArray>> ReadArrays(string json, Estate estate) =>
        ReadList(json, "arrays", ArrayReader.Array, (arrays, path, findings) => ArrayChecks.CheckChange(arrays, path, estate, findings));

    /// <summary>Reads offers, as the only property of an object.</summary>
    public static Checked<IReadOnlyList<Offer>> ReadOffers(string json) =>
        ReadList(json, "offers", EstateReader.Offer, PriceBookChecks.CheckOffers);

    /// <summary>Reads scenarios, as the only property of an object.</summary>
    public static Checked<IReadOnlyList<Scenario>> ReadScenarios(string json) =>
        ReadList(json, "scenarios", ScenarioReader.Scenario, ScenarioReader.Check);

    /// <summary>Reads one scenario.</summary>
    public static Checked<Scenario> ReadScenario(string json) =>
        ReadPart(
            json,
            ScenarioReader.Scenario,
            (scenario, findings) =>
            {
                ScenarioReader.Check(scenario, "$", findings);
                return scenario;
            }
        );

    /// <summary>Reads where an array's data leaves to, and which, as an object of its own; gives all arrays with it.</summary>
    /// <exception cref="RefusalException">There is no such array.</exception>
    public static Checked<IReadOnlyList<LocalArray>> ReadLeaving(string json, Estate estate, string id)
    {
        var place = estate.Arrays.ToList().FindIndex(a => a.Id == id);
        if (place < 0)
            throw new RefusalException(RefusalKind.NotFound, "no-array", $"There is no array '{id}'.");
        return Parse<IReadOnlyList<LocalArray>>(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var array = ArrayReader.Leaving(reader, estate.Arrays[place]);
                reader.Close();
                IReadOnlyList<LocalArray> arrays = [.. estate.Arrays.Select((a, i) => i == place ? array : a)];
                if (findings.Problems.Count == 0)
                    ArrayChecks.CheckChange(arrays, "$.arrays", estate, findings);
                var own = $"$.arrays[{place}]";
                for (var i = 0; i < findings.Problems.Count; i++)
                {
                    if (findings.Problems[i] is var problem && problem.Path.StartsWith(own, StringComparison.Ordinal))
                        findings.Problems[i] = problem with { Path = $"${problem.Path[own.Length..]}" };
                }
                return (arrays, findings);
            }
        );
    }

    /// <summary>Reads a price book that takes the place of an estate's from its today on; what held earlier stays told.</summary>
    public static Checked<PriceBook> ReadPrices(string json, Estate estate) =>
        Parse(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var written = EstateReader.PriceBook(reader) with { Earlier = [] };
                reader.Close();
                if (findings.Problems.Count == 0)
                    PriceBookChecks.Check(written, estate.Today, "$", findings);
                if (findings.Problems.Count > 0)
                    return (written, findings);
                var before = estate.PriceBook;
                Same(written.Currency == before.Currency, "currency");
                Same(written.Unit == before.Unit, "unit");
                Same(written.Month == before.Month, "month");
                var after = PriceAmendment.Of(before, written, estate.Today);
                var whole = new Findings();
                EstateChecks.Check(estate with { PriceBook = after }, whole);
                foreach (var problem in whole.Problems)
                    findings.Require(false, problem.Code, "$.regions", $"{problem.Message} ({problem.Path} of the estate needs it.)");
                return (after, findings);

                void Same(bool same, string property) =>
                    findings.Require(
                        same,
                        "metered-otherwise",
                        $"$.{property}",
                        "What was metered so far is in it: another one comes with an import of the whole estate."
                    );
            }
        );

    /// <summary>Reads an order for a copy rule; whether it fits the estate is the estate's plans's to say.</summary>
    public static Checked<CopyOrder> ReadCopyOrder(string json) =>
        Parse(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var order = BucketReader.CopyOrder(reader);
                reader.Close();
                return (order, findings);
            }
        );

    /// <summary>Reads one backup target and checks it as a part of <paramref name="estate"/>, in the place of the one of the same id or as a
    /// new one. Paths begin at the target.</summary>
    public static Checked<BackupTarget> ReadTarget(string json, Estate estate) =>
        ReadPart(
            json,
            EstateReader.Target,
            (target, findings) =>
            {
                BackupChecks.CheckTarget(target, estate, findings);
                return target;
            }
        );

    /// <summary>Reads one backup plan and checks it as a part of <paramref name="estate"/>, in the place of the one of the same id or as a new
    /// one, with the runs that one had. Paths begin at the plan.</summary>
    public static Checked<BackupPlan> ReadPlan(string json, Estate estate) =>
        ReadPart(
            json,
            PlanReader.Plan,
            (plan, findings) =>
            {
                var before = estate.Plans.FirstOrDefault(p => p.Id == plan.Id);
                plan = plan.GoingOn(before, estate.Today);
                PlanChecks.CheckPlan(plan, "$", estate, findings);
                return plan;
            }
        );

    /// <summary>Reads one workload and checks it as a part of <paramref name="estate"/>. Paths begin at the workload.</summary>
    public static Checked<Workload> ReadWorkload(string json, Estate estate) =>
        ReadPart(
            json,
            EstateReader.Workload,
            (workload, findings) =>
            {
                BackupChecks.CheckWorkload(workload, "$", estate, findings);
                PlanChecks.CheckSource(workload, estate, findings);
                return workload;
            }
        );

    /// <summary>Reads a list that is the only property of an object; checked, with its path, when all of it could be read.</summary>
    private static Checked<IReadOnlyList<T>> ReadList<T>(
        string json,
        string name,
        Func<ObjectReader, T> read,
        Action<IReadOnlyList<T>, string, Findings> check
    )
        where T : class =>
        ReadPart(
            json,
            reader => reader.List(name, read),
            (list, findings) =>
            {
                if (findings.Problems.Count == 0)
                    check(list, $"$.{name}", findings);
                return list;
            }
        );

    private static Checked<T> ReadPart<T>(string json, Func<ObjectReader, T> read, Func<T, Findings, T> check)
        where T : class =>
        Parse(
            json,
            root =>
            {
                var findings = new Findings();
                var reader = new ObjectReader(root, "$", findings);
                var part = read(reader);
                reader.Close();
                return (check(part, findings), findings);
            }
        );

    /// <summary>What is wrong with a scheme by itself, by the same rules as in a document. Paths begin at <c>$.scheme</c>.</summary>
    public static IReadOnlyList<Problem> CheckScheme(Scheme scheme)
    {
        var findings = new Findings();
        var wrapped = Element(new { scheme });
        new ObjectReader(wrapped, "$", findings).Object("scheme", EstateReader.Scheme);
        PriceBookChecks.CheckScheme(scheme, "$.scheme", findings);
        return findings.Problems;
    }

    /// <summary>What is wrong with a keep rule by itself, by the same rules as in a document. Paths begin at <c>$.keep</c>.</summary>
    public static IReadOnlyList<Problem> CheckKeep(KeepRule? keep)
    {
        var findings = new Findings();
        if (keep is null)
            return [];
        var wrapped = Element(new { keep });
        new ObjectReader(wrapped, "$", findings).Object("keep", BucketReader.Keep);
        EstateChecks.CheckKeep(keep, "$.keep", findings);
        return findings.Problems;
    }

    /// <summary>What is wrong with a bucket's legal holds by themselves, by the same rules as in a document. Paths begin at
    /// <c>$.holds</c>.</summary>
    public static IReadOnlyList<Problem> CheckHolds(IReadOnlyList<Hold> holds)
    {
        var findings = new Findings();
        var wrapped = Element(new { holds });
        new ObjectReader(wrapped, "$", findings).List("holds", BucketReader.Hold);
        EstateChecks.CheckHolds(holds, "$.holds", findings);
        return findings.Problems;
    }

    /// <summary>The document of <paramref name="estate"/>; <see cref="Read"/> gives the same estate back.</summary>
    public static string Write(Estate estate)
    {
        var document = Node(estate);
        document.Insert(0, "ripen", Version);
        foreach (var none in (string[])["workloads", "targets", "plans", "carriers", "retentionPeriods", "arrays", "offers", "scenarios"])
        {
            if (document[none]!.AsArray().Count == 0)
                document.Remove(none);
        }
        return document.ToJsonString(Json) + "\n";
    }

    /// <summary>The JSON Schema (2020-12) of the document, made from the records themselves.</summary>
    public static string Schema()
    {
        var shape = new JsonSerializerOptions(Written) { UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow };
        var schema = shape
            .GetJsonSchemaAsNode(
                typeof(Estate),
                new JsonSchemaExporterOptions { TreatNullObliviousAsNonNullable = true, TransformSchemaNode = Describe }
            )
            .AsObject();
        schema.Insert(0, "$schema", "https://json-schema.org/draft/2020-12/schema");
        schema.Insert(1, "title", "Ripen estate document, version 1");
        schema["properties"]!.AsObject().Insert(0, "ripen", new JsonObject { ["const"] = Version });
        schema["required"]!.AsArray().Insert(0, "ripen");
        var bucket = schema["properties"]!["buckets"]!["items"]!["properties"]!;
        // Reading fills these in from `created`, so that a document may leave them out.
        NotRequired(bucket["stock"]!["items"]!, "inTierSince");
        NotRequired(bucket["copyTo"]!["items"]!["properties"]!["waiting"]!["items"]!, "since");
        return schema.ToJsonString(Json) + "\n";
    }

    private static void NotRequired(JsonNode shape, string property)
    {
        var required = shape["required"]!.AsArray();
        required.Remove(required.First(name => name!.GetValue<string>() == property));
    }

    private static JsonNode Describe(JsonSchemaExporterContext context, JsonNode schema)
    {
        var type = context.TypeInfo.Type;
        if (type == typeof(TimeOnly))
            return new JsonObject { ["type"] = "string", ["pattern"] = "^([01][0-9]|2[0-3]):[0-5][0-9]$" };
        if (type == typeof(Month) || type == typeof(Month?))
            return new JsonObject { ["type"] = "string", ["pattern"] = "^[0-9]{4}-(0[1-9]|1[0-2])$" };
        if (type != typeof(UnitPrice) && type != typeof(PricePerThousand))
            return schema;
        return new JsonObject
        {
            ["type"] = "number",
            ["minimum"] = 0,
            ["description"] = type == typeof(UnitPrice) ? "money per unit" : "money per 1,000",
        };
    }

    private static Checked<T> Parse<T>(string json, Func<JsonElement, (T Value, Findings Findings)> read)
        where T : class
    {
        JsonDocument document;
        try
        {
            document = JsonDocument.Parse(json.TrimStart('\uFEFF'));
        }
        catch (JsonException e)
        {
            var place = string.Create(CultureInfo.InvariantCulture, $"line {e.LineNumber + 1}, byte {e.BytePositionInLine + 1}");
            return new([new Problem("invalid-json", "$", $"This is not JSON: look at {place}.")]);
        }
        using (document)
        {
            try
            {
                var (value, findings) = read(document.RootElement);
                return findings.Problems.Count == 0 ? new(value) : new(findings.Problems);
            }
            catch (InvalidOperationException)
            {
                // An escape that stands for half a character (a lone surrogate) is JSON, and no text.
                return new([
                    new Problem(
                        "invalid-text",
                        "$",
                        "A text holds half a character (a lone surrogate, such as \\ud800); write whole characters."
                    ),
                ]);
            }
        }
    }

    private sealed class TimeOfDayConverter : JsonConverter<TimeOnly>
    {
        private const string Shape = "HH:mm";

        public override TimeOnly Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            TimeOnly.TryParseExact(reader.GetString(), Shape, CultureInfo.InvariantCulture, DateTimeStyles.None, out var time)
                ? time
                : throw new JsonException("A time of day is written as HH:mm.");

        public override void Write(Utf8JsonWriter writer, TimeOnly value, JsonSerializerOptions options) =>
            writer.WriteStringValue(value.ToString(Shape, CultureInfo.InvariantCulture));
    }

    private sealed class UnitPriceConverter : JsonConverter<UnitPrice>
    {
        public override UnitPrice Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) => new(reader.GetDouble());

        public override void Write(Utf8JsonWriter writer, UnitPrice value, JsonSerializerOptions options) =>
            writer.WriteNumberValue(value.PerUnit);
    }

    private sealed class PricePerThousandConverter : JsonConverter<PricePerThousand>
    {
        public override PricePerThousand Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
            new(reader.GetDouble());

        public override void Write(Utf8JsonWriter writer, PricePerThousand value, JsonSerializerOptions options) =>
            writer.WriteNumberValue(value.PerThousand);
    }
}
