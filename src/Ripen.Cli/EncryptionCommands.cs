using System.CommandLine;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>The commands on encryption at rest.</summary>
internal static class EncryptionCommands
{
    public static Command Encryption()
    {
        var command = ServerCommands.Make(
            "encryption",
            "Say what encrypts a bucket's contents at rest; without a bucket, the provider's key and what it encrypts.",
            [Bucket(optional: true)],
            async (http, parsed) => Print(await ServerCommands.Answer(await http.GetAsync(Address(parsed.GetValue<string?>("BUCKET"), ""))))
        );
        command.Subcommands.Add(
            Change(
                "rotate",
                "Put a new key in the place of the bucket's own, or of the provider's; no content is rewritten.",
                optional: true
            )
        );
        command.Subcommands.Add(
            Change(
                "withdraw",
                "Withdraw the bucket's own key: nothing in it can be read or written until it is given back.",
                optional: false
            )
        );
        command.Subcommands.Add(Change("give-back", "Give a withdrawn key back.", optional: false));
        return command;
    }

    private static Argument<string?> Bucket(bool optional) =>
        new("BUCKET") { Arity = optional ? ArgumentArity.ZeroOrOne : ArgumentArity.ExactlyOne };

    private static Command Change(string verb, string description, bool optional) =>
        ServerCommands.Make(
            verb,
            description,
            [Bucket(optional)],
            async (http, parsed) =>
            {
                var bucket = parsed.GetValue<string?>("BUCKET");
                using var body = verb == "withdraw" ? Orders.Body(new JsonObject { ["confirm"] = bucket }) : null;
                Print(await ServerCommands.Answer(await http.PostAsync(Address(bucket, $"/{verb}"), body)));
            }
        );

    private static Uri Address(string? bucket, string rest) =>
        new(bucket is null ? $"/api/encryption{rest}" : $"/api/buckets/{bucket}/encryption{rest}", UriKind.Relative);

    private static void Print(JsonNode? seal)
    {
        Console.WriteLine("key\towner\tstate\tobjects\tbytes\twaiting\tplain\tfile");
        Console.WriteLine(
            $"{seal!["key"]}\t{((bool)seal["isBuckets"]! ? "bucket" : "provider")}\t{seal["state"]}\t{seal["objects"]}\t{seal["bytes"]}\t{seal["waiting"]}\t{seal["plain"]}\t{seal["file"]}"
        );
    }
}
