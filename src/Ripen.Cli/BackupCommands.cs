using System.CommandLine;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for backup targets, their pools, runs and restores, over a running server.</summary>
internal static class BackupCommands
{
    internal const string PassphraseVariable = "RIPEN_PASSPHRASE";

    public static IEnumerable<Command> All() => [Targets(), Target(), Pool(), Backup(), Restore()];

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
        return new Command("target", "Work with one backup target.")
        {
            ServerCommands.Make(
                "test",
                "Prove a target: write, read back, compare, list, delete.",
                [id],
                async (http, parsed) =>
                {
                    var steps = (await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/tests", new { }))!["steps"]!.AsArray();
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
                    await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/pool", new { passphrase = Passphrase() });
                    Console.WriteLine("made");
                }
            ),
            ServerCommands.Make(
                "unlock",
                "Give the passphrase of a pool that the server cannot open, in the same way.",
                [id],
                async (http, parsed) =>
                {
                    await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/passphrase", new { passphrase = Passphrase() });
                    Console.WriteLine("unlocked");
                }
            ),
            ServerCommands.Make(
                "check",
                "Read and compare everything in the pool.",
                [id],
                async (http, parsed) =>
                {
                    var job = await Finished(http, parsed.GetRequiredValue(id), "checks", new { });
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
                    var job = await Finished(http, parsed.GetRequiredValue(id), "prunes", new { });
                    Console.WriteLine($"{job["files"]} packs of {job["bytes"]} bytes are removed");
                    Demand(job);
                }
            ),
        };
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
                var order = new
                {
                    workload = parsed.GetRequiredValue(workload),
                    folder = ofObjects ? null : Path.GetFullPath(parsed.GetRequiredValue(folder)),
                    bucket = ofObjects ? source[0] : null,
                    prefix = ofObjects && source.Length > 1 ? source[1] : null,
                    full = parsed.GetValue(full),
                    encryptedAtSource = parsed.GetValue(encrypted),
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
                var job = await Finished(http, parsed.GetRequiredValue(id), "copies", new { target = parsed.GetRequiredValue(other) });
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

    private static Command Restore()
    {
        var (id, point, path) = (
            Id(),
            new Argument<string>("POINT") { Description = "a restore point's id" },
            new Argument<string>("PATH") { Description = "a path of the point; left out: everything", DefaultValueFactory = _ => "" }
        );
        var to = new Option<string?>("--to") { Description = "an empty folder of the server's machine" };
        var file = new Option<string?>("--out") { Description = "write one file here, on this machine, instead" };
        return ServerCommands.Make(
            "restore",
            "Restore a point, a folder of it, or one file.",
            [id, point, path, to, file],
            async (http, parsed) =>
            {
                var target = parsed.GetRequiredValue(id);
                if (parsed.GetValue(file) is { } name)
                {
                    var address =
                        $"/api/targets/{target}/points/{Uri.EscapeDataString(parsed.GetRequiredValue(point))}/file?path={Uri.EscapeDataString(parsed.GetRequiredValue(path))}";
                    using var response = await http.GetAsync(new Uri(address, UriKind.Relative), HttpCompletionOption.ResponseHeadersRead);
                    if (!response.IsSuccessStatusCode)
                        await ServerCommands.Answer(response);
                    await using var written = File.Create(name);
                    await response.Content.CopyToAsync(written);
                    return;
                }
                if (parsed.GetValue(to) is not { } folder)
                    throw new ServerCommands.RefusedException("Say where to: --to FOLDER, or --out FILE for one file.");
                var order = new
                {
                    point = parsed.GetRequiredValue(point),
                    under = parsed.GetRequiredValue(path),
                    folder = Path.GetFullPath(folder),
                };
                var job = await Finished(http, target, "restores", order);
                Console.WriteLine($"{job["files"]} files, {job["bytes"]} bytes restored");
                Demand(job);
            }
        );
    }

    private static async Task<JsonNode> Finished(HttpClient http, string target, string what, object order)
    {
        await Post(http, $"/api/targets/{target}/{what}", order);
        while (true)
        {
            var job = (await Get(http, $"/api/targets/{target}"))["job"]!;
            if (!(bool)job["running"]!)
                return job;
            await Task.Delay(200);
        }
    }

    private static void Demand(JsonNode job)
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

    internal static async Task<JsonNode?> Post(HttpClient http, string address, object order) =>
        await ServerCommands.Answer(await http.PostAsJsonAsync(new Uri(address, UriKind.Relative), order));
}
