using System.CommandLine;
using System.Text;

namespace Ripen.Cli;

/// <summary>Commands for local arrays whose data leaves for buckets, over a running server.</summary>
internal static class ArrayCommands
{
    public static IEnumerable<Command> All() => [List(), Leaving(), Home(), Read()];

    private static Command List() =>
        ServerCommands.Make(
            "arrays",
            "Print local arrays, a line a volume: tab-separated array, volume, bucket, bytes at home, away and leaving tonight, money saved a "
                + "month, and to be saved, and why it stays.",
            [],
            async (http, _) =>
            {
                var reading = (await ServerCommands.Answer(await http.GetAsync(new Uri("/api/arrays", UriKind.Relative))))!;
                foreach (var a in reading["arrays"]!.AsArray())
                {
                    foreach (var v in a!["volumes"]!.AsArray())
                        Console.WriteLine(
                            $"{a["id"]}\t{v!["id"]}\t{a["bucket"]?.ToString() ?? "-"}\t{v["homeBytes"]}\t{v["awayBytes"]}\t{v["leavingBytes"]}\t"
                                + $"{v["savedAMonth"]}\t{v["toSaveAMonth"]}\t{v["staysBecause"]?.ToString() ?? "-"}"
                        );
                }
            }
        );

    private static Command Leaving()
    {
        var (array, file) = (
            new Argument<string>("ARRAY"),
            new Argument<FileInfo>("LEAVING.json") { Description = "{ \"bucket\": …, \"leaving\": [ { \"id\": …, \"afterDays\": … } ] }" }
        );
        var draft = new Option<bool>("--draft") { Description = "only print what it would take and cost" };
        return ServerCommands.Make(
            "array-leaving",
            "Say where an array's data leaves to, and which. Once data is away, only bringing it home undoes it.",
            [array, file, draft],
            async (http, parsed) =>
            {
                using var order = new StringContent(
                    await File.ReadAllTextAsync(parsed.GetRequiredValue(file).FullName),
                    Encoding.UTF8,
                    "application/json"
                );
                var path = $"/api/arrays/{Uri.EscapeDataString(parsed.GetRequiredValue(array))}/leaving";
                if (parsed.GetValue(draft))
                {
                    Console.WriteLine(await ServerCommands.Answer(await http.PostAsync(new Uri(path + "/draft", UriKind.Relative), order)));
                    return;
                }
                await ServerCommands.Replace(http, new Uri("/api/arrays", UriKind.Relative), new Uri(path, UriKind.Relative), order);
                Console.WriteLine("Stored: the next night takes what is old enough.");
            }
        );
    }

    private static Command Home()
    {
        var (array, volume) = (new Argument<string>("ARRAY"), new Argument<string>("VOLUME"));
        var draft = Draft();
        return ServerCommands.Make(
            "array-home",
            "Bring a volume of a local array home from its bucket.",
            [array, volume, draft],
            (http, parsed) =>
                LookOrDo(
                    http,
                    PathOf(parsed.GetRequiredValue(array), parsed.GetRequiredValue(volume), "homecoming"),
                    parsed.GetValue(draft)
                )
        );
    }

    private static Command Read()
    {
        var (array, volume) = (new Argument<string>("ARRAY"), new Argument<string>("VOLUME"));
        var folder = new Option<string>("--folder") { Description = "how the paths of what is read begin; everything without it" };
        var draft = Draft();
        return ServerCommands.Make(
            "array-read",
            "Read a folder of a local array's volume: what is away is charged, and comes home where the array says so.",
            [array, volume, folder, draft],
            (http, parsed) =>
                LookOrDo(
                    http,
                    PathOf(
                        parsed.GetRequiredValue(array),
                        parsed.GetRequiredValue(volume),
                        $"reading?folder={Uri.EscapeDataString(parsed.GetValue(folder) ?? "")}"
                    ),
                    parsed.GetValue(draft)
                )
        );
    }

    private static Option<bool> Draft() => new("--draft") { Description = "only print what it would do and cost" };

    private static Uri PathOf(string array, string volume, string deed) =>
        new($"/api/arrays/{Uri.EscapeDataString(array)}/volumes/{Uri.EscapeDataString(volume)}/{deed}", UriKind.Relative);

    private static async Task LookOrDo(HttpClient http, Uri path, bool draft) =>
        Console.WriteLine(await ServerCommands.Answer(draft ? await http.GetAsync(path) : await http.PostAsync(path, null)));
}
