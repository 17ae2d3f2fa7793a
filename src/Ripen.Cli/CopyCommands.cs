using System.CommandLine;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for copies elsewhere: how rules stand, cutting lines, proofs, and lost regions.</summary>
internal static class CopyCommands
{
    private const string Base = "/api/replication";

    public static IEnumerable<Command> All() => [Copies(), Copy(), Cut(), Restore(), Prove(), Audit(), Lose(), BringBack(), Refill()];

    private static Argument<string> Source() => new("BUCKET") { Description = "the bucket that is copied" };

    private static Argument<string> Target() => new("TO") { Description = "the bucket with the copies" };

    private static Command Copies() =>
        ServerCommands.Make(
            "copies",
            "Print how replication rules stand: what waits, lag in hours, when the backlog clears.",
            [],
            async (http, _) =>
            {
                Console.WriteLine("from\tto\twaiting\tbytes\tcopied\tfailed\tlag\tworst\tallowed\tempty in\tline");
                foreach (var r in (await Get(http, Base))["rules"]!.AsArray())
                {
                    var failed = r!["failures"]!.AsArray().Sum(f => (double)f!["objects"]!);
                    var empty = r["emptyAfterHours"] is { } hours
                        ? $"{(double)hours:0.##} h"
                        : $"never, short of {(double)r["shortBytesPerSecond"]!:0.#} bytes/s";
                    Console.WriteLine(
                        string.Create(
                            CultureInfo.InvariantCulture,
                            $"{r["bucket"]}\t{r["target"]}\t{(double)r["waiting"]!:0.##}\t{(double)r["waitingBytes"]!:0}\t{(double)r["copied"]!:0.##}\t{failed}\t{(double)r["lagHours"]!:0.##}\t{(double)r["worstLagHours"]!:0.##}\t{r["rule"]!["allowedLagHours"]}\t{empty}\t{r["line"]}"
                        )
                    );
                }
            }
        );

    private static Command Copy()
    {
        var (source, target) = (Source(), Target());
        var prefix = new Option<string>("--prefix") { Description = "only what begins so", DefaultValueFactory = _ => "" };
        var catchUp = new Option<bool?>("--catch-up")
        {
            Description = "whether what is there already is copied too: true or false",
            Required = true,
        };
        var deletions = new Option<bool>("--follow-deletions") { Description = "deletions follow" };
        var versioning = new Option<bool>("--switch-versioning-on") { Description = "switch versioning on where it is off" };
        return ServerCommands.Make(
            "copy",
            "Make a replication rule from one bucket to another.",
            [source, target, prefix, catchUp, deletions, versioning],
            async (http, parsed) =>
            {
                var order = new JsonObject
                {
                    ["source"] = parsed.GetRequiredValue(source),
                    ["rule"] = new JsonObject
                    {
                        ["bucket"] = parsed.GetRequiredValue(target),
                        ["prefix"] = parsed.GetRequiredValue(prefix),
                        ["catchUp"] = parsed.GetValue(catchUp)!.Value,
                        ["followDeletions"] = parsed.GetValue(deletions),
                    },
                    ["switchVersioningOn"] = parsed.GetValue(versioning),
                };
                using var read = await http.GetAsync(new Uri(Base, UriKind.Relative));
                http.DefaultRequestHeaders.IfMatch.Add(read.Headers.ETag!);
                var made = await ServerCommands.Answer(await http.PostOrder($"{Base}/rules", order));
                Console.WriteLine(
                    $"{order["source"]} is copied to {order["rule"]!["bucket"]}; {(double)made!["waiting"]!:0.##} objects wait"
                );
            }
        );
    }

    private static Command Cut()
    {
        var (one, other) = (new Argument<string>("REGION"), new Argument<string>("OTHER"));
        var hours = new Option<double?>("--hours") { Description = "for so long; without it until the line is restored" };
        return ServerCommands.Make(
            "cut",
            "Cut the line between two regions (simulated).",
            [one, other, hours],
            async (http, parsed) =>
            {
                await ServerCommands.Answer(
                    await http.PutOrder(
                        $"{Base}/lines/{parsed.GetValue(one)}/{parsed.GetValue(other)}/cut",
                        new JsonObject { ["hours"] = parsed.GetValue(hours) }
                    )
                );
                Console.WriteLine("cut");
            }
        );
    }

    private static Command Restore()
    {
        var (one, other) = (new Argument<string>("REGION"), new Argument<string>("OTHER"));
        return ServerCommands.Make(
            "restore-line",
            "Restore the line between two regions.",
            [one, other],
            async (http, parsed) =>
            {
                await ServerCommands.Answer(
                    await http.DeleteAsync(new Uri($"{Base}/lines/{parsed.GetValue(one)}/{parsed.GetValue(other)}/cut", UriKind.Relative))
                );
                Console.WriteLine("restored");
            }
        );
    }

