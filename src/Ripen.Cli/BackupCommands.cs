using System.CommandLine;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for backup targets, their pools and runs, over a running server.</summary>
internal static class BackupCommands
{
    internal const string PassphraseVariable = "RIPEN_PASSPHRASE";

    public static IEnumerable<Command> All() => [Targets(), Target(), Pool(), Backup()];

    internal static Argument<string> Id() => new("TARGET") { Description = "the target's id" };

    private static Command Targets() =>
        ServerCommands.Make(
            "targets",
            "Print the backup targets: kind, place, last self-test, pool, what is stored.",
            [],
            async (http, _) =>
            {
                Console.WriteLine("id\tname\tkind\tplace\ttest\tpool\tobjects\tbytes");
                foreach (var t in (await Get(http, "/api/targets"))["targets"]!.AsArray())
                {
                    var pool =
                        t!["pool"] is not { } made ? (string?)t["wrong"] ?? "none"
                        : (bool)made["canOpen"]! ? "open"
                        : "locked";
                    var target = t["target"]!;
                    var place = target["bucket"] is { } bucket ? $"{bucket}/{target["prefix"]}" : (string)target["folder"]!;
                    var test =
                        t["test"] is not { } last ? "none"
                        : (bool)last["worked"]! ? "proved"
                        : "failed";
                    Console.WriteLine(
                        $"{target["id"]}\t{target["name"]}\t{target["kind"]}\t{place}\t{test}\t{pool}\t{t["storedObjects"]}\t{t["storedBytes"]}"
                    );
                }
            }
        );

    private static Command Target()
    {
        var id = Id();
        var file = new Argument<FileInfo>("FILE") { Description = "the target as in a document, as JSON" };
        return new Command("target", "Make, change, prove and remove backup targets.")
        {
            ServerCommands.Make(
                "put",
                "Make a target, or put it in the place of the one of its id.",
                [file],
                (http, parsed) => PlanCommands.Put(http, "targets", parsed.GetRequiredValue(file))
            ),
            ServerCommands.Make(
                "remove",
                "Remove a target; its pool stays where it lies.",
                [id],
                (http, parsed) => PlanCommands.Remove(http, "targets", parsed.GetRequiredValue(id))
            ),
            ServerCommands.Make(
                "test",
                "Prove a target: write, read back, compare, list, delete.",
                [id],
                async (http, parsed) =>
                {
                    var steps = (await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/tests", new JsonObject()))![
                        "steps"
                    ]!.AsArray();
                    foreach (var s in steps)
                        Console.WriteLine(
                            Number($"{s!["what"]}\t{(double)s["milliseconds"]!:0.0} ms\t{((bool)s["worked"]! ? "works" : s["why"])}")
                        );
                    if (steps.Any(s => !(bool)s!["worked"]!))
                        throw new ServerCommands.RefusedException("The target did not prove itself.");
                }
            ),
        };
    }

    private static Command Pool()
    {
        var id = Id();
        return new Command("pool", "Make, unlock or check a target's pool.")
        {
            ServerCommands.Make(
                "make",
                $"Make the target's pool. The passphrase is read from {PassphraseVariable}, or from standard input.",
                [id],
                async (http, parsed) =>
                {
                    await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/pool", new JsonObject { ["passphrase"] = Passphrase() });
                    Console.WriteLine("made");
                }
            ),
            ServerCommands.Make(
                "unlock",
                "Give the passphrase of a pool that the server cannot open, in the same way.",
                [id],
                async (http, parsed) =>
                {
                    await Post(
                        http,
                        $"/api/targets/{parsed.GetRequiredValue(id)}/passphrase",
                        new JsonObject { ["passphrase"] = Passphrase() }
                    );
                    Console.WriteLine("unlocked");
                }
            ),
            ServerCommands.Make(
                "check",
                "Read and compare everything in the pool.",
                [id],
                async (http, parsed) =>
                {
                    var job = await Finished(http, parsed.GetRequiredValue(id), "checks", new JsonObject());
                    Console.WriteLine($"{job["files"]} chunks of {job["bytes"]} bytes are as they were written");
                    Demand(job);
                }
            ),
            ServerCommands.Make(
                "prune",
                "Remove what no restore point needs.",
                [id],
                async (http, parsed) =>
                {
                    var job = await Finished(http, parsed.GetRequiredValue(id), "prunes", new JsonObject());
                    Console.WriteLine($"{job["files"]} packs of {job["bytes"]} bytes are removed");
                    Demand(job);
                }
            ),
            Room(),
            ServerCommands.Make(
                "make-room",
                "Let the oldest points go as the target's rule says; 'room' says before which.",
                [id],
                async (http, parsed) =>
                {
                    var job = await Finished(http, parsed.GetRequiredValue(id), "room", new JsonObject());
                    foreach (var point in job["room"]?["points"]?.AsArray() ?? [])
                        Console.WriteLine($"{point!["id"]}\t{point["workload"]}\t{point["taken"]}");
                    Console.WriteLine($"{job["bytes"]} bytes are removed");
                    Demand(job);
                }
            ),
        };
    }

