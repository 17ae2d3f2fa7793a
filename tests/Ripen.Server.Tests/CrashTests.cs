using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text.Json.Nodes;
using Ripen.Provider;
using Ripen.Server.Demo;

namespace Ripen.Server.Tests;

/// <summary>The server as a process of its own, killed (SIGKILL) at random moments, many times, always on the same folder.</summary>
public sealed class CrashTests : IAsyncDisposable
{
    private readonly ServerProcess server = new();
    private readonly Random random = new();

    private HttpClient Http => server.Http;

    public ValueTask DisposeAsync() => server.DisposeAsync();

    [Fact]
    public async Task Uploads_that_were_acknowledged_are_there_and_nothing_else_is()
    {
        var acknowledged = new Dictionary<string, string>();
        var tried = 0;
        await server.Start();
        (
            await Http.PostAsJsonAsync(
                "/api/buckets",
                new
                {
                    name = "crashing",
                    region = "aldmouth",
                    scheme = "one-site",
                    tier = "counter",
                }
            )
        ).EnsureSuccessStatusCode();
        for (var round = 0; round < 4; round++)
        {
            using var stop = new CancellationTokenSource();
            var uploaders = Enumerable
                .Range(0, 4)
                .Select(_ =>
                    Task.Run(async () =>
                    {
                        while (!stop.IsCancellationRequested)
                        {
                            var key = $"{Interlocked.Increment(ref tried):00000}";
                            var content = new byte[Random.Shared.Next(0, 2_500_000)];
                            Random.Shared.NextBytes(content);
                            try
                            {
                                var response = await Http.PutAsync(
                                    new Uri($"/api/buckets/crashing/objects/{key}", UriKind.Relative),
                                    new ByteArrayContent(content)
                                );
                                if (response.StatusCode != HttpStatusCode.Created)
                                    continue;
                                lock (acknowledged)
                                    acknowledged[key] = Convert.ToHexStringLower(SHA256.HashData(content));
                            }
                            catch (HttpRequestException)
                            {
                                return;
                            }
                        }
                    })
                )
                .ToList();
            var enough = acknowledged.Count + random.Next(2, 12);
            while (Acknowledged() < enough)
                await Task.Delay(random.Next(1, 30));
            await server.Kill();
            await stop.CancelAsync();
            await Task.WhenAll(uploaders);
            await server.Start();
            await Check(acknowledged);
        }

        int Acknowledged()
        {
            lock (acknowledged)
                return acknowledged.Count;
        }
    }

    [Fact]
    public async Task A_midnight_run_that_was_cut_short_is_done_again_and_charges_nothing_twice()
    {
        const int days = 60;
        var demo = DemoDocument.Read();
        var reference = Directory.CreateTempSubdirectory("ripen-reference-").FullName;
        using var straight = new SimulatedProvider(reference, TimeProvider.System);
        straight.Adopt(new ProviderPlan(demo, 1, 1, demo.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(demo.Today, 1))));
        straight.Clock.PassUntil(straight.Clock.Now.AddDays(days), null, CancellationToken.None);

