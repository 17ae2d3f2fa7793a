using System.CommandLine;

namespace Ripen.Cli;

/// <summary>The command about what rules do at night, over a running server.</summary>
internal static class NightCommands
{
    public static Command Make()
    {
        var (bucket, last, months) = (
            new Option<string?>("--bucket") { Description = "only this bucket" },
            new Option<bool>("--last") { Description = "what they did in the last run instead" },
            new Option<int?>("--months")
            {
                Description = "what they will do in so many months instead, in sums by month and rule: 1 to 360",
            }
        );
        return ServerCommands.Make(
            "tonight",
            "Print what rules will do in the run that closes today, object by object with its charge, as CSV. Nothing is done.",
            [bucket, last, months],
            async (http, parsed) =>
            {
                var query = parsed.GetValue(bucket) is { } name ? $"?bucket={Uri.EscapeDataString(name)}" : "?";
                var file =
                    parsed.GetValue(months) is { } ahead ? $"rules-ahead.csv{query}&months={ahead}"
                    : parsed.GetValue(last) ? $"last-night.csv{query}"
                    : $"tonight.csv{query}";
                using var answer = await http.GetAsync(new Uri($"/api/{file}", UriKind.Relative));
                if (!answer.IsSuccessStatusCode)
                    await ServerCommands.Answer(answer);
                Console.Write(await answer.Content.ReadAsStringAsync());
            }
        );
    }
}
