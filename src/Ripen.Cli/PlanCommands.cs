using System.CommandLine;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for backup plans and what they protect, over a running server.</summary>
internal static class PlanCommands
{
    public static IEnumerable<Command> All() => [Plan(), Workload()];

    private static Command Plan()
    {
        var file = new Argument<FileInfo>("FILE") { Description = "the plan as in a document, as JSON" };
        var id = new Argument<string>("PLAN") { Description = "its id" };
        var workload = new Argument<string>("WORKLOAD") { Description = "one of the plan's, with a source" };
        var until = new Option<string?>("--until") { Description = "the first day on which its point is kept no more" };
        var discard = new Option<bool>("--discard-points") { Description = "give up points that go with it" };
        return new Command("plan", "Make, change and remove backup plans; print their runs.")
        {
            ServerCommands.Make(
                "list",
                "Print the plans: id, what they protect, targets, points, newest, bytes that points need.",
                [],
                async (http, _) =>
                {
                    foreach (var p in (await Read(http, "/api/plans"))["plans"]!.AsArray())
                    {
                        var (plan, branches) = (p!["plan"]!, p["branches"]!.AsArray());
                        var targets = branches.Select(b => (string)b!["target"]!).Distinct();
                        var newest = branches.Select(b => (string?)b!["newest"]).Max() ?? "-";
                        Console.WriteLine(
                            $"{plan["id"]}\t{string.Join(' ', plan["workloads"]!.AsArray())}\t{string.Join(' ', targets)}\t"
                                + $"{branches.Sum(b => (int)b!["points"]!)}\t{newest}\t{branches.Sum(b => (double)b!["neededBytes"]!):R}"
                        );
                    }
                }
            ),
            ServerCommands.Make(
                "foresee",
                "Print what would follow from a plan, as JSON. Nothing is done.",
                [file],
                async (http, parsed) =>
                {
                    using var body = Body(await Text(parsed.GetRequiredValue(file)));
                    Console.WriteLine(await ServerCommands.Answer(await http.PostAsync(At("/api/plans/draft"), body)));
                }
            ),
            ServerCommands.Make(
                "put",
                "Make a plan, or put it in the place of the one of its id.",
                [file, discard],
                (http, parsed) => Put(http, "plans", parsed.GetRequiredValue(file), parsed.GetValue(discard))
            ),
            List("periods", "retention-periods", "retentionPeriods", "how long the organisation has to keep what"),
            List("carriers", "carriers", "carriers", "the machines that carry what plans store"),
            ServerCommands.Make(
                "remove",
                "Remove a plan.",
                [id, discard],
                (http, parsed) => Remove(http, "plans", parsed.GetRequiredValue(id), parsed.GetValue(discard))
            ),
            ServerCommands.Make(
                "run",
                "Take a point of a workload with a source now, outside the plan's times; its id is printed.",
                [id, workload, until],
                async (http, parsed) =>
                {
                    var order = new JsonObject { ["workload"] = parsed.GetRequiredValue(workload), ["keptUntil"] = parsed.GetValue(until) };
                    var plan = parsed.GetRequiredValue(id);
                    await BackupCommands.Post(http, $"/api/plans/{Uri.EscapeDataString(plan)}/runs", order);
                    var plans = (await Read(http, "/api/plans"))["plans"]!.AsArray().Select(p => p!["plan"]!);
                    var job = await BackupCommands.Ended(http, (string)plans.First(p => (string)p["id"]! == plan)["target"]!);
                    BackupCommands.Demand(job);
                    Console.WriteLine((string)job["point"]!["id"]!);
                }
            ),
            ServerCommands.Make(
                "runs",
                "Print a plan's runs, newest first: day, workload, target, bytes protected and stored, or why it was missed.",
                [id],
                async (http, parsed) =>
                {
                    var address = $"/api/plans/runs?plan={Uri.EscapeDataString(parsed.GetRequiredValue(id))}";
                    foreach (var r in (await Read(http, address)).AsArray())
                    {
                        var done = r!["missed"] is { } why
                            ? $"missed: {why}"
                            : $"{(double)r["logicalBytes"]!:R}\t{(double)r["storedBytes"]!:R}";
                        Console.WriteLine($"{r["day"]}\t{r["workload"]}\t{r["target"]}\t{done}");
                    }
                }
            ),
        };
    }

