namespace Ripen.Server.Tests;

/// <summary>The commands of <c>ripen</c> that speak to a running server.</summary>
public sealed class ServerCommandTests(CurlFixture fixture) : IClassFixture<CurlFixture>
{
    private readonly ServerProcess server = fixture.Server;

    private Task<(int Code, string Output, string Errors)> Ripen(params string[] arguments) =>
        CommandLine.Run([.. arguments, "--server", server.Address.ToString()]);

    [Fact]
    public async Task An_object_is_put_listed_got_and_deleted()
    {
        var (file, back) = (Path.Combine(server.Folder, "notice.txt"), Path.Combine(server.Folder, "back.txt"));
        await File.WriteAllTextAsync(file, "Berth 3 is open again.\n");
        const string target = "harbour-notices/aldmouth/quay ä/open.txt";
        Assert.Equal(0, (await Ripen("put", file, target)).Code);
        Assert.Contains(
            "aldmouth/quay ä/open.txt\t23\tcounter\n",
            (await Ripen("list", "harbour-notices", "--prefix", "aldmouth/quay")).Output,
            StringComparison.Ordinal
        );
        Assert.Equal((0, "Berth 3 is open again.\n", ""), await Ripen("get", target));
        Assert.Equal(0, (await Ripen("get", target, "--out", back)).Code);
        Assert.Equal(await File.ReadAllBytesAsync(file), await File.ReadAllBytesAsync(back));
        Assert.Contains("is the mark of it", (await Ripen("delete", target)).Output, StringComparison.Ordinal);
        var gone = await Ripen("get", target, "--out", Path.Combine(server.Folder, "none.txt"));
        Assert.Equal((3, ""), (gone.Code, gone.Output));
        Assert.Contains("There is no object", gone.Errors, StringComparison.Ordinal);
        Assert.False(File.Exists(Path.Combine(server.Folder, "none.txt")));
        Assert.Equal(3, (await Ripen("put", Path.Combine(server.Folder, "missing"), target)).Code);
        Assert.Contains("write BUCKET/KEY", (await Ripen("get", "no-slash")).Errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_large_file_that_broke_off_goes_on_and_one_that_nobody_wants_is_discarded()
    {
        var (file, back) = (new FileInfo(Path.Combine(server.Folder, "chart.bin")), Path.Combine(server.Folder, "chart.back"));
        var content = new byte[9_000_000];
        Random.Shared.NextBytes(content);
        await File.WriteAllBytesAsync(file.FullName, content);
        file.Refresh();
        await Begin(
            FormattableString.Invariant($"{file.Name} {file.Length} {file.LastWriteTimeUtc:O}"),
            "charts/ü.bin",
            content[..4_000_000]
        );
        await Begin("another file", "charts/ü.bin", content[..10]);
        var listed = (await Ripen("uploads", "port-sonar")).Output;
        Assert.Contains("\tcharts/ü.bin\t4000000\t9000000\t", listed, StringComparison.Ordinal);
        var put = await Ripen("put", file.FullName, "port-sonar/charts/ü.bin");
        Assert.Contains("goes on at byte 4000000 of 9000000", put.Output, StringComparison.Ordinal);
        Assert.Equal(0, (await Ripen("get", "port-sonar/charts/ü.bin", "--out", back)).Code);
        Assert.Equal(content, await File.ReadAllBytesAsync(back));
        var left = (await Ripen("uploads", "port-sonar")).Output;
        Assert.Equal(0, (await Ripen("upload-discard", "port-sonar", left.Split('\t')[0])).Code);
        Assert.Equal("", (await Ripen("uploads", "port-sonar")).Output);
        Assert.DoesNotContain("goes on", (await Ripen("put", file.FullName, "port-sonar/charts/ü.bin")).Output, StringComparison.Ordinal);
    }

    private async Task Begin(string fingerprint, string key, byte[] sent)
    {
        static string Said(string text) => Convert.ToBase64String(System.Text.Encoding.UTF8.GetBytes(text));
        using var begin = new HttpRequestMessage(HttpMethod.Post, new Uri("/api/buckets/port-sonar/uploads", UriKind.Relative))
        {
            Content = new ByteArrayContent(sent) { Headers = { { "Content-Type", "application/offset+octet-stream" } } },
        };
        begin.Headers.Add("Tus-Resumable", "1.0.0");
        begin.Headers.Add("Upload-Length", "9000000");
        begin.Headers.Add("Upload-Metadata", $"key {Said(key)},fingerprint {Said(fingerprint)}");
        (await server.Http.SendAsync(begin)).EnsureSuccessStatusCode();
    }

    [Fact]
    public async Task Small_objects_are_kept_by_themselves_or_bundled_and_read_one_by_one()
    {
        const string bucket = "engine-telemetry";
        var file = Path.Combine(server.Folder, "small.txt");
        foreach (var key in new[] { "small/kept.txt", "small/one.txt", "small/two ü.txt" })
        {
            await File.WriteAllTextAsync(file, $"what {key} says\n");
            Assert.Equal(0, (await Ripen("put", file, $"{bucket}/{key}")).Code);
        }
        Assert.Contains(
            "2040-01-01",
            (await Ripen("keep", bucket, "small/kept.txt", "--until", "2040-01-01")).Output,
            StringComparison.Ordinal
        );
        var less = await Ripen("keep", bucket, "small/kept.txt", "--until", "2039-01-01");
        Assert.Equal(3, less.Code);
        Assert.Contains("Say who answers", less.Errors, StringComparison.Ordinal);

        string[] order = ["bundle", bucket, "small/", "--smaller-than", "1000"];
        Assert.Contains("\"kept\": 1", (await Ripen([.. order, "--draft"])).Output, StringComparison.Ordinal);
        var made = System.Text.Json.Nodes.JsonNode.Parse((await Ripen(order)).Output)!;
        var bundle = (string)made["bundle"]!;
        var members = (await Ripen("bundle-members", bucket, bundle)).Output.Split('\n', StringSplitOptions.RemoveEmptyEntries);
        Assert.Equal(["small/one.txt", "small/two ü.txt"], members.Select(m => m.Split('\t')[0]));
        Assert.Equal((0, "what small/two ü.txt says\n", ""), await Ripen("bundle-member", bucket, bundle, "small/two ü.txt"));
        Assert.Equal(3, (await Ripen("bundle-member", bucket, bundle, "small/kept.txt")).Code);
        Assert.Equal((0, "what small/kept.txt says\n", ""), await Ripen("get", $"{bucket}/small/kept.txt"));
    }

    [Fact]
    public async Task What_rules_do_in_twelve_months_is_told_as_csv()
    {
        var (code, output, _) = await Ripen("tonight", "--months", "12", "--bucket", "engine-telemetry");
        Assert.Equal(0, code);
        var lines = output.Split('\n', StringSplitOptions.RemoveEmptyEntries);
        Assert.Equal("month,bucket,deed,rule,fromTier,toTier,objects,bytes,charge", lines[0].Trim());
        Assert.All(lines[1..], l => Assert.Contains(",engine-telemetry,", l, StringComparison.Ordinal));
        Assert.Equal(12, lines[1..].Select(l => l[..7]).Distinct().Count());
        Assert.Equal(3, (await Ripen("tonight", "--months", "0")).Code);
    }

    [Fact]
    public async Task Time_passes_and_the_ledger_tells_what_it_cost()
    {
        var before = DateTimeOffset.Parse((await Ripen("clock")).Output, System.Globalization.CultureInfo.InvariantCulture);
        var after = DateTimeOffset.Parse((await Ripen("pass", "week")).Output, System.Globalization.CultureInfo.InvariantCulture);
        Assert.Equal(before.AddDays(7), after);
        var ledger = (await Ripen("ledger", "--bucket", "port-sonar")).Output.Split("\r\n");
        Assert.Equal("day,bucket,region,tier,charge,quantity,unit,amount", ledger[0]);
        var stored = ledger.Where(l => l.Contains(",storage,", StringComparison.Ordinal)).Select(l => l.Split(',')[0]).ToList();
        for (var day = before.Date; day < after.Date; day = day.AddDays(1))
            Assert.Single(stored, $"{day:yyyy-MM-dd}");
        var back = await Ripen("pass", "2020-01-01");
        Assert.Equal(3, back.Code);
        Assert.Contains("cannot run backwards", back.Errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Copies_are_made_proved_and_survive_a_lost_region()
    {
        var file = Path.Combine(server.Folder, "copied.txt");
        await File.WriteAllTextAsync(file, "copied\n");
        var refused = await Ripen("copy", "deck-cameras", "recorders-far", "--catch-up", "false");
        Assert.Equal(3, refused.Code);
        Assert.Contains("switch versioning on for 'deck-cameras'", refused.Errors, StringComparison.Ordinal);
        Assert.Equal(
            0,
            (
                await Ripen("copy", "deck-cameras", "recorders-far", "--prefix", "notes/", "--catch-up", "false", "--switch-versioning-on")
            ).Code
        );
        Assert.Equal(0, (await Ripen("put", file, "deck-cameras/notes/copied.txt", "--tags", "kind=note")).Code);
        Assert.Equal(0, (await Ripen("cut", "aldmouth", "kestrel-sound")).Code);
        await Ripen("pass", "hour");
        Assert.Contains("deck-cameras\trecorders-far\t1\t7\t0\t0\t1\t1\t", (await Ripen("copies")).Output, StringComparison.Ordinal);
        Assert.Equal(0, (await Ripen("restore-line", "kestrel-sound", "aldmouth")).Code);
        Assert.Contains("was written at", (await Ripen("prove", "deck-cameras", "recorders-far")).Output, StringComparison.Ordinal);
        await Ripen("pass", "hour");
        var audit = await Ripen("audit", "deck-cameras", "recorders-far", "--read-everything");
        Assert.Equal(0, audit.Code);
        Assert.Contains(
            "2 objects compared by key, version and checksum, every byte read: 2 the same",
            audit.Output,
            StringComparison.Ordinal
        );
        var lost = await Ripen("lose-region", "aldmouth");
        Assert.Contains("deck-cameras\tbow/\t", lost.Output, StringComparison.Ordinal);
        Assert.DoesNotContain("notes/copied.txt", lost.Output, StringComparison.Ordinal);
        Assert.Equal((0, "copied\n", ""), await Ripen("get", "recorders-far/notes/copied.txt"));
        Assert.Equal(3, (await Ripen("get", "deck-cameras/notes/copied.txt")).Code);
        Assert.Equal("Back with all its data.\n", (await Ripen("return-region", "aldmouth")).Output);
        Assert.Equal("0 queued\n", (await Ripen("refill", "deck-cameras")).Output);
    }

    [Fact]
    public async Task A_keep_rule_is_lifted_time_over_its_end_is_confirmed_and_the_stores_are_told()
    {
        var sealedRule = await Ripen("lift", "deck-cameras", "--reason", "because");
        Assert.Equal(3, sealedRule.Code);
        Assert.Contains("never shorter, liftable or gone", sealedRule.Errors, StringComparison.Ordinal);
        Assert.Equal((0, "crew-records is kept no longer\n", ""), await Ripen("lift", "crew-records", "--reason", "the case was closed"));
        var unseen = await Ripen("pass", "2028-06-01");
        Assert.Equal(3, unseen.Code);
        Assert.Contains("Confirm by typing the day, 2028-06-01", unseen.Errors, StringComparison.Ordinal);
        Assert.Equal("together\tDatabase and folder belong together.\n", (await Ripen("stores")).Output);
        Assert.Equal(3, (await Ripen("stores", "--take", "folder")).Code);
    }

    [Fact]
    public async Task A_bill_is_brought_mapped_fitted_and_forgotten()
    {
        var file = Path.Combine(server.Folder, "bill.csv");
        await File.WriteAllTextAsync(file, "month,resource,posten,unit,quantity,amount\n2026-10,cams,warm,GB-month,1000,31\n");
        Assert.Contains("Which column says the item?", (await Ripen("bill-bring", file)).Errors, StringComparison.Ordinal);
        var number = (await Ripen("bill-bring", file, "--item", "posten")).Output.Trim();
        Assert.StartsWith($"{number}\tbill.csv\t", (await Ripen("bills")).Output, StringComparison.Ordinal);
        var mapping = Path.Combine(server.Folder, "mapping.json");
        await File.WriteAllTextAsync(
            mapping,
            """
            { "resources": [ { "resource": "cams", "bucket": "deck-cameras" } ],
              "items": [ { "item": "warm", "unit": "GB-month", "tier": "counter", "charge": "storage" } ] }
            """
        );
        Assert.Equal("mapped\t31\naside\t0\n", (await Ripen("bill-map", number, mapping)).Output);
        Assert.Contains("\taldmouth\tcounter\tstorage\t"[1..], (await Ripen("bill", number)).Output, StringComparison.Ordinal);
        Assert.StartsWith("{\"currency\":", (await Ripen("bill-prices", number)).Output, StringComparison.Ordinal);
        Assert.Equal(0, (await Ripen("bill-forget", number)).Code);
        Assert.Equal("", (await Ripen("bills")).Output);
    }

    [Fact]
    public async Task A_budget_is_fixed_read_and_told_apart()
    {
        var number = (await Ripen("budget-fix", "Winter", "--months", "3", "--headroom", "0.05")).Output.Trim();
        Assert.StartsWith($"{number}\tWinter\t", (await Ripen("budgets")).Output, StringComparison.Ordinal);
        var months = (await Ripen("budget", number)).Output.Trim().Split('\n').Select(l => l.Split('\t')).ToList();
        Assert.Equal(3, months.Count);
        Assert.All(months, m => Assert.Equal(Number(m[1]) * 1.05, Number(m[2]), 1e-6));
        var variance = (await Ripen("budget-variance", number, "--by", "charge")).Output.Trim().Split('\n');
        Assert.Equal(7, variance[^1].Split('\t').Length);
        Assert.StartsWith("in all\t", variance[^1], StringComparison.Ordinal);
        Assert.StartsWith("month,bucket,region,", (await Ripen("budget-rows", number, "--expected")).Output, StringComparison.Ordinal);
        Assert.Contains("from 1 to 36", (await Ripen("budget-fix", "Far", "--months", "99")).Errors, StringComparison.Ordinal);

        static double Number(string text) => double.Parse(text, System.Globalization.CultureInfo.InvariantCulture);
    }

    [Fact]
    public async Task Scenarios_are_listed_told_apart_written_and_replaced()
    {
        var listed = (await Ripen("scenarios")).Output;
        Assert.StartsWith("-\tAs it stands\t", listed, StringComparison.Ordinal);
        Assert.Contains("sonar-ages\tSonar data ages\t", listed, StringComparison.Ordinal);
        var told = (await Ripen("scenario", "sonar-ages", "--by", "charge", "--months", "12")).Output.Split('\n');
        var (storage, all) = (told.Single(l => l.StartsWith("storage\t", StringComparison.Ordinal)).Split('\t'), told[^2].Split('\t'));
        Assert.Equal(("in all", 5), (all[0], all.Length));
        Assert.StartsWith("-", storage[2], StringComparison.Ordinal);
        var rows = Path.Combine(server.Folder, "aged.csv");
        Assert.Equal(0, (await Ripen("scenario-rows", "sonar-ages", "--months", "2", "--out", rows)).Code);
        Assert.StartsWith("month,bucket,region,tier,charge,", await File.ReadAllTextAsync(rows), StringComparison.Ordinal);
        var sure = (await Ripen("how-sure", "--growth", "0,0.1,0.2", "--months", "24", "--runs", "50")).Output.Split('\n');
        Assert.Equal(["1", "2", "all", "growth"], sure.SkipLast(1).Select(l => l.Split('\t')[0]));
        Assert.Contains("do not fall", (await Ripen("how-sure", "--growth", "3,2,1")).Errors, StringComparison.Ordinal);

        const string month = "2028-05";
        Assert.StartsWith("port-sonar\t", (await Ripen("why", month)).Output, StringComparison.Ordinal);
        var why = (await Ripen("why", month, "--bucket", "voyage-recorders", "--tier", "cave", "--charge", "storage")).Output;
        Assert.Contains("rule 'recorders' moves it here at 118 days", why, StringComparison.Ordinal);
        Assert.Equal(3, (await Ripen("why", "2001-01")).Code);
        Assert.Contains("Support fixed aldmouth\t95\n", (await Ripen("why", month, "--bucket", "*")).Output, StringComparison.Ordinal);

        var file = Path.Combine(server.Folder, "scenarios.json");
        var before = (await Ripen("scenarios", "--json")).Output;
        await File.WriteAllTextAsync(file, """{ "scenarios": [ { "id": "none", "name": "Nothing else" } ] }""");
        Assert.Equal((0, "Stored.\n", ""), await Ripen("scenarios-set", file));
        Assert.Contains("none\tNothing else\t", (await Ripen("scenarios")).Output, StringComparison.Ordinal);
        Assert.Equal(3, (await Ripen("scenario", "sonar-ages")).Code);
        await File.WriteAllTextAsync(file, before);
        Assert.Equal(0, (await Ripen("scenarios-set", file)).Code);
        Assert.Equal(before, (await Ripen("scenarios", "--json")).Output);
    }

    [Fact]
    public async Task Schemes_are_told_and_a_server_that_is_not_there_is_an_error()
    {
        Assert.Contains("ten-and-four\t4\t0\t0\t", (await Ripen("schemes")).Output, StringComparison.Ordinal);
        Assert.Equal(3, (await CommandLine.Run("clock", "--server", "http://127.0.0.1:9")).Code);
        Assert.Equal(1, (await CommandLine.Run("clock", "--server", "nonsense")).Code);
    }

    [Fact]
    public async Task A_plan_reads_a_folder_while_time_passes_and_a_mail_of_it_comes_back()
    {
        var office = Directory.CreateDirectory(Path.Combine(server.Folder, "folders", "post")).FullName;
        const string mail = "From: Cook <cook@brackwater.example>\nSubject: Flour for the galley\n\nTwo sacks.\n";
        await File.WriteAllTextAsync(Path.Combine(office, "galley.mbox"), $"From cook Sat Mar  2 09:00:00 2024\n{mail}\n");
        var (target, workload, plan) = (
            Path.Combine(server.Folder, "target.json"),
            Path.Combine(server.Folder, "workload.json"),
            Path.Combine(server.Folder, "plan.json")
        );
        await File.WriteAllTextAsync(
            target,
            """{ "id": "locker", "name": "Locker", "kind": "directory", "folder": "locker", "capacityBytes": 50000000, "operatedBy": "own", "encrypts": false }"""
        );
        await File.WriteAllTextAsync(
            workload,
            """{ "id": "post", "name": "Post", "bytes": 1000, "region": "aldmouth", "source": { "folder": "post" } }"""
        );
        await File.WriteAllTextAsync(
            plan,
            """{ "id": "posts", "workloads": ["post"], "target": "locker", "every": { "days": 1 }, "at": ["12:00"], "keep": { "days": 90 } }"""
        );
        Assert.Equal((0, ""), Short(await Ripen("target", "put", target)));
        Assert.Equal((0, ""), Short(await Ripen("pool", "make", "locker")));
        Assert.Equal((0, ""), Short(await Ripen("workload", "put", workload)));
        Assert.Equal((0, ""), Short(await Ripen("plan", "put", plan)));
        var now = await Ripen("plan", "run", "posts", "post", "--until", "2099-01-01");
        Assert.Equal((0, ""), Short(now));
        await Ripen("pass", "day");
        var charged = (
            await Ripen("why", "2026-11", "--charged", "--bucket", "port-sonar", "--tier", "counter", "--charge", "storage")
        ).Output;
        Assert.Contains("GB-month stored / 1 x ", charged, StringComparison.Ordinal);
        Assert.Contains("\n2026-11-01 ", charged, StringComparison.Ordinal);
        Assert.StartsWith("devices\t", (await Ripen("why", "2026-11", "--charged", "--bucket", "*")).Output, StringComparison.Ordinal);
        Assert.Equal(3, (await Ripen("why", "2026-11", "--charged", "--bucket", "nobodys")).Code);
        Assert.Contains("post\tlocker\t", (await Ripen("plan", "runs", "posts")).Output, StringComparison.Ordinal);
        File.Delete(Path.Combine(office, "galley.mbox"));
        await Ripen("pass", "day");

        var found = (await Ripen("find-mail", "--subject", "flour", "--target", "locker")).Output.Split('\t');
        Assert.Equal(("locker", "galley.mbox"), (found[0], found[2]));
        Assert.Equal((0, mail, ""), await Ripen("mail", found[0], found[1], found[2], found[3]));
        Assert.Equal((0, ""), Short(await Ripen("mail", found[0], found[1], found[2], found[3], "--into", "post/back.mbox")));
        Assert.Contains("Two sacks.", await File.ReadAllTextAsync(Path.Combine(office, "back.mbox")), StringComparison.Ordinal);
        var refused = await Ripen("mail", found[0], found[1], found[2], "5");
        Assert.Equal(3, refused.Code);
        Assert.Contains("no message begins at 5", refused.Errors, StringComparison.Ordinal);
        Assert.Equal(3, (await Ripen("plan", "run", "posts", "ticket-db")).Code);
    }

    private static (int, string) Short((int Code, string Output, string Errors) ended) => (ended.Code, ended.Errors);
}
