using System.CommandLine;

namespace Ripen.Cli;

/// <summary>Commands about what is kept until when, over a running server.</summary>
internal static class KeepingCommands
{
    public static Command Make()
    {
        var (bucket, months) = (
            new Option<string?>("--bucket") { Description = "only this bucket" },
            new Option<int>("--months") { Description = "months ahead, 1 to 360", DefaultValueFactory = _ => 24 }
        );
        string Query(ParseResult parsed) =>
            $"months={parsed.GetValue(months)}" + (parsed.GetValue(bucket) is { } name ? $"&bucket={Uri.EscapeDataString(name)}" : "");
        return new Command("keeping", "Say what may go and what goes, when keeping ends, and what does not fit together.")
        {
            ServerCommands.Make(
                "months",
                "Print by month what may go from then on and what expires, as CSV.",
                [bucket, months],
                async (http, parsed) =>
                {
                    using var answer = await http.GetAsync(new Uri($"/api/keeping/months.csv?{Query(parsed)}", UriKind.Relative));
                    if (!answer.IsSuccessStatusCode)
                        await ServerCommands.Answer(answer);
                    Console.Write(await answer.Content.ReadAsStringAsync());
                }
            ),
            ServerCommands.Make(
                "days",
                "Print the days on which keeping ends: tab-separated day, bucket, what, objects, bytes, about.",
                [bucket],
                async (http, parsed) =>
                {
                    var keeping = await BackupCommands.Get(http, $"/api/keeping?{Query(parsed)}");
                    foreach (var e in keeping["calendar"]!["events"]!.AsArray())
                        Console.WriteLine($"{e!["day"]}\t{e["bucket"]}\t{e["kind"]}\t{e["objects"]}\t{e["bytes"]}\t{e["about"]}");
                }
            ),
            ServerCommands.Make(
                "conflicts",
                "Print what does not fit together: tab-separated code, bucket, sentence, and what a draft would change.",
                [bucket],
                async (http, parsed) =>
                {
                    foreach (var c in (await BackupCommands.Get(http, $"/api/keeping?{Query(parsed)}"))["conflicts"]!.AsArray())
                        Console.WriteLine($"{c!["code"]}\t{c["bucket"]}\t{c["sentence"]}\t{c["mending"]}");
                }
            ),
        };
    }
}
