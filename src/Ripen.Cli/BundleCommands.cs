using System.CommandLine;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for bundles of small objects, over a running server.</summary>
internal static class BundleCommands
{
    public static IEnumerable<Command> All() => [Bundle(), Members(), Member()];

    private static string In(string bucket) => $"/api/buckets/{Uri.EscapeDataString(bucket)}";

    private static string Path(string key) => string.Join('/', key.Split('/').Select(Uri.EscapeDataString));

    private static Command Bundle()
    {
        var bucket = new Argument<string>("BUCKET");
        var prefix = new Argument<string>("PREFIX") { Description = "what begins so; left out: everything", DefaultValueFactory = _ => "" };
        var smaller = new Option<long>("--smaller-than")
        {
            Description = "only objects of fewer bytes",
            DefaultValueFactory = _ => 1_000_000,
        };
        var draft = new Option<bool>("--draft") { Description = "only print what it would do, cost and save" };
        return ServerCommands.Make(
            "bundle",
            "Put small objects into a tar archive with an index beside it; they go when it has been read back and compared.",
            [bucket, prefix, smaller, draft],
            async (http, parsed) =>
            {
                var order = new JsonObject { ["prefix"] = parsed.GetRequiredValue(prefix), ["smallerThan"] = parsed.GetValue(smaller) };
                var path = $"{In(parsed.GetRequiredValue(bucket))}/{(parsed.GetValue(draft) ? "bundle-drafts" : "bundles")}";
                Console.WriteLine(await ServerCommands.Answer(await http.PostOrder(path, order)));
            }
        );
    }

    private static Command Members()
    {
        var (bucket, bundle) = (new Argument<string>("BUCKET"), new Argument<string>("BUNDLE") { Description = "the archive's key" });
        return ServerCommands.Make(
            "bundle-members",
            "Print what lies in a bundle: tab-separated key, bytes, offset, SHA-256.",
            [bucket, bundle],
            async (http, parsed) =>
            {
                var path = $"{In(parsed.GetRequiredValue(bucket))}/bundle-members/{Path(parsed.GetRequiredValue(bundle))}";
                var index = (await ServerCommands.Answer(await http.GetAsync(new Uri(path, UriKind.Relative))))!;
                foreach (var m in index["members"]!.AsArray())
                    Console.WriteLine($"{m!["key"]}\t{m["bytes"]}\t{m["offset"]}\t{m["sha256"]}");
            }
        );
    }

    private static Command Member()
    {
        var (bucket, bundle) = (new Argument<string>("BUCKET"), new Argument<string>("BUNDLE") { Description = "the archive's key" });
        var key = new Argument<string>("KEY") { Description = "the key that the object had" };
        return ServerCommands.Make(
            "bundle-member",
            "Write one member of a bundle to standard output.",
            [bucket, bundle, key],
            async (http, parsed) =>
            {
                var path =
                    $"{In(parsed.GetRequiredValue(bucket))}/bundle-member/{Path(parsed.GetRequiredValue(bundle))}"
                    + $"?member={Uri.EscapeDataString(parsed.GetRequiredValue(key))}";
                using var answer = await http.GetAsync(new Uri(path, UriKind.Relative), HttpCompletionOption.ResponseHeadersRead);
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                await using var to = Console.OpenStandardOutput();
                await answer.Content.CopyToAsync(to);
            }
        );
    }
}
