using System.Diagnostics;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>A running server and an access to one of its buckets, as KEY:SECRET.</summary>
public sealed class CurlFixture : IAsyncLifetime
{
    internal ServerProcess Server { get; } = new();

    internal string User { get; private set; } = "";

    public async ValueTask InitializeAsync()
    {
        await Server.Start();
        var made = await Server.Http.PostAsJsonAsync(
            "/api/buckets/port-sonar/access",
            new { label = "curl", rights = new[] { "read", "write", "list" } }
        );
        var secret = (await made.Content.ReadFromJsonAsync<JsonNode>())!["secret"]!;
        User = $"{secret["keyId"]}:{secret["secret"]}";
    }

    public ValueTask DisposeAsync() => Server.DisposeAsync();
}

/// <summary>Plain HTTP as a practitioner scripts it: curl against the running server.</summary>
public sealed class CurlTests(CurlFixture fixture) : IClassFixture<CurlFixture>
{
    private readonly ServerProcess server = fixture.Server;
    private readonly string user = fixture.User;

    private static async Task<(int Status, string Body)> Curl(params string[] arguments)
    {
        using var curl = Process.Start(
            new ProcessStartInfo("curl", ["-s", "--path-as-is", "-w", "\n%{http_code}", .. arguments]) { RedirectStandardOutput = true }
        )!;
        var output = await curl.StandardOutput.ReadToEndAsync();
        await curl.WaitForExitAsync();
        var end = output.LastIndexOf('\n');
        return (int.Parse(output[(end + 1)..], System.Globalization.CultureInfo.InvariantCulture), output[..end]);
    }

    /// <summary>The tus protocol with curl as its client; the sender is killed in the middle.</summary>
    [Fact]
    public async Task An_upload_whose_sender_is_killed_goes_on_where_it_stood()
    {
        var (up, rest) = (Path.Combine(server.Folder, "killed.bin"), Path.Combine(server.Folder, "rest.bin"));
        var content = new byte[20_000_000];
        Random.Shared.NextBytes(content);
        await File.WriteAllBytesAsync(up, content);
        string[] tus = ["-u", user, "-H", "Tus-Resumable: 1.0.0"];
        var key = Convert.ToBase64String("big/killed.bin"u8);
        var begun = await Curl([
            .. tus,
            "-i",
            "-X",
            "POST",
            "-H",
            "Upload-Length: 20000000",
            "-H",
            $"Upload-Metadata: filename {key}",
            $"{server.Address}uploads/port-sonar",
        ]);
        Assert.Equal(201, begun.Status);
        var path = begun.Body.Split('\n').Single(l => l.StartsWith("Location:", StringComparison.OrdinalIgnoreCase))[10..].Trim();
        var address = new Uri(server.Address, path).ToString();
        string[] patch = ["-X", "PATCH", "-H", "Content-Type: application/offset+octet-stream", "--data-binary"];
        using (
            var slow = Process.Start("curl", ["-s", "--limit-rate", "1M", .. tus, .. patch, "@" + up, "-H", "Upload-Offset: 0", address])
        )
        {
            // Bytes are under way once its file is being written.
            while (!Directory.EnumerateFiles(server.Incoming).Any(f => new FileInfo(f).Length > 1_000_000))
                await Task.Delay(20);
            slow.Kill();
            await slow.WaitForExitAsync();
        }
        long stands;
        while ((stands = await Stands()) == 0)
            await Task.Delay(20);
        Assert.InRange(stands, 1_000_000, 19_999_999);
        await File.WriteAllBytesAsync(rest, content[(int)stands..]);
        Assert.Equal(409, (await Curl([.. tus, .. patch, "@" + rest, "-H", "Upload-Offset: 0", address])).Status);
        Assert.Equal(204, (await Curl([.. tus, .. patch, "@" + rest, "-H", $"Upload-Offset: {stands}", address])).Status);
        Assert.Equal(200, (await Curl("-u", user, "-o", rest, $"{server.Address}objects/port-sonar/big/killed.bin")).Status);
        Assert.Equal(content, await File.ReadAllBytesAsync(rest));

        async Task<long> Stands()
        {
            var head = await Curl([.. tus, "-I", address]);
            var line = head.Body.Split('\n').Single(l => l.StartsWith("Upload-Offset:", StringComparison.OrdinalIgnoreCase));
            return long.Parse(line[14..], System.Globalization.CultureInfo.InvariantCulture);
        }
    }

