using System.CommandLine;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>What a projected amount is made of.</summary>
internal static class WhyCommand
{
    public static Command Make()
    {
        var month = new Argument<string>("MONTH") { Description = "yyyy-MM, from the running month on" };
        Option<string?>[] which =
        [
            new("--bucket") { Description = "of this bucket" },
            new("--tier") { Description = "in this tier, with --charge" },
            new("--charge") { Description = "storage, early-leave, writes, reads, moves, recall, transfer or watching" },
        ];
        return ServerCommands.Make(
            "why",
            "Open a projected amount: the buckets of a month, the charges of a bucket, the prices and origins of a charge; a line each.",
            [month, .. which],
            async (http, parsed) =>
            {
                var query = string.Join(
                    '&',
                    which
                        .Where(o => parsed.GetValue(o) is not null)
                        .Select(o => $"{o.Name[2..]}={Uri.EscapeDataString(parsed.GetValue(o)!)}")
                        .Prepend($"month={Uri.EscapeDataString(parsed.GetRequiredValue(month))}")
                );
                var answer = await ServerCommands.Answer(
                    await http.GetAsync(new Uri($"/api/forecast/derivation?{query}", UriKind.Relative))
                );
                foreach (var line in answer!["lines"]!.AsArray())
                {
                    var charge = line!["charge"] is { } of ? $"{(string)of!} {(string)line["tier"]!}" : (string)line["bucket"]!;
                    Print(charge is "" ? "all others" : charge, line["amount"]!);
                }
                if (answer["derivation"] is { } told)
                {
                    foreach (var term in told["terms"]!.AsArray())
                        Print(
                            $"{Text(term!["quantity"])} {(string)term["unit"]!} {(string)term["what"]!} / {Text(term["per"])} x {Text(term["price"])} x {Text(term["factor"])}",
                            term["amount"]!
                        );
                    foreach (var part in told["parts"]!.AsArray())
                        Print($"{(string)part!["what"]!}; {(string)part["why"]!}", part["quantity"]!);
                }
                Print("in all", answer["amount"]!);
            }
        );

        static string Text(JsonNode? number) => number!.ToJsonString();
        static void Print(string what, JsonNode amount) => Console.WriteLine($"{what}\t{amount.ToJsonString()}");
    }
}
