using System.Diagnostics;
using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Text.Json.Nodes;
using Ripen.Provider;

namespace Ripen.Server.Tests;

/// <summary>The server as a process of its own, killed (SIGKILL) at random moments, many times, always on the same folder.</summary>
public sealed class CrashTests : IAsyncDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-crash-").FullName;
    private readonly Random random = new();
    private Process? process;
    private HttpClient http = new();

    public async ValueTask DisposeAsync()
    {
        await Kill();
        http.Dispose();
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task Uploads_that_were_acknowledged_are_there_and_nothing_else_is()
    {
        var acknowledged = new Dictionary<string, string>();
        var tried = 0;
        await Start();
        (await http.PostAsJsonAsync("/api/buckets", new { name = "crashing", region = "aldmouth", scheme = "one-site", tier = "counter" })).EnsureSuccessStatusCode();
        for (var round = 0; round < 8; round++)
        {
            using var stop = new CancellationTokenSource();
            var uploaders = Enumerable.Range(0, 4).Select(_ => Task.Run(async () =>
            {
                while (!stop.IsCancellationRequested)
                {
                    var key = $"{Interlocked.Increment(ref tried):00000}";
                    var content = new byte[Random.Shared.Next(0, 2_500_000)];
                    Random.Shared.NextBytes(content);
                    try
                    {
                        var response = await http.PutAsync(new Uri($"/api/buckets/crashing/objects/{key}", UriKind.Relative), new ByteArrayContent(content));
                        if (response.StatusCode != HttpStatusCode.Created) continue;
                        lock (acknowledged) acknowledged[key] = Convert.ToHexStringLower(SHA256.HashData(content));
                    }
                    catch (HttpRequestException)
                    {
                        return;
                    }
                }
            })).ToList();
            await Task.Delay(random.Next(20, 500));
            await Kill();
            await stop.CancelAsync();
            await Task.WhenAll(uploaders);
            await Start();
            await Check(acknowledged);
        }
        Assert.InRange(acknowledged.Count, 8, int.MaxValue);
    }

    [Fact]
    public async Task A_midnight_run_that_was_cut_short_is_done_again_and_charges_nothing_twice()
    {
        const int days = 150;
        var demo = CurrentEstate.Demo();
        var reference = Directory.CreateTempSubdirectory("ripen-reference-").FullName;
        using var straight = new SimulatedProvider(reference, TimeProvider.System);
        straight.Adopt(new ProviderPlan(demo, 1, 1, demo.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(demo.Today, 1))));
        straight.Clock.PassUntil(straight.Clock.Now.AddDays(days), null, CancellationToken.None);

        await Start();
        var (kills, cutShort) = (0, 0);
        while (kills < 40)
        {
            var today = await Today();
            if (today == demo.Today.AddDays(days)) break;
            (await http.PostAsJsonAsync("/api/clock/passages", new { until = demo.Today.AddDays(days).ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc) })).EnsureSuccessStatusCode();
            await Task.Delay(random.Next(10, 900));
            await Kill();
            kills++;
            await Start();
            var clock = (await http.GetFromJsonAsync<JsonNode>("/api/clock"))!;
            if (clock["interrupted"] is not null) cutShort++;
            await SameLedger(straight, await Today());
        }
        Assert.InRange(cutShort, 3, int.MaxValue);
        Assert.Equal(demo.Today.AddDays(days), await Today());
        straight.Dispose();
        Directory.Delete(reference, recursive: true);
    }

    /// <summary>All that was acknowledged is there; all that is there is whole, has one charge and one file.</summary>
    private async Task Check(Dictionary<string, string> acknowledged)
    {
        var there = new Dictionary<string, string>();
        string? after = null;
        do
        {
            var page = (await http.GetFromJsonAsync<JsonNode>($"/api/buckets/crashing/objects?most=1000{(after is null ? "" : $"&after={Uri.EscapeDataString(after)}")}"))!;
            foreach (var o in page["objects"]!.AsArray()) there[o!["key"]!.GetValue<string>()] = o["sha256"]!.GetValue<string>();
            after = (string?)page["next"];
        }
        while (after is not null);
        foreach (var (key, sha) in acknowledged) Assert.Equal(sha, there.GetValueOrDefault(key));
        foreach (var (key, sha) in there) Assert.Equal(sha, Convert.ToHexStringLower(SHA256.HashData(await http.GetByteArrayAsync(new Uri($"/api/buckets/crashing/objects/{key}", UriKind.Relative)))));
        var writes = (await http.GetFromJsonAsync<JsonNode>("/api/ledger?bucket=crashing"))!.AsArray().Where(r => r!["charge"]!.GetValue<string>() == "writes").Sum(r => r!["quantity"]!.GetValue<double>());
        Assert.Equal(there.Count, writes);
        // The demo's own files lie beside them.
        var contents = 0L;
        foreach (var bucket in (await http.GetFromJsonAsync<JsonNode>("/api/estate"))!["buckets"]!.AsArray())
        {
            contents += (await http.GetFromJsonAsync<JsonNode>($"/api/buckets/{bucket}/contents"))!["objects"]!.GetValue<long>();
        }
        Assert.Equal(contents, Directory.EnumerateFiles(Path.Combine(folder, "provider", "content"), "*", SearchOption.AllDirectories).Count());
        Assert.Empty(Directory.EnumerateFiles(Path.Combine(folder, "provider", "incoming")));
    }

    private async Task SameLedger(SimulatedProvider straight, DateOnly today)
    {
        // The demo's uploaded files are the one thing that the reference does not have.
        var expected = straight.Ledger(DateOnly.MinValue, today, null).Where(r => r.Bucket != "harbour-notices" && r.Day < today).ToList();
        var rows = (await http.GetStringAsync(new Uri($"/api/ledger/rows.csv?to={today:yyyy-MM-dd}", UriKind.Relative))).Split("\r\n")[1..^1].Where(r => !r.Contains(",harbour-notices,", StringComparison.Ordinal)).ToList();
        Assert.Equal(expected.Count, rows.Count);
        for (var i = 0; i < rows.Count; i++)
        {
            var amount = double.Parse(rows[i].Split(',')[^1], System.Globalization.CultureInfo.InvariantCulture);
            Assert.StartsWith($"{expected[i].Day:yyyy-MM-dd},{expected[i].Bucket},", rows[i], StringComparison.Ordinal);
            // Bands are shared with the notices' few bytes, which move the last digits of an amount.
            Assert.Equal(expected[i].Amount, amount, 4);
        }
    }

    private async Task<DateOnly> Today() => DateOnly.Parse((await http.GetFromJsonAsync<JsonNode>("/api/clock"))!["today"]!.GetValue<string>(), System.Globalization.CultureInfo.InvariantCulture);

    private async Task Start()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var port = ((IPEndPoint)listener.LocalEndpoint).Port;
        listener.Stop();
        process = Process.Start(new ProcessStartInfo(Path.Combine(AppContext.BaseDirectory, "Ripen.Server"),
            [$"--urls=http://127.0.0.1:{port}", $"--Ripen:Database={Path.Combine(folder, "ripen.db")}", "--Ripen:Demo=true"])
        { RedirectStandardOutput = true, RedirectStandardError = true })!;
        process.OutputDataReceived += (_, _) => { };
        process.BeginOutputReadLine();
        process.BeginErrorReadLine();
        http.Dispose();
        http = new HttpClient { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
        for (var attempt = 0; ; attempt++)
        {
            try
            {
                await http.GetStringAsync("/health");
                return;
            }
            catch (HttpRequestException) when (attempt < 300)
            {
                await Task.Delay(50);
            }
        }
    }

    private async Task Kill()
    {
        if (process is null) return;
        process.Kill();
        await process.WaitForExitAsync();
        process.Dispose();
        process = null;
    }
}