    [Fact]
    public async Task A_file_goes_up_and_comes_down_in_whole_and_in_part()
    {
        var (up, down) = (Path.Combine(server.Folder, "up.bin"), Path.Combine(server.Folder, "down.bin"));
        var content = new byte[40_000_000];
        Random.Shared.NextBytes(content);
        await File.WriteAllBytesAsync(up, content);
        var address = $"{server.Address}objects/port-sonar/big/up.bin";
        Assert.Equal(401, (await Curl("-T", up, address)).Status);
        Assert.Equal(201, (await Curl("-u", user, "-T", up, address)).Status);
        Assert.Equal(200, (await Curl("-u", user, "-o", down, address)).Status);
        Assert.Equal(content, await File.ReadAllBytesAsync(down));
        Assert.Equal(206, (await Curl("-u", user, "-r", "1048570-1048590", "-o", down, address)).Status);
        Assert.Equal(content[1_048_570..1_048_591], await File.ReadAllBytesAsync(down));
        // Sent without a length, in chunks.
        Assert.Equal(201, (await Curl("-u", user, "-H", "Transfer-Encoding: chunked", "-T", up, address)).Status);
        Assert.Contains(
            "big/up.bin",
            (await Curl("-u", user, $"{server.Address}objects/port-sonar?prefix=big/")).Body,
            StringComparison.Ordinal
        );
        Assert.Equal(200, (await Curl("-u", user, "-X", "DELETE", address)).Status);
        Assert.Equal(404, (await Curl("-u", user, "-I", address)).Status);
    }

    [Fact]
    public async Task A_token_is_had_for_a_key_as_rfc_6749_says_and_is_used_as_rfc_6750_says()
    {
        var address = $"{server.Address}token";
        var (status, body) = await Curl("-u", user, "-d", "grant_type=client_credentials", address);
        var answer = JsonNode.Parse(body)!;
        Assert.Equal((200, "Bearer", 3600L), (status, (string)answer["token_type"]!, (long)answer["expires_in"]!));
        var bearer = $"Authorization: Bearer {answer["access_token"]}";
        var file = $"{server.Address}objects/port-sonar/by-token";
        Assert.Equal(201, (await Curl("-H", bearer, "-T", "/etc/hostname", file)).Status);
        Assert.Equal(await File.ReadAllTextAsync("/etc/hostname"), (await Curl("-H", bearer, file)).Body);
        Assert.Equal(401, (await Curl("-H", bearer + "x", file)).Status);

        Assert.Equal((401, "invalid_client"), Error(await Curl("-u", user + "x", "-d", "grant_type=client_credentials", address)));
        Assert.Equal((401, "invalid_client"), Error(await Curl("-d", "grant_type=client_credentials", address)));
        Assert.Equal((400, "unsupported_grant_type"), Error(await Curl("-u", user, "-d", "grant_type=password", address)));
        Assert.Equal((400, "unsupported_grant_type"), Error(await Curl("-u", user, "-X", "POST", address)));

        static (int, string) Error((int Status, string Body) answer) => (answer.Status, (string)JsonNode.Parse(answer.Body)!["error"]!);
    }

    [Theory]
    [InlineData("objects/port-sonar/../deck-cameras/x")]
    [InlineData("objects/port-sonar/a/../../../etc/passwd")]
    [InlineData("objects/port-sonar/..%2f..%2fetc%2fpasswd")]
    [InlineData("objects/port-sonar/%2e%2e/x")]
    [InlineData("objects/port-sonar/a/./b")]
    [InlineData("objects/port-sonar/%ff%fe")]
    [InlineData("objects/port-sonar/100%")]
    public async Task A_key_that_climbs_or_is_badly_escaped_is_refused(string path)
    {
        var (status, body) = await Curl("-u", user, "-X", "PUT", "-d", "x", server.Address + path);
        Assert.Equal(400, status);
        Assert.Contains(JsonNode.Parse(body)!["code"]!.GetValue<string>(), new[] { "invalid-key", "dot-segments" });
    }

    [Fact]
    public async Task A_body_that_is_shorter_than_announced_leaves_nothing()
    {
        using (var socket = new TcpClient())
        {
            await socket.ConnectAsync(server.Address.Host, server.Address.Port);
            var basic = Convert.ToBase64String(Encoding.UTF8.GetBytes(user));
            var stream = socket.GetStream();
            await stream.WriteAsync(
                Encoding.ASCII.GetBytes(
                    "PUT /objects/port-sonar/cut-short HTTP/1.1\r\nHost: localhost\r\nAuthorization: Basic "
                        + $"{basic}\r\nContent-Length: 5000000\r\n\r\n"
                )
            );
            await stream.WriteAsync(new byte[2_000_000]);
            var incoming = Path.Combine(server.Folder, "provider", "incoming");
            for (var i = 0; i < 100 && !Directory.EnumerateFiles(incoming).Any(); i++)
                await Task.Delay(20);
            Assert.Single(Directory.EnumerateFiles(incoming));
            socket.Client.Shutdown(SocketShutdown.Send);
            for (var i = 0; i < 100 && Directory.EnumerateFiles(incoming).Any(); i++)
                await Task.Delay(20);
        }
        Assert.Equal(404, (await Curl("-u", user, "-I", $"{server.Address}objects/port-sonar/cut-short")).Status);
        Assert.Empty(Directory.EnumerateFiles(Path.Combine(server.Folder, "provider", "incoming")));
    }
}