        await server.Start();
        for (var cutShort = 0; cutShort < 4; )
        {
            // Killed between two days or in the middle of one, as it comes: it counts where a run was really cut.
            var today = await Today();
            Assert.True(today < demo.Today.AddDays(days), "All days went by without a run being cut short.");
            await PassUntil(today.AddDays(1));
            await Task.Delay(random.Next(0, 120));
            await server.Kill();
            await server.Start();
            if ((await Http.GetFromJsonAsync<JsonNode>("/api/clock"))!["interrupted"] is not null)
                cutShort++;
            await SameLedger(straight, await Today());
        }
        await PassUntil(demo.Today.AddDays(days));
        while (await Today() < demo.Today.AddDays(days))
            await Task.Delay(50);
        await SameLedger(straight, demo.Today.AddDays(days));
        straight.Dispose();
        Directory.Delete(reference, recursive: true);
    }

    [Fact]
    public async Task A_plans_run_that_was_cut_short_is_done_late_and_harms_no_point()
    {
        await server.Start();
        var office = Directory.CreateDirectory(Path.Combine(server.Folder, "folders", "ledgers")).FullName;
        async Task Did(HttpMethod method, string path, object order)
        {
            var targets = await Http.GetAsync(new Uri("/api/targets", UriKind.Relative));
            using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative)) { Content = JsonContent.Create(order) };
            request.Headers.TryAddWithoutValidation("If-Match", targets.Headers.ETag!.Tag);
            using var response = await Http.SendAsync(request);
            Assert.True(response.IsSuccessStatusCode, await response.Content.ReadAsStringAsync());
        }
        async Task<JsonNode> Got(string path) => (await Http.GetFromJsonAsync<JsonNode>(path))!;
        await Did(HttpMethod.Post, "/api/targets/office-vault/pool", new { passphrase = "the ferry leaves at nine" });
        await Did(
            HttpMethod.Put,
            "/api/workloads/ledgers",
            new
            {
                id = "ledgers",
                name = "Ledgers",
                bytes = 4e7,
                region = "aldmouth",
                source = new { folder = "ledgers" },
            }
        );
        await Did(
            HttpMethod.Put,
            "/api/plans/twice",
            new
            {
                id = "twice",
                workloads = new[] { "ledgers" },
                target = "office-vault",
                every = new { days = 1 },
                at = new[] { "12:00" },
                keep = new { days = 60 },
            }
        );
        var day = (await Today()).AddDays(1);
        var cutShort = 0;
        for (; cutShort < 3; day = day.AddDays(1))
        {
            Assert.True(day < new DateOnly(2027, 3, 1), "Every run was quicker than the kill.");
            var content = new byte[12_000_000];
            random.NextBytes(content);
            await File.WriteAllBytesAsync(Path.Combine(office, $"{random.Next(3)}.ledger"), content);
            await Reach(At(day, 7));
            // The day's only run is cut, somewhere between its time and its end.
            await Http.PostAsJsonAsync("/api/clock/passages", new { until = At(day, 13) });
            await Task.Delay(random.Next(0, 500));
            await server.Kill();
            await server.Start();
            var now = (DateTimeOffset)(await Got("/api/clock"))["now"]!;
            if (now == At(day, 12) && (await Last()) < now)
                cutShort++;
            await Reach(At(day, 14));
            Assert.True(await Last() >= At(day, 12), $"The run of {day} was not made up for.");
        }
        // Each day has a point, and every point gives back all that it says.
        var points = (await Got("/api/targets/office-vault/points"))["points"]!.AsArray();
        Assert.True(points.Select(p => DayOf(p!)).Distinct().Count() >= day.DayNumber - points.Min(p => DayOf(p!)).DayNumber);
        Assert.DoesNotContain((await Got("/api/plans/runs?plan=twice")).AsArray(), r => r!["missed"] is not null);
        foreach (var point in points)
        {
            await Did(HttpMethod.Post, "/api/targets/office-vault/rehearsals", new { point = (string)point!["id"]! });
            JsonNode job;
            do job = (await Got("/api/targets/office-vault"))["job"]!;
            while ((bool)job["running"]!);
            Assert.Equal(((string?)null, 0), ((string?)job["error"], job["problems"]!.AsArray().Count));
        }

        static DateTimeOffset At(DateOnly day, int hour) => new(day.ToDateTime(new TimeOnly(hour, 0)), TimeSpan.Zero);

        static DateOnly DayOf(JsonNode point) => DateOnly.FromDateTime(((DateTimeOffset)point["taken"]!).UtcDateTime);

        async Task<DateTimeOffset?> Last() =>
            (await Got("/api/targets/office-vault/points"))["points"]!
                .AsArray()
                .Select(p => (DateTimeOffset?)p!["taken"]!)
                .FirstOrDefault();

        async Task Reach(DateTimeOffset until)
        {
            await Http.PostAsJsonAsync("/api/clock/passages", new { until });
            while (
                (DateTimeOffset)(await Got("/api/clock"))["now"]! < until || (bool?)(await Got("/api/clock"))["passage"]?["running"] == true
            )
                await Task.Delay(20);
        }
    }

    /// <summary>All that was acknowledged is there; all that is there is whole, has one charge and one file.</summary>
    private async Task Check(Dictionary<string, string> acknowledged)
    {
        var there = new Dictionary<string, string>();
        string? after = null;
        do
        {
            var page = (
                await Http.GetFromJsonAsync<JsonNode>(
                    $"/api/buckets/crashing/objects?most=1000{(after is null ? "" : $"&after={Uri.EscapeDataString(after)}")}"
                )
            )!;
            foreach (var o in page["objects"]!.AsArray())
                there[o!["key"]!.GetValue<string>()] = o["sha256"]!.GetValue<string>();
            after = (string?)page["next"];
        } while (after is not null);
        foreach (var (key, sha) in acknowledged)
            Assert.Equal(sha, there.GetValueOrDefault(key));
        foreach (var (key, sha) in there)
            Assert.Equal(
                sha,
                Convert.ToHexStringLower(
                    SHA256.HashData(await Http.GetByteArrayAsync(new Uri($"/api/buckets/crashing/objects/{key}", UriKind.Relative)))
                )
            );
        var writes = (await Http.GetFromJsonAsync<JsonNode>("/api/ledger?bucket=crashing"))!
            .AsArray()
            .Where(r => r!["charge"]!.GetValue<string>() == "writes")
            .Sum(r => r!["quantity"]!.GetValue<double>());
        Assert.Equal(there.Count, writes);
        // The demo's own files lie beside them.
        var contents = 0L;
        foreach (var bucket in (await Http.GetFromJsonAsync<JsonNode>("/api/estate"))!["buckets"]!.AsArray())
        {
            contents += (await Http.GetFromJsonAsync<JsonNode>($"/api/buckets/{bucket}/contents"))!["objects"]!.GetValue<long>();
        }
        Assert.Equal(
            contents,
            Directory.EnumerateFiles(Path.Combine(server.Folder, "provider", "content"), "*", SearchOption.AllDirectories).Count()
        );
        Assert.Empty(Directory.EnumerateFiles(Path.Combine(server.Folder, "provider", "incoming")));
    }

    private async Task SameLedger(SimulatedProvider straight, DateOnly today)
    {
        // The demo's uploaded files, and their copies, are the one thing that the reference does not have.
        var expected = straight
            .Ledger(DateOnly.MinValue, today, null)
            .Where(r => r.Bucket is not ("harbour-notices" or "notices-far") && r.Day < today)
            .ToList();
        var rows = (await Http.GetStringAsync(new Uri($"/api/ledger/rows.csv?to={today:yyyy-MM-dd}", UriKind.Relative)))
            .Split("\r\n")[1..^1]
            .Where(r =>
                !r.Contains(",harbour-notices,", StringComparison.Ordinal) && !r.Contains(",notices-far,", StringComparison.Ordinal)
            )
            .ToList();
        Assert.Equal(expected.Count, rows.Count);
        for (var i = 0; i < rows.Count; i++)
        {
            var amount = double.Parse(rows[i].Split(',')[^1], System.Globalization.CultureInfo.InvariantCulture);
            Assert.StartsWith($"{expected[i].Day:yyyy-MM-dd},{expected[i].Bucket},", rows[i], StringComparison.Ordinal);
            // Bands are shared with the notices' few bytes, which move the last digits of an amount.
            Assert.Equal(expected[i].Amount, amount, 4);
        }
    }

    private async Task PassUntil(DateOnly day) =>
        (
            await Http.PostAsJsonAsync("/api/clock/passages", new { until = day.ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc) })
        ).EnsureSuccessStatusCode();

    private async Task<DateOnly> Today() =>
        DateOnly.Parse(
            (await Http.GetFromJsonAsync<JsonNode>("/api/clock"))!["today"]!.GetValue<string>(),
            System.Globalization.CultureInfo.InvariantCulture
        );
}
