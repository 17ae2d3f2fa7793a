using System.CommandLine;
using System.Globalization;

namespace Ripen.Cli;

/// <summary>What having everything back costs and takes, over a running server.</summary>
internal static class FullRestoreCommand
{
    public static Command Make()
    {
        var (bucket, prefix) = (
            new Option<string?>("--bucket") { Description = "only of this bucket" },
            new Option<string>("--prefix") { Description = "only what begins so", DefaultValueFactory = _ => "" }
        );
        var (to, line) = (
            new Option<string?>("--to") { Description = "a region; left out: out of all of them" },
            new Option<double?>("--megabits") { Description = "10^6 bits a second of the line out; left out: no limit" }
        );
        var why = new Option<bool>("--why")
        {
            Description = "what makes the amounts: speed, charge, region, tier, what, quantity, price, of how many, amount",
        };
        return ServerCommands.Make(
            "full-restore",
            "Print what it costs and takes to have everything back: tab-separated speed, recall, reads, transfer, total, hours of wait, hours in "
                + "all.",
            [bucket, prefix, to, line, why],
            async (http, parsed) =>
            {
                var asked = new Dictionary<string, string?>
                {
                    ["bucket"] = parsed.GetValue(bucket),
                    ["prefix"] = parsed.GetValue(prefix),
                    ["to"] = parsed.GetValue(to),
                    ["megabitsPerSecond"] = parsed.GetValue(line)?.ToString(CultureInfo.InvariantCulture),
                };
                var query = string.Join(
                    '&',
                    asked.Where(a => a.Value is not null).Select(a => $"{a.Key}={Uri.EscapeDataString(a.Value!)}")
                );
                var read = (await ServerCommands.Answer(await http.GetAsync(new Uri($"/api/full-restore?{query}", UriKind.Relative))))!;
                foreach (var s in read["restore"]!["speeds"]!.AsArray())
                {
                    if (!parsed.GetValue(why))
                        Console.WriteLine(
                            $"{s!["name"]}\t{s["recall"]}\t{s["reads"]}\t{s["transfer"]}\t{s["total"]}\t{s["waitHours"]}\t{s["hours"]}"
                        );
                    else
                        foreach (var t in s!["terms"]!.AsArray())
                            Console.WriteLine(
                                $"{s["name"]}\t{t!["charge"]}\t{t["region"]}\t{t["tier"] ?? "-"}\t{t["what"]}\t{t["quantity"]}\t{t["price"]}\t{t["per"]}\t{t["amount"]}"
                            );
                }
                if (!(bool)read["restore"]!["hasPriceOut"]!)
                    Console.Error.WriteLine("The price book has no price for going out of some region: transfer is 0 there.");
            }
        );
    }
}
