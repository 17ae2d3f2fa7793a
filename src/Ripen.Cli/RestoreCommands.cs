using System.CommandLine;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands to find what is in restore points, for restores, rehearsals and their records, over a running server.</summary>
internal static class RestoreCommands
{
    public static IEnumerable<Command> All() =>
        [Find(), FindMail(), Mail(), Compare(), Restore(), Rehearse(), RestoreRecords(), RecoverCommand.Make(), RecoverySheet()];

    private static Command Restore()
    {
        var (id, point, path) = (
            BackupCommands.Id(),
            new Argument<string>("POINT") { Description = "a restore point's id" },
            new Argument<string>("PATH") { Description = "a path of the point; left out: everything", DefaultValueFactory = _ => "" }
        );
        var to = new Option<string?>("--to") { Description = "a folder of the server's machine, empty unless --existing says more" };
        var bucket = new Option<string?>("--to-bucket") { Description = "objects of this BUCKET/PREFIX instead" };
        var existing = new Option<string?>("--existing")
        {
            Description = "what becomes of what is there: kept, beside (the restored gets a dated name) or replaced",
        };
        existing.AcceptOnlyFromAmong("kept", "beside", "replaced");
        var file = new Option<string?>("--out") { Description = "write one file here, on this machine, instead" };
        var (choice, days) = (RecallCommands.Choice(), RecallCommands.Days());
        var archive = new Option<string?>("--archive") { Description = "write it here, on this machine, as one .tar or .zip file instead" };
        return ServerCommands.Make(
            "restore",
            "Restore a point, a folder of it, or one file.",
            [id, point, path, to, bucket, existing, file, archive, choice, days],
            async (http, parsed) =>
            {
                var target = parsed.GetRequiredValue(id);
                var (from, what) = (
                    $"/api/targets/{target}/points/{Uri.EscapeDataString(parsed.GetRequiredValue(point))}",
                    Uri.EscapeDataString(parsed.GetRequiredValue(path))
                );
                if (parsed.GetValue(file) is { } name)
                {
                    await Download(http, $"{from}/file?path={what}", name);
                    return;
                }
                if (parsed.GetValue(archive) is { } packed)
                {
                    var format = Path.GetExtension(packed) switch
                    {
                        ".tar" => "tar",
                        ".zip" => "zip",
                        _ => throw new ServerCommands.RefusedException("An archive is a .tar or a .zip file: end its name so."),
                    };
                    await Download(http, $"{from}/archive?format={format}&under={what}", packed);
                    return;
                }
                var (folder, objects) = (parsed.GetValue(to), parsed.GetValue(bucket)?.Split('/', 2));
                if (folder is null == objects is null)
                    throw new ServerCommands.RefusedException(
                        "Say where to: --to FOLDER, --to-bucket BUCKET/PREFIX, --archive FILE.tar or FILE.zip, or --out FILE for one file."
                    );
                var order = new JsonObject
                {
                    ["point"] = parsed.GetRequiredValue(point),
                    ["under"] = parsed.GetRequiredValue(path),
                    ["folder"] = folder is null ? null : Path.GetFullPath(folder),
                    ["bucket"] = objects?[0],
                    ["prefix"] = objects?.ElementAtOrDefault(1),
                    ["existing"] = parsed.GetValue(existing) ?? "refused",
                    ["recall"] = RecallCommands.Of(parsed, choice, days),
                };
                var job = await BackupCommands.Finished(http, target, "restores", order);
                if (Waits(job))
                    return;
                Console.WriteLine(
                    $"{job["files"]} files, {job["bytes"]} bytes restored"
                        + ((long)job["left"]! is > 0 and var left ? $"; {left} files were there and are left as they were" : "")
                );
                BackupCommands.Demand(job);
            }
        );
    }

    /// <summary>Says when it will be done, where it waits for a recall.</summary>
    private static bool Waits(JsonNode job)
    {
        if (job["waitsUntil"] is not { } until)
            return false;
        Console.WriteLine($"It waits for what it reads, and is done by itself at {until} of the provider's clock.");
        return true;
    }

    private static async Task Download(HttpClient http, string address, string name)
    {
        using var response = await http.GetAsync(new Uri(address, UriKind.Relative), HttpCompletionOption.ResponseHeadersRead);
        if (!response.IsSuccessStatusCode)
            await ServerCommands.Answer(response);
        try
        {
            await WholeFile.Write(
                name,
                async file =>
                {
                    await response.Content.CopyToAsync(file);
                    return true;
                }
            );
        }
        catch (Exception cut) when (cut is HttpRequestException or IOException)
        {
            throw new ServerCommands.RefusedException(
                $"It did not come whole, and nothing of it is kept: {cut.Message} 'ripen pool check' names what is damaged."
            );
        }
    }

