using System.CommandLine;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for lists whose entries each give the estate another cost.</summary>
internal static class OutlookCommands
{
    private static readonly int[] Years = [1, 3, 10];

    /// <param name="name">Of the command.</param>
    /// <param name="description">For its help.</param>
    /// <param name="document">What <c>--json</c> prints instead.</param>
    /// <param name="at">The list's address.</param>
    /// <param name="more">What a line says behind the name.</param>
    public static Command List(
        string name,
        string description,
        string document,
        string at,
        Func<JsonNode, IEnumerable<string>>? more = null
    )
    {
        var json = new Option<bool>("--json") { Description = document };
        return ServerCommands.Make(
            name,
            description,
            [json],
            async (http, parsed) =>
            {
                if (parsed.GetValue(json))
                {
                    Console.WriteLine(await ServerCommands.Answer(await http.GetAsync(Path(at))));
                    return;
                }
                foreach (var of in (await ServerCommands.Answer(await http.GetAsync(Path($"{at}/comparison"))))!["outlooks"]!.AsArray())
                {
                    var years = of!["years"]!.AsArray();
                    Console.WriteLine(
                        string.Join(
                            '\t',
                            (string[])
                                [
                                    (string)of["id"]! is { Length: > 0 } id ? id : "-",
                                    (string)of["name"]!,
                                    .. more?.Invoke(of) ?? [],
                                    .. years.Count == 0
                                        ? [(string)of["problems"]![0]!["message"]!]
                                        : Years.Select(y => years[y - 1]!["money"]!.ToJsonString()),
                                ]
                        )
                    );
                }
            }
        );
    }

    public static Command Set(string name, string description, Argument<FileInfo> file, string at) =>
        ServerCommands.Make(
            name,
            description,
            [file],
            async (http, parsed) =>
            {
                using var body = new StringContent(
                    await File.ReadAllTextAsync(parsed.GetRequiredValue(file).FullName),
                    Encoding.UTF8,
                    "application/json"
                );
                await ServerCommands.Replace(http, Path(at), Path(at), body);
                Console.WriteLine("Stored.");
            }
        );

    private static Uri Path(string at) => new(at, UriKind.Relative);
}
