using System.CommandLine;

namespace Ripen.Cli;

/// <summary>The command about what rules do at night, over a running server.</summary>
internal static class NightCommands
{
    public static Command Make()
    {
        var (bucket, last) = (
            new Option<string?>("--bucket") { Description = "only this bucket" },
            new Option<bool>("--last") { Description = "what they did in the last run instead" }
        );
        return ServerCommands.Make(
            "tonight",
            "Print what rules will do in the run that closes today, object by object with its charge, as CSV. Nothing is done.",
            [bucket, last],
            async (http, parsed) =>
            {
                var query = parsed.GetValue(bucket) is { } name ? $"?bucket={Uri.EscapeDataString(name)}" : "";
                var file = parsed.GetValue(last) ? "last-night.csv" : "tonight.csv";
                using var answer = await http.GetAsync(new Uri($"/api/{file}{query}", UriKind.Relative));
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                Console.Write(await answer.Content.ReadAsStringAsync());
            }
        );
    }
}
