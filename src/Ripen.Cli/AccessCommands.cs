using System.CommandLine;
using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>Commands for the accesses to buckets, for the file that a client connects with, and for the credentials of targets.</summary>
internal static class AccessCommands
{
    private static readonly UnixFileMode OwnerOnly = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    public static IEnumerable<Command> All() => [Access(), Credential()];

    private static Command Access()
    {
        var bucket = new Argument<string>("BUCKET");
        var id = new Argument<long>("ACCESS") { Description = "its number" };
        var label = new Option<string>("--label") { Description = "for whom or what", Required = true };
        var prefix = new Option<string>("--prefix") { Description = "keys that begin so", DefaultValueFactory = _ => "" };
        var right = new Option<string[]>("--right") { Description = "read, write, list, read-versions, delete-versions", Required = true };
        right.AllowMultipleArgumentsPerToken = true;
        var ends = new Option<DateTimeOffset?>("--ends") { Description = "on the provider's clock; without it never" };
        var othersEnd = new Option<DateTimeOffset?>("--others-end") { Description = "when the keys that are there end" };
        var file = new Option<FileInfo>("--out") { Description = "the file to write, with the secret in it", Required = true };
        var given = new Argument<FileInfo>("FILE") { Description = "what grant or key wrote" };
        return new Command("access", "Grant access to a bucket, replace keys, and try what was granted.")
        {
            ServerCommands.Make(
                "list",
                "Print a bucket's accesses and their keys.",
                [bucket],
                async (http, parsed) =>
                {
                    var read = await ServerCommands.Answer(await http.GetAsync(Address(parsed.GetRequiredValue(bucket), "")));
                    foreach (var grant in read!["grants"]!.AsArray())
                    {
                        foreach (var key in grant!["keys"]!.AsArray())
                            Console.WriteLine(
                                $"{grant["id"]}\t{grant["label"]}\t{grant["prefix"]}\t{string.Join(' ', grant["rights"]!.AsArray())}\t{key!["id"]}\t{key["ends"] ?? grant["ends"]}"
                            );
                    }
                }
            ),
            ServerCommands.Make(
                "grant",
                "Grant access with a new key, and write all that a client needs to connect into a file.",
                [bucket, label, prefix, right, ends, file],
                async (http, parsed) =>
                {
                    var order = new JsonObject
                    {
                        ["label"] = parsed.GetRequiredValue(label),
                        ["prefix"] = parsed.GetValue(prefix),
                        ["rights"] = Orders.List(parsed.GetRequiredValue(right)),
                        ["ends"] = parsed.GetValue(ends),
                    };
                    var made = await ServerCommands.Answer(await http.PostOrder(Address(parsed.GetRequiredValue(bucket), ""), order));
                    Keep(parsed.GetRequiredValue(file), made!);
                    Console.WriteLine($"{made!["access"]!["id"]}\t{made["secret"]!["keyId"]}");
                }
            ),
            ServerCommands.Make(
                "key",
                "Add a key to an access; those that are there go on working until --others-end.",
                [bucket, id, ends, othersEnd, file],
                async (http, parsed) =>
                {
                    var order = new JsonObject { ["ends"] = parsed.GetValue(ends), ["othersEnd"] = parsed.GetValue(othersEnd) };
                    var made = await ServerCommands.Answer(
                        await http.PostOrder(Address(parsed.GetRequiredValue(bucket), $"/{parsed.GetRequiredValue(id)}/keys"), order)
                    );
                    Keep(parsed.GetRequiredValue(file), made!);
                    Console.WriteLine(made!["secret"]!["keyId"]);
                }
            ),
            ServerCommands.Make(
                "try",
                "Connect with nothing but the file: get a token, and list, write, read back and delete as far as the rights go.",
                [given],
                async (_, parsed) => await Try(Read(parsed.GetRequiredValue(given)))
            ),
        };
    }

