using System.CommandLine;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for legal holds, over a running server.</summary>
internal static class HoldCommands
{
    public static Command Make() =>
        new("hold", "Place and release legal holds: what they match cannot go until they are released.") { List(), Place(), Release() };

    private static Command List()
    {
        var bucket = new Argument<string>("BUCKET");
        return ServerCommands.Make(
            "list",
            "Print a bucket's holds: tab-separated id, prefix, tags, placed, released, objects, bytes, reason.",
            [bucket],
            async (http, parsed) =>
            {
                foreach (var h in (await BackupCommands.Get(http, $"/api/buckets/{parsed.GetRequiredValue(bucket)}/holds")).AsArray())
                {
                    var (hold, matched) = (h!["hold"]!, h["matched"]!);
                    var tags = hold["tags"]?.AsObject().Select(t => $"{t.Key}={t.Value}") ?? [];
                    Console.WriteLine(
                        $"{hold["id"]}\t{hold["prefix"]}\t{string.Join(',', tags)}\t{hold["placed"]}\t{hold["released"] ?? "-"}\t"
                            + $"{matched["objects"]}\t{matched["bytes"]}\t{hold["reason"]}"
                    );
                }
            }
        );
    }

    private static (Option<string> Reason, Option<string> By) Said() =>
        (
            new Option<string>("--reason") { Description = "why; the log keeps it", Required = true },
            new Option<string>("--by") { Description = "who answers for it", Required = true }
        );

    private static Command Place()
    {
        var (bucket, id) = (new Argument<string>("BUCKET"), new Argument<string>("CASE") { Description = "the hold's id" });
        var (reason, by) = Said();
        var prefix = new Option<string>("--prefix") { Description = "what begins so; left out: everything", DefaultValueFactory = _ => "" };
        var tags = new Option<string[]>("--tag") { Description = "only what carries NAME=VALUE; several: all of them" };
        return ServerCommands.Make(
            "place",
            "Place a hold from now on.",
            [bucket, id, prefix, tags, reason, by],
            async (http, parsed) =>
            {
                var order = new JsonObject
                {
                    ["id"] = parsed.GetRequiredValue(id),
                    ["prefix"] = parsed.GetRequiredValue(prefix),
                    ["tags"] = parsed.GetValue(tags) is { Length: > 0 } some ? new JsonObject(some.Select(Tag)) : null,
                    ["reason"] = parsed.GetRequiredValue(reason),
                    ["by"] = parsed.GetRequiredValue(by),
                };
                await Post(http, parsed.GetRequiredValue(bucket), "holds", order);
                Console.WriteLine($"{order["id"]} holds");
            }
        );
    }

    private static KeyValuePair<string, JsonNode?> Tag(string text) =>
        text.IndexOf('=', StringComparison.Ordinal) is > 0 and var at
            ? new(text[..at], text[(at + 1)..])
            : throw new ServerCommands.RefusedException($"'{text}' is no tag; write NAME=VALUE.");

    private static Command Release()
    {
        var (bucket, id) = (new Argument<string>("BUCKET"), new Argument<string>("CASE") { Description = "the hold's id" });
        var (reason, by) = Said();
        return ServerCommands.Make(
            "release",
            "Release a hold: what nothing else keeps can go from now on.",
            [bucket, id, reason, by],
            async (http, parsed) =>
            {
                var hold = parsed.GetRequiredValue(id);
                var order = new JsonObject
                {
                    ["reason"] = parsed.GetRequiredValue(reason),
                    ["by"] = parsed.GetRequiredValue(by),
                    ["confirm"] = hold,
                };
                await Post(http, parsed.GetRequiredValue(bucket), $"holds/{hold}/release", order);
                Console.WriteLine($"{hold} is released");
            }
        );
    }

    private static async Task Post(HttpClient http, string bucket, string what, JsonObject order)
    {
        using var read = await http.GetAsync(new Uri($"/api/buckets/{bucket}?stock=false", UriKind.Relative));
        await ServerCommands.Answer(read);
        http.DefaultRequestHeaders.IfMatch.Add(read.Headers.ETag!);
        await ServerCommands.Answer(await http.PostOrder($"/api/buckets/{bucket}/{what}", order));
    }
}
