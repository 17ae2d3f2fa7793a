using System.CommandLine;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>The command for the retention of single objects, over a running server.</summary>
internal static class ObjectKeepCommands
{
    public static Command Make()
    {
        var (bucket, key) = (new Argument<string>("BUCKET"), new Argument<string>("KEY"));
        var until = new Option<string?>("--until") { Description = "the first day on which it may go, as yyyy-MM-dd" };
        var days = new Option<int?>("--days") { Description = "so many days from its creation, instead of a day" };
        var seal = new Option<bool>("--sealed") { Description = "nobody can shorten or lift it; left out: it can be lifted" };
        var version = new Option<long?>("--version-id") { Description = "an earlier version; left out: the current one" };
        var by = new Option<string?>("--by") { Description = "who answers for it; needed for less than before" };
        var reason = new Option<string?>("--reason") { Description = "why; needed for less than before, the log keeps it" };
        var draft = new Option<bool>("--draft") { Description = "only print what it would do and cost" };
        return ServerCommands.Make(
            "keep",
            "Give an object retention of its own, or lengthen it; without --until and --days it is lifted. Prints what keeps it then.",
            [bucket, key, until, days, seal, version, by, reason, draft],
            async (http, parsed) =>
            {
                var order = new JsonObject
                {
                    ["until"] = parsed.GetValue(until),
                    ["days"] = parsed.GetValue(days),
                    ["strength"] = parsed.GetValue(seal) ? "sealed" : "liftable",
                    ["by"] = parsed.GetValue(by),
                    ["reason"] = parsed.GetValue(reason),
                };
                var path = string.Join('/', parsed.GetRequiredValue(key).Split('/').Select(Uri.EscapeDataString));
                var query = parsed.GetValue(version) is { } one ? $"?version={one}" : "";
                var start = $"/api/buckets/{Uri.EscapeDataString(parsed.GetRequiredValue(bucket))}";
                var answer = await ServerCommands.Answer(
                    parsed.GetValue(draft)
                        ? await http.PostOrder($"{start}/kept-drafts/{path}{query}", order)
                        : await http.PutOrder($"{start}/kept/{path}{query}", order)
                );
                Console.WriteLine(answer);
            }
        );
    }
}