    private static Command Workload()
    {
        var file = new Argument<FileInfo>("FILE") { Description = "the workload as in a document, as JSON" };
        var id = new Argument<string>("WORKLOAD") { Description = "its id" };
        var on = new Option<DateOnly?>("--on") { Description = "judged after that day's runs; without it now" };
        return new Command("workload", "Say what backup plans protect, and see whether it is.")
        {
            ServerCommands.Make(
                "list",
                "Print the workloads: id, bytes, recovery point, recovery time, 3-2-1, points.",
                [on],
                async (http, parsed) =>
                {
                    var day = parsed.GetValue(on) is { } d ? $"?on={d:yyyy-MM-dd}" : "";
                    var read = await Read(http, $"/api/workloads{day}");
                    foreach (var (w, j) in read["workloads"]!.AsArray().Zip(read["judgements"]!.AsArray()))
                        Console.WriteLine(
                            $"{w!["id"]}\t{(double)w["bytes"]!:R}\t{j!["rpo"]}\t{j["rto"]}\t{j["threeTwoOne"]}\t{j["points"]}"
                        );
                }
            ),
            ServerCommands.Make(
                "put",
                "Add a workload, or put it in the place of the one of its id.",
                [file],
                (http, parsed) => Put(http, "workloads", parsed.GetRequiredValue(file), discardPoints: false)
            ),
            ServerCommands.Make(
                "remove",
                "Remove a workload that no plan protects.",
                [id],
                (http, parsed) => Remove(http, "workloads", parsed.GetRequiredValue(id), discardPoints: false)
            ),
        };
    }

    /// <summary>Puts a part of the estate in the place of the one of its id, as it was when it was looked at last.</summary>
    internal static async Task Put(HttpClient http, string what, FileInfo file, bool discardPoints = false)
    {
        var json = await Text(file);
        var id = (string?)JsonNode.Parse(json)?["id"] ?? "unnamed";
        await ServerCommands.Replace(http, At($"/api/{what}"), At(Address(what, id, discardPoints)), Body(json));
    }

    internal static async Task Remove(HttpClient http, string what, string id, bool discardPoints = false)
    {
        using var request = new HttpRequestMessage(HttpMethod.Delete, At(Address(what, id, discardPoints)));
        request.Headers.IfMatch.Add(await Tag(http, what));
        await ServerCommands.Answer(await http.SendAsync(request));
    }

    private static string Address(string what, string id, bool discardPoints) =>
        $"/api/{what}/{Uri.EscapeDataString(id)}{(discardPoints ? "?discardPoints=true" : "")}";

    private static async Task<EntityTagHeaderValue> Tag(HttpClient http, string what)
    {
        var response = await http.GetAsync(At($"/api/{what}"));
        await ServerCommands.Answer(response);
        return response.Headers.ETag!;
    }

    private static async Task<JsonNode> Read(HttpClient http, string address) =>
        (await ServerCommands.Answer(await http.GetAsync(At(address))))!;

    /// <summary>A list that is read and written whole.</summary>
    private static Command List(string name, string address, string property, string about)
    {
        var file = new Option<FileInfo?>("--set") { Description = "put the list of this file (a JSON array) in its place" };
        return ServerCommands.Make(
            name,
            $"Print {about}, as JSON; or put another list in its place.",
            [file],
            async (http, parsed) =>
            {
                using var there = await http.GetAsync(At($"/api/{address}"));
                var list = (await ServerCommands.Answer(there))!;
                if (parsed.GetValue(file) is not { } next)
                {
                    Console.WriteLine(list[property]!.ToJsonString(Indented));
                    return;
                }
                using var order = new HttpRequestMessage(HttpMethod.Put, At($"/api/{address}"))
                {
                    Content = Body($$"""{ "{{property}}": {{await Text(next)}} }"""),
                };
                order.Headers.IfMatch.Add(there.Headers.ETag!);
                await ServerCommands.Answer(await http.SendAsync(order));
            }
        );
    }

    private static readonly System.Text.Json.JsonSerializerOptions Indented = new() { WriteIndented = true };

    private static Task<string> Text(FileInfo file) => File.ReadAllTextAsync(file.FullName);

    private static StringContent Body(string json) => new(json, Encoding.UTF8, "application/json");

    private static Uri At(string address) => new(address, UriKind.Relative);
}
