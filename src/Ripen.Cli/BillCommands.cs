using System.CommandLine;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for bills from elsewhere.</summary>
internal static class BillCommands
{
    public static IEnumerable<Command> All() => [List(), Bring(), Read(), Rows(), Map(), Prices(), Remove()];

    private static Command List() =>
        ServerCommands.Make(
            "bills",
            "List bills from elsewhere: number, name, when it was brought.",
            [],
            async (http, _) =>
            {
                foreach (var of in (await ServerCommands.Answer(await http.GetAsync(Path(""))))!.AsArray())
                    Print(of!["id"]!.ToJsonString(), (string)of["name"]!, (string)of["at"]!);
            }
        );

    private static Command Bring()
    {
        var file = new Argument<FileInfo>("FILE") { Description = "CSV or Parquet; FOCUS columns are known by their names" };
        var name = new Option<string?>("--name") { Description = "for people; the file's name without it" };
        Option<string?>[] columns =
        [
            .. ((string[])["date", "resource", "item", "unit", "quantity", "amount", "currency"]).Select(role => new Option<string?>(
                $"--{role}"
            )
            {
                Description = $"the column that says the {role}",
            }),
        ];
        return ServerCommands.Make(
            "bill-bring",
            "Bring a bill from elsewhere; prints its number.",
            [file, name, .. columns],
            async (http, parsed) =>
            {
                var source = parsed.GetRequiredValue(file);
                var query = string.Join(
                    '&',
                    columns
                        .Where(o => parsed.GetValue(o) is not null)
                        .Select(o => $"{o.Name[2..]}={Uri.EscapeDataString(parsed.GetValue(o)!)}")
                        .Prepend($"name={Uri.EscapeDataString(parsed.GetValue(name) ?? source.Name)}")
                );
                await using var stream = source.OpenRead();
                using var body = new StreamContent(stream);
                body.Headers.ContentType = new("application/octet-stream");
                Console.WriteLine(
                    (await ServerCommands.Answer(await http.PostAsync(Path($"?{query}"), body)))!["card"]!["id"]!.ToJsonString()
                );
            }
        );
    }

    private static Command Read()
    {
        var id = Id();
        var json = new Option<bool>("--json") { Description = "all of it, as JSON" };
        return ServerCommands.Make(
            "bill",
            "Print a bill: what is mapped and what is left aside, then each price: region, tier or the region that it leads to, charge, speed, up to, was, fitted, how.",
            [id, json],
            async (http, parsed) =>
            {
                var bill = (await ServerCommands.Answer(await http.GetAsync(Path($"/{parsed.GetValue(id)}"))))!;
                if (parsed.GetValue(json))
                {
                    Console.WriteLine(bill.ToJsonString());
                    return;
                }
                Print("billed", bill["billed"]!.ToJsonString());
                Print("mapped", bill["mapped"]!.ToJsonString());
                Print("aside", bill["aside"]!.ToJsonString());
                foreach (var of in bill["fit"]!["prices"]!.AsArray())
                    Print(
                        (string)of!["region"]!,
                        (string?)of["tier"] ?? (string)of["to"]!,
                        (string)of["charge"]!,
                        (string?)of["speed"] ?? "",
                        of["upTo"]?.ToJsonString() ?? "",
                        of["was"]!.ToJsonString(),
                        of["fitted"]!.ToJsonString(),
                        (string)of["how"]!
                    );
            }
        );
    }

    private static Command Rows()
    {
        var id = Id();
        var aside = new Option<bool>("--aside") { Description = "only what is left aside" };
        return ServerCommands.Make(
            "bill-rows",
            "Print a bill row by row: month, resource, item, quantity, unit, amount; then what it is read as: bucket, tier, charge, way, or why it is left aside.",
            [id, aside],
            async (http, parsed) =>
            {
                const int page = 10_000;
                for (int offset = 0, inAll = 1; offset < inAll; offset += page)
                {
                    var path =
                        $"/{parsed.GetValue(id)}/rows?aside={(parsed.GetValue(aside) ? "true" : "false")}&offset={offset}&limit={page}";
                    var answer = (await ServerCommands.Answer(await http.GetAsync(Path(path))))!;
                    inAll = (int)answer["inAll"]!;
                    foreach (var row in answer["rows"]!.AsArray())
                    {
                        var (of, known) = (row!["billed"]!, row["as"]);
                        string[] said = [(string)of["month"]!, (string)of["resource"]!, (string)of["item"]!];
                        string[] much = [of["quantity"]!.ToJsonString(), (string)of["unit"]!, of["amount"]!.ToJsonString()];
                        string[] read = known is null
                            ? [(string)row["aside"]!]
                            : [(string)known["bucket"]!, (string)known["tier"]!, (string)known["charge"]!, (string?)row["way"] ?? ""];
                        Print([.. said, .. much, .. read]);
                    }
                }
            }
        );
    }

    private static Command Map()
    {
        var id = Id();
        var file = new Argument<FileInfo>("MAPPING")
        {
            Description =
                "{ \"resources\": [ { \"resource\", \"bucket\" } ], \"items\": [ { \"item\", \"unit\", \"tier\", \"charge\", \"times\", \"way\": the speed of a recall or the region of a transfer } ] }",
        };
        return ServerCommands.Make(
            "bill-map",
            "Say which buckets resources of a bill are, and what its items are; what is not named stays.",
            [id, file],
            async (http, parsed) =>
            {
                using var body = new StringContent(
                    await File.ReadAllTextAsync(parsed.GetRequiredValue(file).FullName),
                    Encoding.UTF8,
                    "application/json"
                );
                var bill = await ServerCommands.Answer(await http.PutAsync(Path($"/{parsed.GetValue(id)}/mapping"), body));
                Print("mapped", bill!["mapped"]!.ToJsonString());
                Print("aside", bill["aside"]!.ToJsonString());
            }
        );
    }

    private static Command Prices()
    {
        var id = Id();
        return ServerCommands.Make(
            "bill-prices",
            "Print the price book with the prices that meet a bill.",
            [id],
            async (http, parsed) =>
                Console.WriteLine(
                    (await ServerCommands.Answer(await http.GetAsync(Path($"/{parsed.GetValue(id)}/prices"))))!.ToJsonString()
                )
        );
    }

    private static Command Remove()
    {
        var id = Id();
        return ServerCommands.Make(
            "bill-forget",
            "Forget a bill from elsewhere.",
            [id],
            async (http, parsed) =>
            {
                await ServerCommands.Answer(await http.DeleteAsync(Path($"/{parsed.GetValue(id)}")));
                Console.WriteLine("Forgotten.");
            }
        );
    }

    private static Argument<int> Id() => new("NUMBER") { Description = "of the bill" };

    private static void Print(params string[] fields) => Console.WriteLine(string.Join('\t', fields));

    private static Uri Path(string more) => new("/api/bills" + more, UriKind.Relative);
}
