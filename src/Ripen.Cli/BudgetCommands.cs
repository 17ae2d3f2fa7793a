using System.CommandLine;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for budgets of a running server.</summary>
internal static class BudgetCommands
{
    private static readonly Option<bool> Expected = new("--expected")
    {
        Description = "months that are not over too, with what is to come in them",
    };

    public static IEnumerable<Command> All() => [List(), Fix(), Months(), Variance(), Rows()];

    private static Command List() =>
        ServerCommands.Make(
            "budgets",
            "List budgets: number, name, the day on which it was fixed, first month, months, and the alarms as month@day.",
            [],
            async (http, _) =>
            {
                foreach (var of in (await ServerCommands.Answer(await http.GetAsync(Path(""))))!.AsArray())
                    Print(
                        of!["id"]!.ToJsonString(),
                        (string)of["name"]!,
                        (string)of["fixedOn"]!,
                        (string)of["first"]!,
                        of["months"]!.ToJsonString(),
                        string.Join(' ', of["alarms"]!.AsArray().Select(a => $"{(string)a!["month"]!}@{(string)a["day"]!}"))
                    );
            }
        );

    private static Command Fix()
    {
        var name = new Argument<string>("NAME") { Description = "for people" };
        var months = new Option<int>("--months") { Description = "from this month on", DefaultValueFactory = _ => 12 };
        var headroom = new Option<double>("--headroom")
        {
            Description = "by so much a month may end above the plan: 0.05 is five per cent",
        };
        var scenario = new Option<string?>("--scenario") { Description = "fix this scenario" };
        var file = new Option<FileInfo?>("--file")
        {
            Description = "fix a plan made elsewhere: CSV in the columns that 'ripen forecast' writes",
        };
        return ServerCommands.Make(
            "budget-fix",
            "Fix the forecast of today as a budget; prints its number.",
            [name, months, headroom, scenario, file],
            async (http, parsed) =>
            {
                HttpResponseMessage answer;
                if (parsed.GetValue(file) is { } made)
                {
                    using var body = new StringContent(await File.ReadAllTextAsync(made.FullName), Encoding.UTF8, "text/csv");
                    answer = await http.PostAsync(
                        Path(
                            FormattableString.Invariant(
                                $"/file?name={Uri.EscapeDataString(parsed.GetRequiredValue(name))}&headroom={parsed.GetValue(headroom)}"
                            )
                        ),
                        body
                    );
                }
                else
                    answer = await http.PostOrder(
                        Path(""),
                        new JsonObject
                        {
                            ["name"] = parsed.GetRequiredValue(name),
                            ["months"] = parsed.GetValue(months),
                            ["headroom"] = parsed.GetValue(headroom),
                            ["scenario"] = parsed.GetValue(scenario),
                        }
                    );
                Console.WriteLine((await ServerCommands.Answer(answer))!["card"]!["id"]!.ToJsonString());
            }
        );
    }

    private static Command Months()
    {
        var id = Id();
        return ServerCommands.Make(
            "budget",
            "Print the months of a budget: month, planned, limit, charged, to come, and 'above' where it ends above its limit or is likely to.",
            [id],
            async (http, parsed) =>
            {
                foreach (
                    var of in (await ServerCommands.Answer(await http.GetAsync(Path($"/{parsed.GetValue(id)}"))))!["months"]!.AsArray()
                )
                    Print(
                        (string)of!["month"]!,
                        of["planned"]!.ToJsonString(),
                        of["limit"]!.ToJsonString(),
                        of["charged"]!.ToJsonString(),
                        of["toCome"]!.ToJsonString(),
                        (bool)of["isAbove"]! ? "above" : ""
                    );
            }
        );
    }

    private static Command Variance()
    {
        var id = Id();
        var by = new Option<string>("--by")
        {
            Description = "bucket, charge, tier, region, tenant or month",
            DefaultValueFactory = _ => "bucket",
        };
        var from = new Option<string?>("--from") { Description = "the first month, yyyy-MM" };
        var to = new Option<string?>("--to") { Description = "the last month, yyyy-MM; the last one that is over without it" };
        var open = new Option<string?>("--open") { Description = "the key of a line: print what makes it" };
        return ServerCommands.Make(
            "budget-variance",
            "Print why the money is another than planned: a line each with planned, volume, mix, timing, price, actual; of what makes one line, the quantities planned and in fact before them.",
            [id, by, from, to, open],
            async (http, parsed) =>
            {
                var query = string.Join(
                    '&',
                    new[] { from, to }
                        .Where(o => parsed.GetValue(o) is not null)
                        .Select(o => $"{o.Name[2..]}={Uri.EscapeDataString(parsed.GetValue(o)!)}")
                        .Prepend($"by={parsed.GetValue(by)}")
                );
                if (parsed.GetValue(open) is { } key)
                {
                    var line = $"/{parsed.GetValue(id)}/variance/line?{query}&key={Uri.EscapeDataString(key)}";
                    foreach (var of in (await ServerCommands.Answer(await http.GetAsync(Path(line))))!["details"]!.AsArray())
                    {
                        var what = $"{of!["bucket"]} {of["tier"]} {of["charge"]}".Trim();
                        Parts($"{what}\t{of["planned"]!.ToJsonString()}\t{of["actual"]!.ToJsonString()} {of["unit"]}", of["parts"]!);
                    }
                    return;
                }
                var told = (await ServerCommands.Answer(await http.GetAsync(Path($"/{parsed.GetValue(id)}/variance?{query}"))))!;
                foreach (var line in told["lines"]!.AsArray())
                    Parts((string)line!["name"]!, line["parts"]!);
                Parts("in all", told["inAll"]!);
            }
        );

        static void Parts(string name, JsonNode of) =>
            Print([
                name,
                .. ((string[])["planned", "volume", "mix", "timing", "price", "actual"]).Select(part => of[part]!.ToJsonString()),
            ]);
    }

    private static Command Rows()
    {
        var id = Id();
        return ServerCommands.Make(
            "budget-rows",
            "Write every line and month of a budget beside the fact, with its variance, as CSV.",
            [id, Expected],
            async (http, parsed) =>
            {
                using var answer = await http.GetAsync(
                    Path($"/{parsed.GetValue(id)}/rows.csv?expected={(parsed.GetValue(Expected) ? "true" : "false")}"),
                    HttpCompletionOption.ResponseHeadersRead
                );
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                await using var to = Console.OpenStandardOutput();
                await answer.Content.CopyToAsync(to);
            }
        );
    }

    private static Argument<int> Id() => new("NUMBER") { Description = "of the budget" };

    private static void Print(params string[] fields) => Console.WriteLine(string.Join('\t', fields));

    private static Uri Path(string more) => new("/api/budgets" + more, UriKind.Relative);
}
