using System.CommandLine;
using System.Text.Json.Nodes;
using static Ripen.Cli.BackupCommands;

namespace Ripen.Cli;

/// <summary>Commands for the block volumes of targets.</summary>
internal static class VolumeCommands
{
    public static Command Make()
    {
        var id = Id();
        var name = new Argument<string>("NAME") { Description = "for people" };
        var snapshot = new Argument<string>("SNAPSHOT") { Description = "its id, as status prints it" };
        return new Command("volume", "Make, unlock and look after a target's block volume; it is served over NBD.")
        {
            ServerCommands.Make(
                "make",
                $"Make the target's volume. The passphrase is read from {PassphraseVariable}, or from standard input.",
                [id],
                async (http, parsed) =>
                {
                    var target = parsed.GetRequiredValue(id);
                    await Post(http, $"/api/targets/{target}/volume", new JsonObject { ["passphrase"] = Passphrase() });
                    Console.WriteLine((await Get(http, $"/api/targets/{target}/volume"))["address"]);
                }
            ),
            ServerCommands.Make(
                "unlock",
                "Give the passphrase of a volume that the server cannot open, in the same way.",
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
            ServerCommands.Make("status", "Print where it is served, its journal, its read share, its snapshots.", [id], Status(id)),
            ServerCommands.Make(
                "drain",
                "Bring everything that was acknowledged into the bucket, and wait for it.",
                [id],
                async (http, parsed) =>
                {
                    await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/volume/drain", new JsonObject());
                    Console.WriteLine("everything acknowledged is in the bucket");
                }
            ),
            ServerCommands.Make(
                "snapshot",
                "Keep the volume as it is now.",
                [id, name],
                async (http, parsed) =>
                {
                    var order = new JsonObject { ["name"] = parsed.GetRequiredValue(name) };
                    Console.WriteLine((await Post(http, $"/api/targets/{parsed.GetRequiredValue(id)}/snapshots", order))!["id"]);
                }
            ),
            ServerCommands.Make(
                "offer",
                "Serve a snapshot over NBD, for reading only.",
                [id, snapshot],
                async (http, parsed) =>
                {
                    var address = $"/api/targets/{parsed.GetRequiredValue(id)}/snapshots/{parsed.GetRequiredValue(snapshot)}/export";
                    Console.WriteLine((await Post(http, address, new JsonObject()))!["address"]);
                }
            ),
            ServerCommands.Make(
                "forget",
                "Remove a snapshot, and what only it needed.",
                [id, snapshot],
                async (http, parsed) =>
                {
                    await Delete(http, $"/api/targets/{parsed.GetRequiredValue(id)}/snapshots/{parsed.GetRequiredValue(snapshot)}");
                    Console.WriteLine("removed");
                }
            ),
        };
    }

    private static Func<HttpClient, ParseResult, Task> Status(Argument<string> id) =>
        async (http, parsed) =>
        {
            var volume = await Get(http, $"/api/targets/{parsed.GetRequiredValue(id)}/volume");
            Console.WriteLine($"address\t{volume["address"] ?? volume["wrong"]}");
            Console.WriteLine($"bytes\t{volume["sizeBytes"]}");
            if (volume["status"] is { } status)
            {
                Console.WriteLine($"journal\t{status["journalBytes"]}");
                Console.WriteLine($"near\t{status["cachedBytes"]}");
                Console.WriteLine($"blocks\t{status["storedBlocks"]}");
                if (status["failure"] is { } failure)
                    Console.WriteLine($"failure\t{failure}");
            }
            foreach (var s in volume["snapshots"]!.AsArray())
            {
                var snapshot = s!["snapshot"]!;
                Console.WriteLine($"snapshot\t{snapshot["id"]}\t{snapshot["taken"]}\t{snapshot["name"]}\t{s["address"]}");
            }
        };
}
