using System.CommandLine;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>What an amount is made of.</summary>
internal static class WhyCommand
{
    public static Command Make()
    {
        var month = new Argument<string>("MONTH") { Description = "yyyy-MM" };
        Option<string?>[] which =
        [
            new("--bucket") { Description = "of this bucket, of several (a,b), or * for agreements" },
            new("--region") { Description = "in this region, or * for none" },
            new("--tenant") { Description = "of this tenant's buckets, or - for those of none" },
            new("--tier") { Description = "in this tier, or * for none" },
            new("--to") { Description = "yyyy-MM: from MONTH to this one" },
            new("--scenario") { Description = "the id of a scenario, as if all of it came true" },
            new("--offer") { Description = "the id of an offer, as if its prices held from today on" },
            new("--rise") { Description = "prices rise by so much a year from today on: 0.1 is ten per cent" },
            new("--charge") { Description = "storage, early-leave, writes, reads, moves, recall, transfer or watching" },
        ];
        var charged = new Option<bool>("--charged")
        {
            Description = "what was charged, and not what is to come; always so of months that are over",
        };
        var change = new Option<bool>("--change") { Description = "what the last assumption makes of it, given those before" };
        var assuming = new Option<FileInfo?>("--assuming")
        {
            Description = "a scenario (JSON), which need not be stored, as if all of it came true as well",
        };
        return ServerCommands.Make(
            "why",
            "Open an amount: the buckets of a month or of a part of it (* for what is agreed), the charges of a bucket, the prices and origins, or the days, of a charge; a line each.",
            [month, charged, change, assuming, .. which],
            async (http, parsed) =>
            {
                var query = string.Join(
                    '&',
                    which
                        .Where(o => parsed.GetValue(o) is not null)
                        .Select(o => $"{o.Name[2..]}={Uri.EscapeDataString(parsed.GetValue(o)!)}")
                        .Prepend($"month={Uri.EscapeDataString(parsed.GetRequiredValue(month))}")
                        .Append(parsed.GetValue(charged) ? "charged=true" : "charged=false")
                        .Append(parsed.GetValue(change) ? "change=true" : "change=false")
                );
                var address = new Uri($"/api/forecast/derivation?{query}", UriKind.Relative);
                using var supposed = parsed.GetValue(assuming) is { } file
                    ? new StringContent(await File.ReadAllTextAsync(file.FullName), Encoding.UTF8, "application/json")
                    : null;
                var answer = await ServerCommands.Answer(
                    supposed is null ? await http.GetAsync(address) : await http.PostAsync(address, supposed)
                );
                foreach (var line in answer!["lines"]!.AsArray())
                {
                    var charge =
                        line!["charge"] is { } of ? $"{(string)of!} {(string?)line["tier"]}".TrimEnd()
                        : line["month"] is { } first
                            ? ((string)first!, (string)line["to"]!) is var (from, last) && from == last ? from
                                : $"{from} to {last}"
                        : (string)line["bucket"]!;
                    Print(charge is "" ? "all others" : charge, line["amount"]!);
                }
                foreach (var line in answer["agreed"]?["lines"]?.AsArray() ?? [])
                    Print($"{line!["name"]} {line["charge"]} {line["region"]} {line["tier"]}".TrimEnd(), line!["amount"]!);
                foreach (var term in (answer["derivation"] ?? answer["metered"])?["terms"]?.AsArray() ?? [])
                    Print(
                        $"{Text(term!["quantity"])} {(string)term["unit"]!} {(string)term["what"]!} / {Text(term["per"])} x {Text(term["price"])} x {Text(term["factor"])}",
                        term["amount"]!
                    );
                foreach (var part in answer["derivation"]?["parts"]?.AsArray() ?? [])
                    Print($"{(string)part!["what"]!}; {(string)part["why"]!}", part["quantity"]!);
                foreach (var day in answer["metered"]?["days"]?.AsArray() ?? [])
                    Print($"{(string)day!["day"]!} {Text(day["quantity"])}", day["amount"]!);
                if (answer["change"] is { } between)
                {
                    Print("before", between["before"]!);
                    Print("after", between["after"]!);
                }
                Print("in all", answer["amount"]!);
            }
        );

        static string Text(JsonNode? number) => number!.ToJsonString();
        static void Print(string what, JsonNode amount) => Console.WriteLine($"{what}\t{amount.ToJsonString()}");
    }
}