    private static Command Credential()
    {
        var id = new Argument<string>("ID") { Description = "what targets name it by" };
        var key = new Argument<string>("KEY") { Description = "the key's name" };
        var name = new Option<string?>("--name") { Description = "for people; otherwise the id" };
        var token = new Option<bool>("--token") { Description = "get short-lived tokens with it" };
        var file = new Option<FileInfo>("--file") { Description = "what came with the key", Required = true };
        return new Command("credential", "Keep the keys with which targets' buckets are reached.")
        {
            ServerCommands.Make(
                "list",
                "Print the credentials, who uses them, and what ends when.",
                [],
                async (http, _) =>
                {
                    foreach (
                        var one in (
                            await ServerCommands.Answer(await http.GetAsync(new Uri("/api/credentials", UriKind.Relative)))
                        )!.AsArray()
                    )
                        Console.WriteLine(
                            $"{one!["id"]}\t{one["kind"]}\t{one["ends"] ?? "never"}\t{string.Join(' ', one["usedBy"]!.AsArray())}\t{one["warning"]}"
                        );
                }
            ),
            ServerCommands.Make(
                "add",
                "Keep a credential.",
                [id, name, token, file],
                async (http, parsed) =>
                {
                    var given = Read(parsed.GetRequiredValue(file));
                    var order = new JsonObject
                    {
                        ["id"] = parsed.GetRequiredValue(id),
                        ["name"] = parsed.GetValue(name) ?? parsed.GetRequiredValue(id),
                        ["kind"] = parsed.GetValue(token) ? "token" : "key",
                        ["keyId"] = (string?)given["keyId"],
                        ["secret"] = (string?)given["secret"],
                        ["ends"] = (string?)given["ends"],
                    };
                    await Post(http, "/api/credentials", order);
                }
            ),
            ServerCommands.Make(
                "replace",
                "Add the secret of another key, which is used from now on; the others are tried when it does not work.",
                [id, file],
                async (http, parsed) =>
                {
                    var given = Read(parsed.GetRequiredValue(file));
                    var order = new JsonObject
                    {
                        ["keyId"] = (string?)given["keyId"],
                        ["secret"] = (string?)given["secret"],
                        ["ends"] = (string?)given["ends"],
                    };
                    await Post(http, $"/api/credentials/{parsed.GetRequiredValue(id)}/secrets", order);
                }
            ),
            ServerCommands.Make(
                "forget",
                "Forget one secret of a credential.",
                [id, key],
                async (http, parsed) =>
                    await ServerCommands.Answer(
                        await http.DeleteAsync(
                            new Uri(
                                $"/api/credentials/{parsed.GetRequiredValue(id)}/secrets/{parsed.GetRequiredValue(key)}",
                                UriKind.Relative
                            )
                        )
                    )
            ),
            ServerCommands.Make(
                "remove",
                "Forget a credential that no target uses.",
                [id],
                async (http, parsed) =>
                    await ServerCommands.Answer(
                        await http.DeleteAsync(new Uri($"/api/credentials/{parsed.GetRequiredValue(id)}", UriKind.Relative))
                    )
            ),
        };
    }

    private static Uri Address(string bucket, string rest) => new($"/api/buckets/{bucket}/access{rest}", UriKind.Relative);

    private static async Task Post(HttpClient http, string address, JsonObject order)
    {
        var answer = await ServerCommands.Answer(await http.PostOrder(new Uri(address, UriKind.Relative), order));
        Console.WriteLine(answer!["credential"]!["id"]);
        if ((bool)answer["trimmed"]!)
            Console.Error.WriteLine("Blanks around the key or its secret were left out.");
    }

    /// <summary>For its owner only: it holds the secret.</summary>
    private static void Keep(FileInfo file, JsonNode made)
    {
        var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = OwnerOnly;
        using var writer = new StreamWriter(file.FullName, options);
        writer.WriteLine(made["file"]!.ToJsonString(new System.Text.Json.JsonSerializerOptions { WriteIndented = true }));
    }

    private static JsonNode Read(FileInfo file)
    {
        try
        {
            var read = JsonNode.Parse(File.ReadAllText(file.FullName));
            return read?["keyId"] is not null && read["secret"] is not null
                ? read
                : throw new ServerCommands.RefusedException($"'{file.Name}' is no file that came with a key: it names no key and secret.");
        }
        catch (System.Text.Json.JsonException)
        {
            throw new ServerCommands.RefusedException($"'{file.Name}' is no file that came with a key: it is not JSON.");
        }
    }

    private static async Task Try(JsonNode file)
    {
        using var http = new HttpClient();
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Basic",
            Convert.ToBase64String(Encoding.UTF8.GetBytes($"{file["keyId"]}:{file["secret"]}"))
        );
        using var form = new FormUrlEncodedContent([new("grant_type", "client_credentials")]);
        using var answer = await http.PostAsync(new Uri((string)file["tokenAddress"]!), form);
        var token = await JsonNode.ParseAsync(await answer.Content.ReadAsStreamAsync());
        if (!answer.IsSuccessStatusCode)
            throw new ServerCommands.RefusedException((string)token!["error_description"]!);
        Console.WriteLine($"token\tfor {token!["expires_in"]} s of the provider's clock");
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", (string)token["access_token"]!);

        var root = $"{file["address"]}{file["bucket"]}/";
        var probe = new Uri(
            $"{root}{Uri.EscapeDataString($"{file["prefix"]}ripen-probe-{Guid.NewGuid():N}").Replace("%2F", "/", StringComparison.Ordinal)}"
        );
        var bytes = RandomNumberGenerator.GetBytes(1024);
        var list = new Uri($"{root}?prefix={Uri.EscapeDataString((string?)file["prefix"] ?? "")}");
        await Step("list", () => http.GetAsync(list));
        if (!await Step("write", () => http.PutAsync(probe, new ByteArrayContent(bytes))))
            return;
        await Step("read back", () => http.GetAsync(probe), async got => (await got.Content.ReadAsByteArrayAsync()).SequenceEqual(bytes));
        await Step("delete", () => http.DeleteAsync(probe));
    }

    private static async Task<bool> Step(
        string what,
        Func<Task<HttpResponseMessage>> ask,
        Func<HttpResponseMessage, Task<bool>>? compare = null
    )
    {
        using var answer = await ask();
        var why = answer.IsSuccessStatusCode
            ? compare is null || await compare(answer)
                ? null
                : "other bytes came back than were written"
            : answer.StatusCode == HttpStatusCode.Forbidden
                ? (string?)(await JsonNode.ParseAsync(await answer.Content.ReadAsStreamAsync()))!["detail"]
                : $"the server answered {(int)answer.StatusCode}";
        Console.WriteLine($"{what}\t{why ?? "worked"}");
        return why is null;
    }
}
