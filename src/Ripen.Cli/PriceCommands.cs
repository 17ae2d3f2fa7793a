using System.CommandLine;
using System.Text;

namespace Ripen.Cli;

/// <summary>Commands for the price book of a running server.</summary>
internal static class PriceCommands
{
    public static IEnumerable<Command> All() => [Show(), Set()];

    private static Command Show()
    {
        var csv = new Option<bool>("--csv") { Description = "every amount, a line each" };
        return ServerCommands.Make(
            "prices",
            "Print the price book in force, with amounts of days to come, as JSON.",
            [csv],
            async (http, parsed) =>
            {
                if (parsed.GetValue(csv))
                {
                    Console.Write(await (await http.GetAsync(Path("/rows.csv"))).EnsureSuccessStatusCode().Content.ReadAsStringAsync());
                    return;
                }
                Console.WriteLine((await ServerCommands.Answer(await http.GetAsync(Path(""))))!["prices"]);
            }
        );
    }

    private static Command Set()
    {
        var file = new Argument<FileInfo>("PRICES")
        {
            Description = "a price book (.json), or amounts to put into the one in force (.csv)",
        };
        var draft = new Option<bool>("--draft") { Description = "only print what it would change" };
        return ServerCommands.Make(
            "prices-set",
            "Put other prices in force from today on, or from the days that they name.",
            [file, draft],
            async (http, parsed) =>
            {
                var named = parsed.GetRequiredValue(file);
                var text = await File.ReadAllTextAsync(named.FullName);
                using var looked = await http.GetAsync(Path(""));
                await ServerCommands.Answer(looked);
                if (named.Extension.Equals(".csv", StringComparison.OrdinalIgnoreCase))
                {
                    using var rows = new StringContent(text, Encoding.UTF8, "text/csv");
                    text = (await ServerCommands.Answer(await http.PostAsync(Path("/rows"), rows)))!.ToJsonString();
                }
                using var book = new StringContent(text, Encoding.UTF8, "application/json");
                if (parsed.GetValue(draft))
                {
                    Console.WriteLine(await ServerCommands.Answer(await http.PostAsync(Path("/draft"), book)));
                    return;
                }
                using var request = new HttpRequestMessage(HttpMethod.Put, Path("")) { Content = book };
                request.Headers.IfMatch.Add(looked.Headers.ETag!);
                await ServerCommands.Answer(await http.SendAsync(request));
                Console.WriteLine("Stored.");
            }
        );
    }

    private static Uri Path(string more) => new("/api/prices" + more, UriKind.Relative);
}
