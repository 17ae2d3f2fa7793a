using System.CommandLine;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using static Ripen.Cli.BackupCommands;

namespace Ripen.Cli;

/// <summary>Commands for the cartridges and drives of targets.</summary>
internal static class CartridgeCommands
{
    public static Command Make()
    {
        var id = Id();
        var number = new Argument<int>("CARTRIDGE") { Description = "its number" };
        var drive = new Option<int>("--drive") { Description = "the drive's number", DefaultValueFactory = _ => 1 };
        var reading = new Option<bool>("--read") { Description = "for reading; otherwise for writing behind its last file" };
        var until = new Option<DateOnly?>("--keep-until") { Description = "not begun anew before this day; can only be made later" };
        var off = new Option<bool>("--off") { Description = "takes the write protection away" };
        var tier = new Argument<string>("TIER") { Description = "the tier in which it is to rest" };
        var file = new Option<int?>("--file") { Description = "one file of it; left out: all as a tar archive" };
        var to = new Option<string>("--out") { Description = "write it here", Required = true };
        return new Command("cartridge", "Work with a target's cartridges and drives.")
        {
            ServerCommands.Make(
                "make",
                $"Make the target's library. The passphrase is read from {PassphraseVariable}, or from standard input.",
                [id],
                async (http, parsed) =>
                {
                    await Post(
                        http,
                        $"/api/targets/{parsed.GetRequiredValue(id)}/library",
                        new JsonObject { ["passphrase"] = Passphrase() }
                    );
                    Console.WriteLine("made");
                }
            ),
            ServerCommands.Make(
                "unlock",
                "Give the passphrase of a library that the server cannot open, in the same way.",
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
            ServerCommands.Make("list", "Print cartridges and drives.", [id], List(id)),
            ServerCommands.Make(
                "add",
                "Add a blank cartridge.",
                [id],
                async (http, parsed) =>
                    Console.WriteLine(
                        (await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/cartridges", new JsonObject()))!["number"]
                    )
            ),
            ServerCommands.Make(
                "load",
                "Put a cartridge into a drive, and print the path of its pipe.",
                [id, number, drive, reading],
                async (http, parsed) =>
                {
                    var order = new JsonObject
                    {
                        ["cartridge"] = parsed.GetRequiredValue(number),
                        ["use"] = parsed.GetValue(reading) ? "read" : "write",
                    };
                    var address = $"/api/targets/{parsed.GetRequiredValue(id)}/drives/{parsed.GetValue(drive)}";
                    var loaded = await ServerCommands.Answer(await http.PutOrder(new Uri(address, UriKind.Relative), order));
                    Console.WriteLine(loaded!["path"]);
                }
            ),
            ServerCommands.Make(
                "unload",
                "Take the cartridge out of a drive.",
                [id, drive],
                async (http, parsed) => await Delete(http, $"/api/targets/{parsed.GetRequiredValue(id)}/drives/{parsed.GetValue(drive)}")
            ),
            ServerCommands.Make(
                "protect",
                "Write-protect a cartridge, or keep it until a day.",
                [id, number, until, off],
                async (http, parsed) =>
                {
                    var order = new JsonObject { ["protected"] = !parsed.GetValue(off), ["keepUntil"] = parsed.GetValue(until).Text() };
                    var address = $"/api/targets/{parsed.GetRequiredValue(id)}/cartridges/{parsed.GetRequiredValue(number)}";
                    await ServerCommands.Answer(await http.PutOrder(new Uri(address, UriKind.Relative), order));
                }
            ),
            ServerCommands.Make(
                "erase",
                "Begin a cartridge anew: what is on it is gone.",
                [id, number],
                async (http, parsed) =>
                    await Delete(http, $"/api/targets/{parsed.GetRequiredValue(id)}/cartridges/{parsed.GetRequiredValue(number)}/content")
            ),
            ServerCommands.Make(
                "rest",
                "Put a cartridge away into a tier, or bring it back; prints the wait of a recall in hours.",
                [id, number, tier],
                async (http, parsed) =>
                {
                    var address = $"/api/targets/{parsed.GetRequiredValue(id)}/cartridges/{parsed.GetRequiredValue(number)}/rest";
                    Console.WriteLine(
                        (await Post(http, address, new JsonObject { ["tier"] = parsed.GetRequiredValue(tier) }))!["waitBefore"]
                    );
                }
            ),
            ServerCommands.Make(
                "get",
                "Write what is on a cartridge into a file of this machine.",
                [id, number, file, to],
                async (http, parsed) =>
                {
                    var cartridge = $"/api/targets/{parsed.GetRequiredValue(id)}/cartridges/{parsed.GetRequiredValue(number)}";
                    var address = parsed.GetValue(file) is { } one ? $"{cartridge}/files/{one}" : $"{cartridge}/content";
                    using var response = await http.GetAsync(new Uri(address, UriKind.Relative), HttpCompletionOption.ResponseHeadersRead);
                    if (!response.IsSuccessStatusCode)
                        await ServerCommands.Answer(response);
                    await using var written = File.Create(parsed.GetRequiredValue(to));
                    await response.Content.CopyToAsync(written);
                }
            ),
        };
    }

    private static Func<HttpClient, ParseResult, Task> List(Argument<string> id) =>
        async (http, parsed) =>
        {
            var library = await Get(http, $"/api/targets/{parsed.GetRequiredValue(id)}/library");
            foreach (var d in library["drives"]!.AsArray())
            {
                var status = d!["status"]!;
                Console.WriteLine($"drive\t{d["number"]}\t{d["path"]}\t{status["cartridge"]}\t{status["said"]}");
            }
            Console.WriteLine("cartridge\tfiles\tbytes\tdrive\ttier\taway\tprotected\tkeepUntil");
            foreach (var c in library["cartridges"]!.AsArray())
            {
                var label = c!["label"]!;
                Console.WriteLine(
                    $"{label["number"]}\t{c["files"]!.AsArray().Count}\t{c["bytes"]}\t{c["drive"]}\t{c["tier"]}\t{c["isAway"]}\t{label["protected"]}\t{label["keepUntil"]}"
                );
            }
        };
}
