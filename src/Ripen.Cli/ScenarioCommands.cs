using System.CommandLine;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for what-ifs of a running server.</summary>
internal static class ScenarioCommands
{
    private const string At = "/api/scenarios";

    private static readonly Option<int> Months = new("--months") { Description = "the horizon", DefaultValueFactory = _ => 120 };

    public static IEnumerable<Command> All() => [List(), Set(), Difference(), Rows(), HowSure()];

    private static Command List() =>
        OutlookCommands.List(
            "scenarios",
            "List scenarios with what the estate costs under each: id, name, and the money of years 1, 3 and 10.",
            "the scenarios themselves, as scenarios-set takes them",
            At
        );

    private static Command Set() =>
        OutlookCommands.Set(
            "scenarios-set",
            "Put a list of scenarios in the place of the one there is.",
            new Argument<FileInfo>("SCENARIOS") { Description = "{ \"scenarios\": [ … ] }" },
            At
        );

    private static Command Difference()
    {
        var id = Id();
        var by = new Option<string>("--by")
        {
            Description = "bucket, charge, tier, region, tenant, year or month",
            DefaultValueFactory = _ => "bucket",
        };
        return ServerCommands.Make(
            "scenario",
            "Print where a scenario's difference comes from: a line each with before, what each assumption adds, and after.",
            [id, by, Months],
            async (http, parsed) =>
            {
                var answer = await ServerCommands.Answer(
                    await http.GetAsync(
                        Path(
                            $"/{Escaped(parsed.GetRequiredValue(id))}/difference?by={parsed.GetValue(by)}&months={parsed.GetValue(Months)}"
                        )
                    )
                );
                if (answer!["difference"] is not { } difference)
                    throw new ServerCommands.RefusedException((string)answer["problems"]![0]!["message"]!);
                foreach (var line in difference["lines"]!.AsArray())
                    Print((string)line!["name"]!, line["before"]!, line["changes"]!, line["after"]!);
                var totals = difference["totals"]!.AsArray();
                Print("in all", totals[0]!, difference["changes"]!, totals[^1]!);
            }
        );
    }

    private static Command Rows()
    {
        var id = Id();
        var format = new Option<string>("--format") { Description = "csv, xlsx, parquet or focus.csv", DefaultValueFactory = _ => "csv" };
        var file = new Option<FileInfo?>("--out") { Description = "a file; standard output without it" };
        return ServerCommands.Make(
            "scenario-rows",
            "Write every row of the bill under a scenario.",
            [id, format, file, Months],
            async (http, parsed) =>
            {
                using var answer = await http.GetAsync(
                    Path($"/{Escaped(parsed.GetRequiredValue(id))}/rows.{parsed.GetValue(format)}?months={parsed.GetValue(Months)}"),
                    HttpCompletionOption.ResponseHeadersRead
                );
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                await using var to = parsed.GetValue(file) is { } named ? named.Create() : Console.OpenStandardOutput();
                await answer.Content.CopyToAsync(to);
            }
        );
    }

    private static Command HowSure()
    {
        var growth = Range("--growth", "added to the growth of everything in a year: 0.1 is ten points", "0,0,0");
        var reading = Range("--reading", "so many times as often is everything read", "1,1,1");
        var prices = Range("--prices", "by how much all prices rise in a year: 0.1 is ten per cent", "0,0,0");
        var seed = new Option<int>("--seed") { Description = "repeats the very same draws", DefaultValueFactory = _ => 1 };
        var runs = new Option<int>("--runs") { Description = "how many futures", DefaultValueFactory = _ => 1000 };
        var scenario = new Option<string?>("--scenario") { Description = "under this scenario" };
        return ServerCommands.Make(
            "how-sure",
            "Print what years cost when growth, reading and prices are not known: year, P10, P50, P90; then what moves the sum most.",
            [growth, reading, prices, seed, runs, scenario, Months],
            async (http, parsed) =>
            {
                var query = string.Join(
                    '&',
                    new[] { growth, reading, prices }
                        .Select(o => $"{o.Name[2..]}={Escaped(parsed.GetValue(o)!)}")
                        .Append($"seed={parsed.GetValue(seed)}&runs={parsed.GetValue(runs)}&months={parsed.GetValue(Months)}")
                        .Append(parsed.GetValue(scenario) is { } of ? $"scenario={Escaped(of)}" : "")
                );
                var fan = (await ServerCommands.Answer(await http.GetAsync(new Uri($"/api/forecast/fan?{query}", UriKind.Relative))))!;
                foreach (var year in fan["years"]!.AsArray())
                    Print(year!["number"]!.ToJsonString(), year["money"]!);
                Print("all", fan["total"]!);
                foreach (var driver in fan["drivers"]!.AsArray())
                    Console.WriteLine($"{(string)driver!["driver"]!}\t{driver["low"]!.ToJsonString()}\t{driver["high"]!.ToJsonString()}");
            }
        );

        static void Print(string name, JsonNode band) =>
            Console.WriteLine($"{name}\t{band["p10"]!.ToJsonString()}\t{band["p50"]!.ToJsonString()}\t{band["p90"]!.ToJsonString()}");
    }

    private static Option<string> Range(string name, string what, string otherwise) =>
        new(name) { Description = $"{what}; at least, likely, at most", DefaultValueFactory = _ => otherwise };

    private static Argument<string> Id() => new("ID") { Description = "of the scenario" };

    private static void Print(string name, JsonNode before, JsonNode changes, JsonNode after) =>
        Console.WriteLine(
            string.Join('\t', [name, before.ToJsonString(), .. changes.AsArray().Select(c => c!.ToJsonString()), after.ToJsonString()])
        );

    private static string Escaped(string id) => Uri.EscapeDataString(id);

    private static Uri Path(string more) => new(At + more, UriKind.Relative);
}