    private static Command Room()
    {
        var (id, downTo, leave) = (
            Id(),
            new Option<double>("--down-to") { Description = "a share of the capacity, from 0 to 1", DefaultValueFactory = _ => 0.7 },
            new Option<int>("--leave") { Description = "how many of a workload's newest points stay", DefaultValueFactory = _ => 3 }
        );
        return ServerCommands.Make(
            "room",
            "Print which points would go now so that a directory holds no more than a share of its capacity. Nothing is done.",
            [id, downTo, leave],
            async (http, parsed) =>
            {
                var share = parsed.GetValue(downTo).ToString(CultureInfo.InvariantCulture);
                var room = await Get(
                    http,
                    $"/api/targets/{parsed.GetRequiredValue(id)}/room?downTo={share}&leave={parsed.GetValue(leave)}"
                );
                Console.WriteLine($"{room["storedBytes"]} bytes of {room["capacityBytes"]}; down to {room["goalBytes"]}");
                foreach (var go in room["points"]!.AsArray())
                    Console.WriteLine($"{go!["point"]!["id"]}\t{go["point"]!["workload"]}\t{go["point"]!["taken"]}\t{go["thenBytes"]}");
                if ((long)room["leastBytes"]! > (long)room["goalBytes"]!)
                    Console.WriteLine($"nothing goes: without all that may go {room["leastBytes"]} bytes would be stored");
                Console.WriteLine($"{room["thenBytes"]} bytes then, {room["stayingPoints"]} points stay");
            }
        );
    }

