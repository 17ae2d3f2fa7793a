using System.CommandLine;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>
/// Commands that speak to a running server over its HTTP interface. Exit codes: 0 done, 1 a wrong command line, 3 refused by the server,
/// with its reason.
/// </summary>
internal static class ServerCommands
{
    private const int Refused = 3;

    private static readonly Option<Uri?> Server = new("--server")
    {
        Description = "where Ripen runs",
        DefaultValueFactory = _ => new Uri("http://127.0.0.1:5140"),
        CustomParser = result =>
        {
            if (Uri.TryCreate(result.Tokens.Single().Value, UriKind.Absolute, out var address) && address.Scheme is ("http" or "https"))
                return address;
            result.AddError("--server must be an address that begins with http:// or https://.");
            return null;
        },
    };

    public static IEnumerable<Command> All() =>
        [
            Put(),
            Get(),
            List(),
            Delete(),
            .. UploadCommands.All(),
            .. ArrayCommands.All(),
            .. PriceCommands.All(),
            .. OfferCommands.All(),
            .. ScenarioCommands.All(),
            .. BudgetCommands.All(),
            .. BillCommands.All(),
            WhyCommand.Make(),
            FullRestoreCommand.Make(),
            Clock(),
            Pass(),
            Ledger(),
            Schemes(),
            Lift(),
            HoldCommands.Make(),
            ObjectKeepCommands.Make(),
            KeepingCommands.Make(),
            NightCommands.Make(),
            Stores(),
            EncryptionCommands.Encryption(),
            .. AccessCommands.All(),
            .. CopyCommands.All(),
            .. BackupCommands.All(),
            .. RestoreCommands.All(),
            .. RecallCommands.All(),
            .. BundleCommands.All(),
            .. PlanCommands.All(),
            VolumeCommands.Make(),
            CartridgeCommands.Make(),
        ];

    private static Argument<string> Object() => new("BUCKET/KEY") { Description = "a bucket's name, a slash and the object's key" };

    private static Command Put()
    {
        var (file, target) = (new Argument<FileInfo>("FILE") { Description = "what to upload" }, Object());
        var tags = new Option<string?>("--tags") { Description = "name=value, with & between them" };
        return Make(
            "put",
            "Upload a file as an object. A large one that broke off goes on when it is put again.",
            [file, target, tags],
            async (http, parsed) =>
            {
                if (UploadCommands.IsWorthIt(parsed.GetRequiredValue(file)))
                {
                    await UploadCommands.Send(http, parsed.GetRequiredValue(file), parsed.GetRequiredValue(target), parsed.GetValue(tags));
                    return;
                }
                if (parsed.GetValue(tags) is { } text)
                    http.DefaultRequestHeaders.Add("Ripen-Tags", text);
                await using var body = parsed.GetRequiredValue(file).OpenRead();
                using var content = new StreamContent(body);
                var stored = await Answer(await http.PutAsync(Address(parsed.GetRequiredValue(target), "objects"), content));
                Console.WriteLine($"{stored!["key"]}: {stored["bytes"]} bytes, sha-256 {stored["sha256"]}");
            }
        );
    }

    private static Command Get()
    {
        var (target, output) = (Object(), new Option<FileInfo?>("--out") { Description = "write to this file instead of standard output" });
        return Make(
            "get",
            "Download an object.",
            [target, output],
            async (http, parsed) =>
            {
                using var response = await http.GetAsync(
                    Address(parsed.GetRequiredValue(target), "objects"),
                    HttpCompletionOption.ResponseHeadersRead
                );
                if (!response.IsSuccessStatusCode)
                    await Answer(response);
                if (parsed.GetValue(output) is { } file)
                {
                    // Whole or not at all: a broken download leaves no file of the name behind.
                    var part = file.FullName + ".part";
                    await using (var writer = File.Create(part))
                        await response.Content.CopyToAsync(writer);
                    File.Move(part, file.FullName, overwrite: true);
                }
                else
                {
                    await using var console = Console.OpenStandardOutput();
                    await response.Content.CopyToAsync(console);
                }
            }
        );
    }