    private static Command Prove()
    {
        var (source, target) = (Source(), Target());
        return ServerCommands.Make(
            "prove",
            "Write a probe; when time has passed, its record tells how it arrived.",
            [source, target],
            async (http, parsed) =>
            {
                var probe = await ServerCommands.Answer(
                    await http.PostAsync(
                        new Uri(
                            $"{Base}/rules/{await Rule(http, parsed.GetRequiredValue(source), parsed.GetRequiredValue(target))}/probes",
                            UriKind.Relative
                        ),
                        null
                    )
                );
                Console.WriteLine($"{probe!["key"]} was written at {probe["written"]}");
            }
        );
    }

    private static Command Audit()
    {
        var (source, target) = (Source(), Target());
        var read = new Option<bool>("--read-everything") { Description = "read every byte on both sides" };
        return ServerCommands.Make(
            "audit",
            "Compare both sides of a replication rule and keep a record.",
            [source, target, read],
            async (http, parsed) =>
            {
                var rule = await Rule(http, parsed.GetRequiredValue(source), parsed.GetRequiredValue(target));
                var audit = (
                    await ServerCommands.Answer(
                        await http.PostAsync(
                            new Uri(
                                $"{Base}/rules/{rule}/audits?readEverything={(parsed.GetValue(read) ? "true" : "false")}",
                                UriKind.Relative
                            ),
                            null
                        )
                    )
                )!;
                Console.WriteLine((await Get(http, $"{Base}/records/{audit["record"]}"))["head"]!["summary"]);
                foreach (var d in audit["differences"]!.AsArray())
                    Console.WriteLine($"{d!["item"]!["kind"]}\t{d["item"]!["key"]}\t{d["item"]!["objects"]}\t{d["item"]!["bytes"]}");
                if (!(bool)audit["good"]!)
                    throw new ServerCommands.RefusedException("The two sides differ.");
            }
        );
    }

    private static Command Lose()
    {
        var region = new Argument<string>("REGION");
        return ServerCommands.Make(
            "lose-region",
            "Mark a region as lost (simulated), and print what is nowhere else.",
            [region],
            async (http, parsed) =>
            {
                var loss = await ServerCommands.Answer(
                    await http.PutAsync(new Uri($"{Base}/regions/{parsed.GetValue(region)}/loss", UriKind.Relative), null)
                );
                foreach (var item in loss!["items"]!.AsArray())
                    Console.WriteLine($"{item!["bucket"]}\t{item["key"]}\t{item["objects"]}\t{item["bytes"]}\t{item["note"]}");
            }
        );
    }

    private static Command BringBack()
    {
        var region = new Argument<string>("REGION");
        var empty = new Option<bool>("--empty") { Description = "without what lay there" };
        var keptSeen = new Option<string?>("--kept-seen")
        {
            Description = "what 'keptSeen' of /api/replication/regions/REGION/loss says, when something there is kept",
        };
        return ServerCommands.Make(
            "return-region",
            "Bring a lost region back.",
            [region, empty, keptSeen],
            async (http, parsed) =>
            {
                var order = new JsonObject
                {
                    ["withItsData"] = !parsed.GetValue(empty),
                    ["confirm"] = parsed.GetValue(region),
                    ["keptSeen"] = parsed.GetValue(keptSeen),
                };
                Console.WriteLine(
                    (await ServerCommands.Answer(await http.PostOrder($"{Base}/regions/{parsed.GetValue(region)}/return", order)))![
                        "summary"
                    ]
                );
            }
        );
    }

    private static Command Refill()
    {
        var bucket = new Argument<string>("BUCKET");
        return ServerCommands.Make(
            "refill",
            "Bring back to a bucket everything that only its copies have.",
            [bucket],
            async (http, parsed) =>
                Console.WriteLine(
                    $"{(await ServerCommands.Answer(await http.PostAsync(new Uri($"{Base}/refills/{parsed.GetValue(bucket)}", UriKind.Relative), null)))!["entries"]} queued"
                )
        );
    }

    private static async Task<JsonNode> Get(HttpClient http, string address) =>
        (await ServerCommands.Answer(await http.GetAsync(new Uri(address, UriKind.Relative))))!;

    private static async Task<long> Rule(HttpClient http, string source, string target) =>
        (long)
            (
                (await Get(http, Base))["rules"]!
                    .AsArray()
                    .FirstOrDefault(r => (string)r!["bucket"]! == source && (string)r["target"]! == target && !(bool)r["bringsBack"]!)
                ?? throw new ServerCommands.RefusedException($"'{source}' does not copy to '{target}'.")
            )["id"]!;
}