    private static Command Backup()
    {
        var (id, folder, workload) = (
            Id(),
            new Argument<string>("SOURCE") { Description = "a folder of the server's machine; with --objects a bucket, or BUCKET/PREFIX" },
            new Option<string>("--as") { Description = "the workload whose points these are", Required = true }
        );
        var objects = new Option<bool>("--objects") { Description = "back objects of a bucket up, not a folder" };
        var full = new Option<bool>("--full") { Description = "read and, in a plain pool, store everything" };
        var encrypted = new Option<bool>("--encrypted-at-source") { Description = "what comes is encrypted: keep it apart, as it is" };
        var run = ServerCommands.Make(
            "run",
            "Back a folder or objects up, and wait for it.",
            [id, folder, workload, objects, full, encrypted],
            async (http, parsed) =>
            {
                var source = parsed.GetRequiredValue(folder).Split('/', 2);
                var ofObjects = parsed.GetValue(objects);
                var order = new JsonObject
                {
                    ["workload"] = parsed.GetRequiredValue(workload),
                    ["folder"] = ofObjects ? null : Path.GetFullPath(parsed.GetRequiredValue(folder)),
                    ["bucket"] = ofObjects ? source[0] : null,
                    ["prefix"] = ofObjects && source.Length > 1 ? source[1] : null,
                    ["full"] = parsed.GetValue(full),
                    ["encryptedAtSource"] = parsed.GetValue(encrypted),
                };
                var job = await Finished(http, parsed.GetRequiredValue(id), "runs", order);
                if (job["point"] is { } point)
                {
                    Console.WriteLine(
                        Number(
                            $"{point["id"]}: {point["files"]} files, {point["logicalBytes"]} bytes, {point["newBytes"]} of them new, {point["storedBytes"]} stored, {(double)point["seconds"]!:0.0} s"
                        )
                    );
                }
                foreach (var problem in job["problems"]!.AsArray())
                    await Console.Error.WriteLineAsync($"{problem!["path"]}: {problem["what"]}");
                if ((string?)job["error"] is { } error)
                    throw new ServerCommands.RefusedException(error);
            }
        );
        var other = new Argument<string>("TO") { Description = "the other target's id" };
        var copy = ServerCommands.Make(
            "copy",
            "Copy the whole pool to another target, and wait for it.",
            [id, other],
            async (http, parsed) =>
            {
                var job = await Finished(
                    http,
                    parsed.GetRequiredValue(id),
                    "copies",
                    new JsonObject { ["target"] = parsed.GetRequiredValue(other) }
                );
                Console.WriteLine($"{job["files"]} objects of {job["bytes"]} bytes are copied");
                Demand(job);
            }
        );
        var points = ServerCommands.Make(
            "points",
            "Print the target's restore points, newest first.",
            [id],
            async (http, parsed) =>
            {
                Console.WriteLine("point\tworkload\tfiles\tbytes\tnew\tstored\tproblems");
                foreach (var p in (await Get(http, $"/api/targets/{parsed.GetRequiredValue(id)}/points"))["points"]!.AsArray())
                {
                    Console.WriteLine(
                        $"{p!["id"]}\t{p["workload"]}\t{p["files"]}\t{p["logicalBytes"]}\t{p["newBytes"]}\t{p["storedBytes"]}\t{p["problemCount"]}"
                    );
                }
            }
        );
        var point = new Argument<string>("POINT") { Description = "a restore point's id" };
        var forget = ServerCommands.Make(
            "forget",
            "Remove a restore point; what only it needed goes with the next prune.",
            [id, point],
            async (http, parsed) =>
            {
                var address = $"/api/targets/{parsed.GetRequiredValue(id)}/points/{Uri.EscapeDataString(parsed.GetRequiredValue(point))}";
                await Delete(http, address);
                Console.WriteLine("removed");
            }
        );
        return new Command("backup", "Back folders up into a target, list and remove points.") { run, copy, points, forget };
    }

    internal static async Task<JsonNode> Finished(HttpClient http, string target, string what, JsonObject order)
    {
        var begun = await Post(http, $"/api/targets/{target}/{what}", order);
        return begun?["waitsUntil"] is null ? await Ended(http, target) : begun;
    }

    /// <summary>What is under way with a target, when it is over.</summary>
    internal static async Task<JsonNode> Ended(HttpClient http, string target)
    {
        while (true)
        {
            var job = await Get(http, $"/api/targets/{target}/job?wait=true");
            if (!(bool)job["running"]!)
                return job;
        }
    }

    internal static void Demand(JsonNode job)
    {
        foreach (var problem in job["problems"]!.AsArray())
            Console.Error.WriteLine($"{problem!["path"]}: {problem["what"]}");
        if ((string?)job["error"] is { } error)
            throw new ServerCommands.RefusedException(error);
        if (job["problems"]!.AsArray().Count > 0)
            throw new ServerCommands.RefusedException("Not everything is whole.");
    }

    internal static string? Passphrase() => Environment.GetEnvironmentVariable(PassphraseVariable) ?? Console.ReadLine();

    private static string Number(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);

    internal static async Task<JsonNode> Get(HttpClient http, string address) =>
        (await ServerCommands.Answer(await http.GetAsync(new Uri(address, UriKind.Relative))))!;

    internal static async Task Delete(HttpClient http, string address) =>
        await ServerCommands.Answer(await http.DeleteAsync(new Uri(address, UriKind.Relative)));

    internal static async Task<JsonNode?> Post(HttpClient http, string address, JsonObject order) =>
        await ServerCommands.Answer(await http.PostOrder(new Uri(address, UriKind.Relative), order));
}
