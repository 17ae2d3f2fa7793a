using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>A message is found in points, read as text, had as it was received, and put back; nothing leads out of the folders.</summary>
public sealed class MailOverHttpTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";

    private const string First =
        "From: Purser <purser@brackwater.example>\nTo: office@brackwater.example\nSubject: Berth plan\n"
        + "Date: Sat, 2 Mar 2024 09:00:00 +0000\n\nBerth 2 stays closed.\n";

    private const string Second =
        "From: Bosun <bosun@brackwater.example>\nTo: purser@brackwater.example\nSubject: Survey\nMIME-Version: 1.0\n"
        + "Date: Sun, 3 Mar 2024 09:00:00 +0000\nContent-Type: multipart/mixed; boundary=q\n\n--q\nContent-Type: text/html\n\n"
        + "<p>See <img src=http://far.example/x.png>it<script>alert(1)</script>.</p>\n--q\nContent-Type: text/html\n"
        + "Content-Disposition: attachment; filename=\"../../etc/x.html\"\n\n<script>alert(2)</script>\n--q--\n";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private string Folders => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders");

    private async Task<string> Run()
    {
        await server.Did(
            HttpMethod.Post,
            $"{Vault}/runs",
            JsonSerializer.Serialize(new { folder = Path.Combine(Folders, "office"), workload = "office" })
        );
        while (true)
        {
            var job = (await server.Get(Vault)).Body["job"]!;
            if (!(bool)job["running"]!)
                return (string)job["point"]!["id"]!;
            await Task.Delay(20);
        }
    }

    private async Task<List<JsonNode>> Find(string query) =>
        [.. (await server.Get($"/api/found-mail?{query}")).Body["mails"]!.AsArray().Select(m => m!)];

    private static string Address(JsonNode place, string what) =>
        $"{Vault}/points/{place["point"]}/{what}?path={Uri.EscapeDataString((string)place["path"]!)}&at={place["at"]}";

    private Task<HttpResponseMessage> Answer(JsonNode place, string what) =>
        server.Http.GetAsync(new Uri(Address(place, what), UriKind.Relative));

    /// <summary>Two points: with both messages, and with the second alone.</summary>
    private async Task<(string Both, string Second)> Two()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "the ferry leaves at nine" }""");
        var mbox = Path.Combine(Folders, "office", "post.mbox");
        await File.WriteAllTextAsync(mbox, $"From a Sat Mar  2 09:00:00 2024\n{First}\nFrom b Sun Mar  3 09:00:00 2024\n{Second}\n");
        var both = await Run();
        await File.WriteAllTextAsync(mbox, $"From b Sun Mar  3 09:00:00 2024\n{Second}\n");
        return (both, await Run());
    }

    [Fact]
    public async Task A_message_that_is_gone_is_found_read_and_put_back()
    {
        var (both, _) = await Two();
        var mail = Assert.Single(await Find("from=PURSER&subject=berth&since=2024-03-01&until=2024-03-31"));
        var place = Assert.Single(mail["places"]!.AsArray())!;
        Assert.Equal((both, 1, false), ((string)place["point"]!, (int)place["points"]!, (bool)place["isThere"]!));
        Assert.Equal("Berth 2 stays closed.\n", (string)(await server.Get(Address(place, "message"))).Body["text"]!);
        var whole = await Answer(place, "message.eml");
        Assert.Equal("message/rfc822", whole.Content.Headers.ContentType!.MediaType);
        Assert.Equal("attachment; filename*=UTF-8''Berth%20plan.eml", whole.Content.Headers.ContentDisposition!.ToString());
        Assert.Equal(First, await whole.Content.ReadAsStringAsync());

        // Into a mailbox that has the other one, twice: it is at its end, and what is there stays.
        var into = Path.Combine(Folders, "office", "post.mbox");
        var order = new
        {
            point = both,
            path = "post.mbox",
            at = (long)place["at"]!,
            into,
        };
        await server.Did(HttpMethod.Post, $"{Vault}/restored-messages", order);
        await Run();
        var again = Assert.Single((await Find("subject=berth"))[0]["places"]!.AsArray())!;
        Assert.Equal((2, true), ((int)again["points"]!, (bool)again["isThere"]!));
        Assert.Equal(First, await (await Answer(again, "message.eml")).Content.ReadAsStringAsync());
        var records = (await server.Get("/api/restore-records?workload=office")).Body.AsArray().Select(r => (string?)r!["into"]).ToList();
        Assert.Equal(["a message", into, "a message"], records);
    }

    [Fact]
    public async Task What_a_sender_wrote_does_nothing()
    {
        await Two();
        var place = (await Find("attachment=x.html"))[0]["places"]![0]!;
        var message = (await server.Get(Address(place, "message"))).Body;
        Assert.Equal("See it.", (string)message["text"]!);
        Assert.True((bool)message["wasHtml"]!);
        var attachment = await Answer(place, "attachment");
        Assert.Equal(HttpStatusCode.BadRequest, attachment.StatusCode);
        attachment = await server.Http.GetAsync(new Uri($"{Address(place, "attachment")}&number=0", UriKind.Relative));
        // A page is stored and not shown, under a name that leads nowhere.
        Assert.Equal("application/octet-stream", attachment.Content.Headers.ContentType!.MediaType);
        Assert.Equal("nosniff", attachment.Headers.GetValues("X-Content-Type-Options").Single());
        var name = Uri.UnescapeDataString(attachment.Content.Headers.ContentDisposition!.ToString());
        Assert.StartsWith("attachment;", name, StringComparison.Ordinal);
        Assert.DoesNotContain('/', name);
        Assert.Equal("<script>alert(2)</script>", (await attachment.Content.ReadAsStringAsync()).Trim());
        Assert.Equal("no-attachment", (await server.Refused(HttpMethod.Get, $"{Address(place, "attachment")}&number=7")).Code);
    }

    [Fact]
    public async Task What_is_not_right_is_refused_and_a_locked_pool_tells_nothing()
    {
        var (both, _) = await Two();
        Assert.Equal("out-of-range", (await server.Refused(HttpMethod.Get, "/api/found-mail")).Code);
        Assert.Equal("out-of-range", (await server.Refused(HttpMethod.Get, "/api/found-mail?from=a&most=0")).Code);
        var point = $"{Vault}/points/{both}";
        Assert.Equal("no-message", (await server.Refused(HttpMethod.Get, $"{point}/message?path=post.mbox&at=1")).Code);
        Assert.Equal("no-path", (await server.Refused(HttpMethod.Get, $"{point}/message?path=none.mbox")).Code);
        async Task<string> Back(string into) =>
            (
                await server.Refused(
                    HttpMethod.Post,
                    $"{Vault}/restored-messages",
                    new
                    {
                        point = both,
                        path = "post.mbox",
                        at = 0,
                        into,
                    }
                )
            ).Code;
        Assert.Equal("outside-roots", await Back("/etc/post.mbox"));
        Assert.Equal("outside-roots", await Back(Path.Combine(Folders, "..", "post.mbox")));
        var list = Path.Combine(Folders, "list.mbox");
        await File.WriteAllTextAsync(list, "no mail");
        Assert.Equal("no-mailbox", await Back(list));
        Assert.Equal("no mail", await File.ReadAllTextAsync(list));

        Assert.NotEmpty(await Find("subject=berth"));
        var target = (await server.Get(Vault)).Body["target"]!.AsObject();
        target["access"] = "locked";
        await server.Did(HttpMethod.Put, Vault, target.ToJsonString(), (await server.Get("/api/targets")).Tag);
        var locked = (await server.Get("/api/found-mail?subject=berth")).Body;
        Assert.Empty(locked["mails"]!.AsArray());
        Assert.Contains(locked["notSearched"]!.AsArray(), n => (string)n!["target"]! == "office-vault");
    }
}
