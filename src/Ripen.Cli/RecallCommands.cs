using System.CommandLine;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands about what rests where reading takes a wait: recalls, and the restores that wait for them.</summary>
internal static class RecallCommands
{
    public static IEnumerable<Command> All() => [Recall(), RecallCosts(), Waiting(), GiveUp()];

    public static Option<string?> Choice() =>
        new("--recall")
        {
            Description = "recall first what rests where reading takes a wait, at this speed ('ordinary', or an id of the price book)",
        };

    public static Option<int> Days() =>
        new("--recall-days") { Description = "how many days the copies stay readable", DefaultValueFactory = _ => 1 };

    /// <summary>What the two say together; null when nothing is to be recalled.</summary>
    public static JsonObject? Of(ParseResult parsed, Option<string?> choice, Option<int> days) =>
        parsed.GetValue(choice) is { } speed ? new JsonObject { ["speed"] = Speed(speed), ["days"] = parsed.GetValue(days) } : null;

    private static string? Speed(string name) => name == "ordinary" ? null : name;

    private static (Argument<string> Bucket, Argument<string> What, Option<bool> One, Option<string> Speed, Option<int> Days) Words() =>
        (
            new Argument<string>("BUCKET"),
            new Argument<string>("PREFIX") { Description = "what begins so; left out: everything", DefaultValueFactory = _ => "" },
            new Option<bool>("--key") { Description = "PREFIX is the key of one object" },
            new Option<string>("--speed") { Description = "a recall speed of the price book", DefaultValueFactory = _ => "ordinary" },
            new Option<int>("--days") { Description = "how many days the copies stay readable", DefaultValueFactory = _ => 7 }
        );

    private static JsonObject Order(string what, bool one, int days, string? speed) =>
        one
            ? new JsonObject
            {
                ["keys"] = Orders.List([what]),
                ["days"] = days,
                ["speed"] = speed,
            }
            : new JsonObject
            {
                ["prefix"] = what,
                ["days"] = days,
                ["speed"] = speed,
            };

    private static Command Recall()
    {
        var (bucket, what, one, speed, days) = Words();
        return ServerCommands.Make(
            "recall",
            "Recall what rests where reading takes a wait: copies are readable for some days, and what they are of stays where it is.",
            [bucket, what, one, speed, days],
            async (http, parsed) =>
            {
                var order = Order(
                    parsed.GetRequiredValue(what),
                    parsed.GetValue(one),
                    parsed.GetValue(days),
                    Speed(parsed.GetRequiredValue(speed))
                );
                var done = await BackupCommands.Post(http, $"/api/buckets/{parsed.GetRequiredValue(bucket)}/recalls", order);
                Console.WriteLine(
                    $"{done!["objects"]} objects, {done["bytes"]} bytes, readable from {done["readyFrom"]} until {done["until"]}"
                );
            }
        );
    }

    private static Command RecallCosts()
    {
        var (bucket, what, one, _, days) = Words();
        return ServerCommands.Make(
            "recall-costs",
            "Print what a recall costs and takes: tab-separated speed, ready from, once, storage of the copies. Nothing is done.",
            [bucket, what, one, days],
            async (http, parsed) =>
            {
                var order = Order(parsed.GetRequiredValue(what), parsed.GetValue(one), parsed.GetValue(days), null);
                var answer = await BackupCommands.Post(http, $"/api/buckets/{parsed.GetRequiredValue(bucket)}/recalls/draft", order);
                foreach (var at in answer!.AsArray())
                    Print(at!);
            }
        );
    }

    public static void Print(JsonNode at) =>
        Console.WriteLine(
            $"{at["speed"] ?? "ordinary"}\t{at["recall"]!["readyFrom"]}\t{at["recall"]!["onceCharge"]}\t{at["recall"]!["storageCharge"]}"
        );

    private static Command Waiting()
    {
        var id = BackupCommands.Id();
        return ServerCommands.Make(
            "waiting-restores",
            "Print restores and rehearsals that wait for a recall: tab-separated id, ready from, point, path, place.",
            [id],
            async (http, parsed) =>
            {
                foreach (var w in (await BackupCommands.Get(http, $"/api/targets/{parsed.GetRequiredValue(id)}/restores")).AsArray())
                    Console.WriteLine($"{w!["id"]}\t{w["readyFrom"]}\t{w["point"]}\t{w["under"]}\t{w["into"] ?? "a rehearsal"}");
            }
        );
    }

    private static Command GiveUp()
    {
        var (id, restore) = (BackupCommands.Id(), new Argument<long>("ID") { Description = "of 'waiting-restores'" });
        return ServerCommands.Make(
            "give-up-restore",
            "Give a restore up that waits; what was recalled stays readable until its day.",
            [id, restore],
            async (http, parsed) =>
                await BackupCommands.Delete(http, $"/api/targets/{parsed.GetRequiredValue(id)}/restores/{parsed.GetValue(restore)}")
        );
    }
}