    private static Command Find()
    {
        var text = new Argument<string>("TEXT") { Description = "words that a path has, all of them, whatever their case" };
        var (target, workload) = (
            new Option<string?>("--target") { Description = "only in this target's pool" },
            new Option<string?>("--workload") { Description = "only in points of this workload" }
        );
        return ServerCommands.Make(
            "find",
            "Look for a name in all restore points: tab-separated target, newest point, from, to, bytes, path.",
            [text, target, workload],
            async (http, parsed) =>
            {
                var address =
                    $"/api/found-paths?text={Uri.EscapeDataString(parsed.GetRequiredValue(text))}"
                    + string.Concat(
                        new[] { ("target", parsed.GetValue(target)), ("workload", parsed.GetValue(workload)) }
                            .Where(o => o.Item2 is not null)
                            .Select(o => $"&{o.Item1}={Uri.EscapeDataString(o.Item2!)}")
                    );
                var found = await BackupCommands.Get(http, address);
                foreach (var path in found["paths"]!.AsArray())
                {
                    foreach (var v in path!["versions"]!.AsArray())
                        Console.WriteLine(
                            $"{path["target"]}\t{v!["point"]}\t{v["firstTaken"]}\t{v["lastTaken"]}\t{v["bytes"]}\t{path["path"]}"
                        );
                }
                var listed = found["paths"]!.AsArray().Count;
                if ((int)found["total"]! > listed)
                    await Console.Error.WriteLineAsync($"{listed} of {found["total"]} paths; say more of it.");
                await NotSearched(found);
            }
        );
    }

    private static Command FindMail()
    {
        (string Name, string What)[] said =
        [
            ("from", "in the senders' names and addresses"),
            ("to", "in those of all who got it"),
            ("subject", "in the subject"),
            ("attachment", "in the name of an attachment"),
            ("since", "sent on this day (UTC) or later"),
            ("until", "sent on this day or earlier"),
            ("target", "only in this target's pool"),
            ("workload", "only in points of this workload"),
        ];
        var options = said.Select(o => new Option<string?>($"--{o.Name}") { Description = o.What }).ToList();
        return ServerCommands.Make(
            "find-mail",
            "Look for messages in all restore points: tab-separated target, newest point, mailbox, where it begins, sent, from, subject.",
            [.. options],
            async (http, parsed) =>
            {
                var query = options
                    .Select((o, i) => (said[i].Name, Value: parsed.GetValue(o)))
                    .Where(o => o.Value is not null)
                    .Select(o => $"{o.Name}={Uri.EscapeDataString(o.Value!)}");
                var found = await BackupCommands.Get(http, $"/api/found-mail?{string.Join('&', query)}");
                foreach (var m in found["mails"]!.AsArray())
                {
                    var at = m!["places"]![0]!;
                    Console.WriteLine($"{at["target"]}\t{at["point"]}\t{at["path"]}\t{at["at"]}\t{m["date"]}\t{m["from"]}\t{m["subject"]}");
                }
                if ((bool)found["isMore"]!)
                    await Console.Error.WriteLineAsync($"The newest {found["mails"]!.AsArray().Count} messages; say more of it.");
                await NotSearched(found);
            }
        );
    }

    private static Command Mail()
    {
        var (id, point) = (BackupCommands.Id(), new Argument<string>("POINT") { Description = "a restore point's id" });
        var path = new Argument<string>("PATH") { Description = "the mailbox in the point, or the message's own file" };
        var at = new Argument<long>("AT") { Description = "where in the mailbox it begins; 0 in a file of its own" };
        var into = new Option<string?>("--into") { Description = "put it at the end of this mailbox of the server's machine" };
        return ServerCommands.Make(
            "mail",
            "Write a message of a restore point to standard output as it was received, or put it back into a mailbox.",
            [id, point, path, at, into],
            async (http, parsed) =>
            {
                var (target, of) = (parsed.GetRequiredValue(id), parsed.GetRequiredValue(point));
                var (mailbox, begins) = (parsed.GetRequiredValue(path), parsed.GetRequiredValue(at));
                if (parsed.GetValue(into) is { } file)
                {
                    var order = new JsonObject
                    {
                        ["point"] = of,
                        ["path"] = mailbox,
                        ["at"] = begins,
                        ["into"] = file,
                    };
                    await BackupCommands.Post(http, $"/api/targets/{target}/restored-messages", order);
                    return;
                }
                var address =
                    $"/api/targets/{target}/points/{Uri.EscapeDataString(of)}/message.eml?path={Uri.EscapeDataString(mailbox)}&at={begins}";
                using var answer = await http.GetAsync(new Uri(address, UriKind.Relative), HttpCompletionOption.ResponseHeadersRead);
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                await using var output = Console.OpenStandardOutput();
                await answer.Content.CopyToAsync(output);
            }
        );
    }

