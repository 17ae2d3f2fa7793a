using System.CommandLine;

namespace Ripen.Cli;

/// <summary>Commands for restores, rehearsals and their records, over a running server.</summary>
internal static class RestoreCommands
{
    public static IEnumerable<Command> All() => [Restore(), Rehearse(), RestoreRecords()];

    private static Command Restore()
    {
        var (id, point, path) = (
            BackupCommands.Id(),
            new Argument<string>("POINT") { Description = "a restore point's id" },
            new Argument<string>("PATH") { Description = "a path of the point; left out: everything", DefaultValueFactory = _ => "" }
        );
        var to = new Option<string?>("--to") { Description = "a folder of the server's machine, empty unless --existing says more" };
        var existing = new Option<string?>("--existing")
        {
            Description = "what becomes of what is there: kept, beside (the restored gets a dated name) or replaced",
        };
        existing.AcceptOnlyFromAmong("kept", "beside", "replaced");
        var file = new Option<string?>("--out") { Description = "write one file here, on this machine, instead" };
        return ServerCommands.Make(
            "restore",
            "Restore a point, a folder of it, or one file.",
            [id, point, path, to, existing, file],
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
                    existing = parsed.GetValue(existing) ?? "refused",
                };
                var job = await BackupCommands.Finished(http, target, "restores", order);
                Console.WriteLine(
                    $"{job["files"]} files, {job["bytes"]} bytes restored"
                        + ((long)job["left"]! is > 0 and var left ? $"; {left} files were there and are left as they were" : "")
                );
                BackupCommands.Demand(job);
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
        return ServerCommands.Make(
            "rehearse",
            "Restore a point for a trial, into nowhere: every byte is compared, and a record kept.",
            [id, point, plan, workload],
            async (http, parsed) =>
            {
                var (target, of) = (parsed.GetRequiredValue(id), parsed.GetRequiredValue(point));
                if (parsed.GetValue(plan) is { } planned)
                {
                    var asked = new
                    {
                        plan = planned,
                        workload = parsed.GetValue(workload)
                            ?? throw new ServerCommands.RefusedException("Say what of the plan: --workload."),
                        target,
                        taken = of,
                    };
                    var record = (await BackupCommands.Post(http, "/api/rehearsals", asked))!;
                    Console.WriteLine($"{record["bytes"]} bytes in {record["seconds"]} s for {record["money"]}");
                    return;
                }
                var job = await BackupCommands.Finished(http, target, "rehearsals", new { point = of });
                Console.WriteLine($"{job["files"]} files, {job["bytes"]} bytes compared");
                BackupCommands.Demand(job);
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