    private static Command List()
    {
        var (bucket, prefix) = (
            new Argument<string>("BUCKET"),
            new Option<string>("--prefix") { Description = "only what begins so", DefaultValueFactory = _ => "" }
        );
        return Make(
            "list",
            "List objects: key, bytes, tier, a line each.",
            [bucket, prefix],
            async (http, parsed) =>
            {
                string? after = null;
                do
                {
                    var query =
                        $"most=1000&prefix={Uri.EscapeDataString(parsed.GetRequiredValue(prefix))}{(after is null ? "" : $"&after={Uri.EscapeDataString(after)}")}";
                    var page = (
                        await Answer(
                            await http.GetAsync(
                                new Uri($"/api/buckets/{parsed.GetRequiredValue(bucket)}/objects?{query}", UriKind.Relative)
                            )
                        )
                    )!;
                    foreach (var o in page["objects"]!.AsArray())
                        Console.WriteLine($"{o!["key"]}\t{o["bytes"]}\t{o["tier"]}");
                    foreach (var b in page["batches"]!.AsArray())
                        Console.WriteLine($"{b!["key"]}*\t{b["bytes"]}\t{b["tier"]}\t({b["count"]} simulated, no content)");
                    after = (string?)page["next"];
                } while (after is not null);
            }
        );
    }

    private static Command Delete()
    {
        var target = Object();
        return Make(
            "delete",
            "Delete an object; with versioning it stays as an earlier version.",
            [target],
            async (http, parsed) =>
            {
                var deleted = await Answer(await http.DeleteAsync(Address(parsed.GetRequiredValue(target), "objects")));
                Console.WriteLine(
                    deleted!["forGood"]!.GetValue<bool>() ? "gone for good" : $"deleted; version {deleted["marker"]} is the mark of it"
                );
            }
        );
    }

    private static Command Clock() =>
        Make(
            "clock",
            "Print the provider's time.",
            [],
            async (http, _) =>
                Console.WriteLine((await Answer(await http.GetAsync(new Uri("/api/clock?runs=0", UriKind.Relative))))!["now"])
        );

    private static Command Pass()
    {
        var until = new Argument<string>("UNTIL")
        {
            Description = "a date (yyyy-MM-dd), an instant (RFC 3339), or: hour, day, week, month",
        };
        var confirm = new Option<string?>("--confirm")
        {
            Description = "the date once more, when more than a year passes and the keeping of something ends",
        };
        return Make(
            "pass",
            "Advance the provider's clock, and wait until it is there.",
            [until, confirm],
            async (http, parsed) =>
            {
                var text = parsed.GetRequiredValue(until);
                JsonObject order = text is "hour" or "day" or "week" or "month"
                    ? new JsonObject { ["for"] = text }
                    : new JsonObject { ["until"] = text.Length == 10 ? text + "T00:00:00Z" : text, ["confirm"] = parsed.GetValue(confirm) };
                await Answer(await http.PostOrder("/api/clock/passages", order));
                JsonNode clock;
                do
                {
                    await Task.Delay(100);
                    clock = (await Answer(await http.GetAsync(new Uri("/api/clock?runs=0", UriKind.Relative))))!;
                } while (clock["passage"]!["running"]!.GetValue<bool>());
                if (clock["passage"]!["error"] is { } error)
                    throw new RefusedException((string)error!);
                Console.WriteLine(clock["now"]);
            }
        );
    }

    private static Command Lift()
    {
        var bucket = new Argument<string>("BUCKET");
        var reason = new Option<string>("--reason") { Description = "why; the log keeps it", Required = true };
        return Make(
            "lift",
            "Lift a bucket's liftable retention: what it kept may be deleted from then on.",
            [bucket, reason],
            async (http, parsed) =>
            {
                var name = parsed.GetRequiredValue(bucket);
                using var read = await http.GetAsync(new Uri($"/api/buckets/{name}?stock=false", UriKind.Relative));
                await Answer(read);
                http.DefaultRequestHeaders.IfMatch.Add(read.Headers.ETag!);
                var order = new JsonObject { ["reason"] = parsed.GetRequiredValue(reason), ["confirm"] = name };
                await Answer(await http.PostOrder($"/api/buckets/{name}/keep/lift", order));
                Console.WriteLine($"{name} is kept no longer");
            }
        );
    }

    private static Command Stores()
    {
        var take = new Option<string?>("--take") { Description = "folder or database: which of the two is to hold" };
        take.AcceptOnlyFromAmong("folder", "database");
        return Make(
            "stores",
            "Say whether the database and the provider's folder are one truth, or decide which is to hold.",
            [take],
            async (http, parsed) =>
            {
                var reading = parsed.GetValue(take) is { } side
                    ? await Answer(
                        await http.PostOrder("/api/stores/decision", new JsonObject { ["choice"] = $"take-{side}", ["confirm"] = side })
                    )
                    : await Answer(await http.GetAsync(new Uri("/api/stores", UriKind.Relative)));
                Console.WriteLine($"{reading!["standing"]}\t{reading["words"]}");
            }
        );
    }