    private static async Task NotSearched(JsonNode found)
    {
        foreach (var not in found["notSearched"]!.AsArray())
            await Console.Error.WriteLineAsync($"Not searched, {not!["target"]}: {not["why"]}");
    }

    private static Command Compare()
    {
        var (id, point) = (BackupCommands.Id(), new Argument<string>("POINT") { Description = "a restore point's id" });
        var (since, under) = (
            new Option<string>("--since") { Description = "the earlier point's id", Required = true },
            new Option<string?>("--under") { Description = "only a path of it, and what lies in it" }
        );
        return ServerCommands.Make(
            "compare",
            "Print what a point has otherwise than an earlier one: added, removed or changed, bytes more, path.",
            [id, point, since, under],
            async (http, parsed) =>
            {
                var d = (
                    await BackupCommands.Get(
                        http,
                        $"/api/targets/{parsed.GetRequiredValue(id)}/points/{Uri.EscapeDataString(parsed.GetRequiredValue(point))}/differences"
                            + $"?since={Uri.EscapeDataString(parsed.GetRequiredValue(since))}&under={Uri.EscapeDataString(parsed.GetValue(under) ?? "")}"
                    )
                )!;
                foreach (var one in d["differences"]!.AsArray())
                {
                    var what =
                        one!["before"] is null ? "added"
                        : one["after"] is null ? "removed"
                        : "changed";
                    var more = (long)(one["after"]?["bytes"] ?? 0)! - (long)(one["before"]?["bytes"] ?? 0)!;
                    Console.WriteLine($"{what}\t{more}\t{one["path"]}");
                }
                await Console.Error.WriteLineAsync($"{d["added"]} added, {d["removed"]} removed, {d["changed"]} changed");
            }
        );
    }

    private static Command Rehearse()
    {
        var (id, point) = (
            BackupCommands.Id(),
            new Argument<string>("POINT") { Description = "a restore point's id, or the day of a plan's point" }
        );
        var (plan, workload) = (
            new Option<string?>("--plan") { Description = "the plan whose point it is; with --workload" },
            new Option<string?>("--workload") { Description = "what it protects" }
        );
        var (choice, days) = (RecallCommands.Choice(), RecallCommands.Days());
        return ServerCommands.Make(
            "rehearse",
            "Restore a point for a trial, into nowhere: every byte is compared, and a record kept.",
            [id, point, plan, workload, choice, days],
            async (http, parsed) =>
            {
                var (target, of) = (parsed.GetRequiredValue(id), parsed.GetRequiredValue(point));
                if (parsed.GetValue(plan) is { } planned)
                {
                    var asked = new JsonObject
                    {
                        ["plan"] = planned,
                        ["workload"] =
                            parsed.GetValue(workload) ?? throw new ServerCommands.RefusedException("Say what of the plan: --workload."),
                        ["target"] = target,
                        ["taken"] = of,
                    };
                    var record = (await BackupCommands.Post(http, "/api/rehearsals", asked))!;
                    Console.WriteLine($"{record["bytes"]} bytes in {record["seconds"]} s for {record["money"]}");
                    return;
                }
                var order = new JsonObject { ["point"] = of, ["recall"] = RecallCommands.Of(parsed, choice, days) };
                var job = await BackupCommands.Finished(http, target, "rehearsals", order);
                if (Waits(job))
                    return;
                Console.WriteLine($"{job["files"]} files, {job["bytes"]} bytes compared");
                BackupCommands.Demand(job);
            }
        );
    }

    private static Command RecoverySheet()
    {
        var id = BackupCommands.Id();
        return ServerCommands.Make(
            "recovery-sheet",
            "Print what is needed to restore from a target's pool when nothing else is left; the passphrase and keys' secrets are not on it.",
            [id],
            async (http, parsed) =>
            {
                var sheet = await BackupCommands.Get(http, $"/api/targets/{parsed.GetRequiredValue(id)}/recovery-sheet");
                Console.WriteLine($"pool\t{sheet["pool"]}, format {sheet["format"]}, made {sheet["made"]}");
                foreach (var place in sheet["places"]!.AsArray())
                    Console.WriteLine($"place\t{place}");
                foreach (var key in sheet["keys"]!.AsArray())
                    Console.WriteLine(
                        $"key\t{key!["id"]}, of '{key["access"]}'{((string?)key["ends"] is { } ends ? $", until {ends}" : "")}"
                    );
                foreach (var missing in sheet["missing"]!.AsArray())
                    Console.WriteLine($"missing\t{missing}");
                Console.WriteLine($"restore\t{sheet["command"]}");
            }
        );
    }

    private static Command RestoreRecords() =>
        ServerCommands.Make(
            "restore-records",
            "Print restores and rehearsals that were done, newest first, as CSV.",
            [],
            async (http, _) => Console.Write(await http.GetStringAsync(new Uri("/api/restore-records.csv", UriKind.Relative)))
        );
}