    private static Command Ledger()
    {
        var bucket = new Option<string?>("--bucket") { Description = "only this bucket" };
        return Make(
            "ledger",
            "Print what was metered, as RFC 4180 CSV.",
            [bucket],
            async (http, parsed) =>
            {
                using var response = await http.GetAsync(
                    new Uri($"/api/ledger/rows.csv{(parsed.GetValue(bucket) is { } name ? $"?bucket={name}" : "")}", UriKind.Relative)
                );
                if (!response.IsSuccessStatusCode)
                    await Answer(response);
                Console.Write(await response.Content.ReadAsStringAsync());
            }
        );
    }

    private static Command Schemes() =>
        Make(
            "schemes",
            "Print what each redundancy scheme survives, its nines and its raw bytes per byte.",
            [],
            async (http, _) =>
            {
                Console.WriteLine("scheme\tdevices\tzones\tregions\tnines\twithout-places\traw\tfactor");
                foreach (var s in (await Answer(await http.GetAsync(new Uri("/api/schemes", UriKind.Relative))))!.AsArray())
                {
                    Console.WriteLine(
                        string.Create(
                            CultureInfo.InvariantCulture,
                            $"{s!["scheme"]!["id"]}\t{s["devicesSurvived"]}\t{s["zonesSurvived"]}\t{s["regionsSurvived"]}\t{s["ninesAYearWithPlaces"]!.GetValue<double>():0.0}\t{s["ninesAYear"]!.GetValue<double>():0.0}\t{s["rawBytesPerByte"]!.GetValue<double>():0.00}\t{s["scheme"]!["storageFactor"]}"
                        )
                    );
                }
            }
        );

    internal static Command Make(string name, string description, IReadOnlyList<Symbol> symbols, Func<HttpClient, ParseResult, Task> act)
    {
        var command = new Command(name, description) { Server };
        foreach (var symbol in symbols)
        {
            if (symbol is Argument argument)
                command.Arguments.Add(argument);
            else
                command.Options.Add((Option)symbol);
        }
        command.SetAction(
            async (parsed, _) =>
            {
                using var http = new HttpClient { BaseAddress = parsed.GetValue(Server), Timeout = Timeout.InfiniteTimeSpan };
                http.DefaultRequestHeaders.Add("Ripen-Request", "1");
                try
                {
                    await act(http, parsed);
                    return 0;
                }
                catch (Exception e) when (e is RefusedException or HttpRequestException or IOException or UnauthorizedAccessException)
                {
                    Console.Error.WriteLine(e.Message);
                    return Refused;
                }
            }
        );
        return command;
    }

    private static Uri Address(string bucketAndKey, string part)
    {
        var (bucket, key) = Split(bucketAndKey);
        return new Uri($"/api/buckets/{bucket}/{part}/{string.Join('/', key.Split('/').Select(Uri.EscapeDataString))}", UriKind.Relative);
    }

    internal static (string Bucket, string Key) Split(string bucketAndKey)
    {
        var slash = bucketAndKey.IndexOf('/', StringComparison.Ordinal);
        return slash < 0
            ? throw new RefusedException($"'{bucketAndKey}' names no object: write BUCKET/KEY.")
            : (bucketAndKey[..slash], bucketAndKey[(slash + 1)..]);
    }

    internal static async Task<JsonNode?> Answer(HttpResponseMessage response)
    {
        var text = await response.Content.ReadAsStringAsync();
        if (response.IsSuccessStatusCode)
            return text.Length == 0 ? null : JsonNode.Parse(text);
        string? detail = null;
        try
        {
            detail = (string?)JsonNode.Parse(text)?["detail"];
        }
        catch (System.Text.Json.JsonException)
        {
            // No problem document: the status has to do.
        }
        throw new RefusedException(detail ?? $"The server answered {(int)response.StatusCode}.");
    }

    /// <summary>Puts something in the place of what there is, as it was when it was looked at last.</summary>
    /// <param name="http">Of the server.</param>
    /// <param name="looked">Where the ETag is.</param>
    /// <param name="place">Where it goes.</param>
    /// <param name="body">What.</param>
    internal static async Task Replace(HttpClient http, Uri looked, Uri place, HttpContent body)
    {
        using var there = await http.GetAsync(looked);
        await Answer(there);
        using var request = new HttpRequestMessage(HttpMethod.Put, place) { Content = body };
        request.Headers.IfMatch.Add(there.Headers.ETag!);
        await Answer(await http.SendAsync(request));
    }

    internal sealed class RefusedException(string message) : Exception(message);
}
