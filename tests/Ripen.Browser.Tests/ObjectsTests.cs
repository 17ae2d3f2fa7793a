using System.Security.Cryptography;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Files in and out, links, public reading, tiers and time, in the real interface. A server of its own: time passes
/// here.</summary>
public sealed class ObjectsTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose()
    {
        buckets.Dispose();
        http.Dispose();
    }

    private string Sample(string name, byte[] content)
    {
        var path = Path.Combine(demo.Ripen.Folder, name);
        File.WriteAllBytes(path, content);
        return path;
    }

    private const int AtOnce = 1_000_000_000;

    /// <summary>How fast the browser sends from now on.</summary>
    private void Slow(int bytesPerSecond, TimeSpan latency = default) =>
        ((OpenQA.Selenium.Chromium.ChromiumDriver)page.Browser).NetworkConditions = new OpenQA.Selenium.Chromium.ChromiumNetworkConditions
        {
            UploadThroughput = bytesPerSecond,
            DownloadThroughput = AtOnce,
            Latency = latency,
        };

    [Fact]
    public async Task A_file_is_uploaded_listed_and_downloaded_byte_for_byte()
    {
        await buckets.Make("up-and-down");
        var content = RandomNumberGenerator.GetBytes(3_333_333);
        var file = Sample("Fähre 🚢.bin", content);
        page.Open("/buckets/up-and-down#objects");
        page.See("Nothing lies here yet");
        page.Present("input[aria-label='Upload files…']").SendKeys(file + "\n" + Sample("empty.txt", []));
        page.See("2 of 2 files stored");
        page.Button("empty.txt");
        page.Click(page.Button("Fähre 🚢.bin"));
        page.See(Convert.ToHexStringLower(SHA256.HashData(content)));
        page.Until(() => page.Path.Contains("object=", StringComparison.Ordinal), "the object in the address");
        File.Delete(file);
        page.Click(page.Link("Download"));
        page.Until(() => File.Exists(file) && new FileInfo(file).Length == content.Length, "the downloaded file");
        Assert.Equal(content, await File.ReadAllBytesAsync(file));
    }

    [Fact]
    public async Task A_folder_keeps_its_shape_and_is_browsed_by_prefix()
    {
        await buckets.Make("whole-folders");
        var folder = Directory.CreateDirectory(Path.Combine(demo.Ripen.Folder, "deck")).FullName;
        Directory.CreateDirectory(Path.Combine(folder, "bow"));
        await File.WriteAllTextAsync(Path.Combine(folder, "bow", "one.txt"), "1");
        await File.WriteAllTextAsync(Path.Combine(folder, "two.txt"), "2");
        page.Open("/buckets/whole-folders#objects");
        page.See("Nothing lies here yet");
        page.Present("input[aria-label='Upload a folder…']").SendKeys(folder);
        page.See("2 of 2 files stored");
        page.Click(page.Button("deck/"));
        page.Button("two.txt");
        page.Click(page.Button("bow/"));
        page.Button("one.txt");
        page.Click(page.Button("the whole bucket"));
        page.Button("deck/");
        page.Open("/buckets/whole-folders?in=deck/bow/#objects");
        page.Button("one.txt");
    }

    [Fact]
    public async Task An_upload_is_paused_and_goes_on_and_a_refused_one_is_tried_again()
    {
        await buckets.Make("stop-and-go");
        var large = Path.Combine(demo.Ripen.Folder, "large.bin");
        await using (var file = File.Create(large))
            file.SetLength(400_000_000);
        page.Open("/buckets/stop-and-go#objects");
        page.See("Nothing lies here yet");
        // So that it is still under way when it is paused, and the server not yet asked where it goes.
        Slow(10_000_000, TimeSpan.FromSeconds(3));
        page.Present("input[aria-label='Upload files…']").SendKeys(large);
        page.Click(page.Button("Pause"));
        page.See("large.bin paused");
        Assert.Equal(
            System.Net.HttpStatusCode.NotFound,
            (await http.GetAsync(new Uri("/api/buckets/stop-and-go/details/large.bin", UriKind.Relative))).StatusCode
        );
        Slow(AtOnce);
        page.Click(page.Button("Go on"));
        page.See("1 of 1 files stored");

        Assert.Equal("[]", await http.GetStringAsync(new Uri("/api/buckets/stop-and-go/uploads", UriKind.Relative)));

        // Kept as it is, without versions: a second writing is refused, until the keep rule goes.
        var (bucket, tag) = await buckets.StoredWithTag("stop-and-go");
        bucket["keep"] = System.Text.Json.Nodes.JsonNode.Parse("""{ "days": 9, "strength": "liftable" }""");
        await buckets.Change(bucket, tag);
        File.Delete(large);
        page.Present("input[aria-label='Upload files…']").SendKeys(Sample("large.bin", [1, 2, 3]));
        page.Click(page.Button("Overwrite it"));
        page.See("large.bin failed: 'large.bin' is kept until");
        await buckets.Lift("stop-and-go");
        page.Click(page.Button("Try the failed ones again"));
        page.See("2 of 2 files stored");
    }

    [Fact]
    public async Task A_large_upload_outlives_its_page_and_what_nobody_completes_is_discarded()
    {
        await buckets.Make("long-ways");
        var content = RandomNumberGenerator.GetBytes(30_000_000);
        var file = Sample("soundings.bin", content);
        page.Open("/buckets/long-ways#objects");
        page.See("Nothing lies here yet");
        Slow(2_000_000);
        page.Present("input[aria-label='Upload files…']").SendKeys(file);
        page.Until(() => page.Find("main").Text.Contains("soundings.bin is being sent (1", StringComparison.Ordinal), "some of it sent");
        page.Open("/buckets/long-ways?again=1#objects");
        Slow(AtOnce);
        page.Until(() => Received().Result > 0, "what had come");
        page.Open("/buckets/long-ways#objects");
        page.See("One upload is not complete");
        Assert.InRange(await Received(), 1, content.Length - 1);
        page.Present("input[aria-label='Upload files…']").SendKeys(file);
        page.See("1 of 1 files stored");
        page.Gone("One upload is not complete");
        Assert.Equal(content, await http.GetByteArrayAsync(new Uri("/api/buckets/long-ways/objects/soundings.bin", UriKind.Relative)));

        using var begin = new HttpRequestMessage(HttpMethod.Post, new Uri("/api/buckets/long-ways/uploads", UriKind.Relative));
        begin.Headers.Add("Ripen-Request", "1");
        begin.Headers.Add("Tus-Resumable", "1.0.0");
        begin.Headers.Add("Upload-Length", "5");
        begin.Headers.Add("Upload-Metadata", "key " + Convert.ToBase64String("left behind.txt"u8));
        (await http.SendAsync(begin)).EnsureSuccessStatusCode();
        page.Open("/buckets/long-ways#objects");
        page.See("left behind.txt");
        page.Click(page.Find("button[aria-label='Discard what came of left behind.txt']"));
        page.Click(page.Button("Remove 0 B for good"));
        page.Gone("left behind.txt");

        async Task<long> Received()
        {
            var uploads = System.Text.Json.Nodes.JsonNode.Parse(
                await http.GetStringAsync(new Uri("/api/buckets/long-ways/uploads", UriKind.Relative))
            )!;
            return (long)uploads.AsArray().Single()!["received"]!;
        }
    }

    [Fact]
    public async Task Overwriting_asks_and_a_drop_anywhere_uploads_or_does_nothing()
    {
        await buckets.Make("asked-before");
        await Put("asked-before", "one.txt", "first");
        page.Open("/buckets/asked-before#objects");
        page.Button("one.txt");
        var input = "input[aria-label='Upload files…']";
        page.Present(input).SendKeys(Sample("one.txt", "second"u8.ToArray()) + "\n" + Sample("two.txt", [2]));
        page.See("One object is there already");
        page.See("what they hold now is gone");
        page.Click(page.Button("Cancel"));
        Assert.Equal("first", await Text("asked-before", "one.txt"));
        page.Present(input).SendKeys(Path.Combine(demo.Ripen.Folder, "one.txt"));
        page.Click(page.Button("Overwrite it"));
        page.See("1 of 1 files stored");
        Assert.Equal("second", await Text("asked-before", "one.txt"));

        Drop("dropped.txt");
        page.See("2 of 2 files stored");
        page.Button("dropped.txt");
        Assert.Equal("dropped", await Text("asked-before", "dropped.txt"));
        page.Open("/log");
        page.See("Estate imported");
        Drop("nowhere.txt");
        Assert.Equal("/log", page.Path);
    }

    private void Drop(string name) =>
        Assert.True(
            (bool)
                ((IJavaScriptExecutor)page.Browser).ExecuteScript(
                    """
                    const files = new DataTransfer();
                    files.items.add(new File(['dropped'], arguments[0]));
                    return ['dragover', 'drop'].every(kind =>
                      !document.body.dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: files })));
                    """,
                    name
                )!
        );

    [Fact]
    public async Task Among_thousands_of_keys_one_is_found_and_only_those_in_sight_are_drawn()
    {
        await buckets.Make("many-keys");
        await Task.WhenAll(
            Enumerable
                .Range(0, 8)
                .Select(async part =>
                {
                    for (var i = part; i < 1200; i += 8)
                        await Put("many-keys", $"log-{i:0000}.txt", "x");
                })
        );
        page.Open("/buckets/many-keys#objects");
        page.Button("log-0000.txt");
        var script = (IJavaScriptExecutor)page.Browser;
        page.Until(
            () =>
            {
                script.ExecuteScript("window.scrollTo(0, document.body.scrollHeight)");
                return page.Browser.FindElements(By.XPath("//button[.='log-1199.txt']")).Count > 0;
            },
            "the last key, by scrolling"
        );
        Assert.InRange(page.Browser.FindElements(By.CssSelector("#objects tbody button")).Count, 1, 150);
        page.Type(page.Present(By.XPath("//label[contains(., 'Begin at')]//input")), "log-07");
        page.Button("log-0700.txt");
        page.Gone("log-0699.txt");
        page.Type(page.Present(By.XPath("//label[contains(., 'Begin at')]//input")), "");
        page.Type(page.Present(By.XPath("//label[contains(., 'Find in keys')]//input")), "G-111");
        page.Button("log-1119.txt");
        Assert.Equal(10, page.Browser.FindElements(By.CssSelector("#objects tbody button")).Count);
        Assert.Contains("find=G-111", page.Path, StringComparison.Ordinal);
    }

    private async Task Put(string bucket, string key, string text) =>
        (
            await http.PutAsync(new Uri($"/api/buckets/{bucket}/objects/{key}", UriKind.Relative), new StringContent(text))
        ).EnsureSuccessStatusCode();

    private Task<string> Text(string bucket, string key) =>
        http.GetStringAsync(new Uri($"/api/buckets/{bucket}/objects/{key}", UriKind.Relative));

    /// <summary>Stored pages, pictures and programs, put before a real browser in every way in which one could run.</summary>
    [Fact]
    public async Task What_is_stored_never_runs_as_the_application()
    {
        await buckets.Make("hostile");
        const string steal = "document.title = 'stolen'; fetch('/api/estate').then(() => { document.title = 'stolen' })";
        foreach (
            var (key, type, text) in new[]
            {
                ("a.html", "text/html", $"<title>page</title><script>{steal}</script>"),
                ("a.svg", "image/svg+xml", $"<svg xmlns='http://www.w3.org/2000/svg'><script>{steal}</script></svg>"),
                ("a.js", "text/javascript", $"self.document ? ({steal}) : postMessage('stolen')"),
                ("a.txt", "text/plain", $"<script>{steal}</script>"),
            }
        )
        {
            using var content = new StringContent(text);
            content.Headers.ContentType = System.Net.Http.Headers.MediaTypeHeaderValue.Parse(type);
            (await http.PutAsync(new Uri($"/api/buckets/hostile/objects/{key}", UriKind.Relative), content)).EnsureSuccessStatusCode();
        }
        foreach (var key in new[] { "a.html", "a.svg", "a.js", "a.txt" })
        {
            page.Open("/schemes");
            page.See("Redundancy, side by side");
            page.Open($"/api/buckets/hostile/objects/{key}");
            Assert.NotEqual("stolen", page.Browser.Title);
            page.Open("/schemes");
            page.See("Redundancy, side by side");
            var ran = (string?)
                ((IJavaScriptExecutor)page.Browser).ExecuteAsyncScript(
                    """
                    const [address, done] = arguments;
                    const told = [];
                    const script = Object.assign(document.createElement('script'), { src: address });
                    const frame = Object.assign(document.createElement('iframe'), { src: address });
                    document.body.append(script, frame);
                    try { new Worker(address).onmessage = () => told.push('worker') } catch { }
                    import(address).then(() => told.push('module'), () => {});
                    setTimeout(() => done([document.title, frame.contentDocument?.title ?? '', ...told].filter((t) => /stolen|worker|module/.test(t)).join()), 700);
                    """,
                    $"/api/buckets/hostile/objects/{key}"
                );
            Assert.Equal((key, ""), (key, ran));
        }
    }

    [Fact]
    public async Task Small_objects_are_bundled_and_one_of_them_is_read_from_the_bundle()
    {
        await buckets.Make("small-things");
        foreach (var (key, text) in new[] { ("a.txt", "first"), ("b/ü.txt", "second") })
            (
                await http.PutAsync(new Uri($"/api/buckets/small-things/objects/{key}", UriKind.Relative), new StringContent(text))
            ).EnsureSuccessStatusCode();
        page.Open("/buckets/small-things#objects");
        page.Button("Bundle small ones…").SendKeys(Keys.Enter);
        page.See("2 objects, 11 B, become one.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Bundle them").SendKeys(Keys.Enter);
        page.See("2 objects lie in");
        page.Until(
            () => page.Browser.FindElements(By.TagName("button")).Any(b => b.Text.EndsWith(".bundle.tar", StringComparison.Ordinal)),
            "it"
        );
        page.Click(() =>
            page.Browser.FindElements(By.TagName("button")).First(b => b.Text.EndsWith(".bundle.tar", StringComparison.Ordinal))
        );
        page.See("2 objects in it");
        Assert.Empty(Accessibility.Violations(page.Browser));
        Assert.Equal("second", await http.GetStringAsync(new Uri(page.Link("b/ü.txt").GetAttribute("href")!)));
    }

    [Fact]
    public void A_deletion_is_undone_and_an_earlier_version_is_there()
    {
        page.Open("/buckets/harbour-notices?in=aldmouth/&object=aldmouth/berth-3-closed.txt");
        page.See("Versions");
        page.Click(page.Button("Delete"));
        page.Click(page.Button("Undo the deletion"));
        page.See("(current)");
        page.Until(() => page.Browser.FindElements(By.CssSelector("[aria-label='Versions'] li")).Count == 2, "both versions, and no mark");
        page.Press(Keys.Escape);
        page.Gone("Versions");
        page.Button("berth-3-closed.txt");
    }

    [Fact]
    public async Task A_timed_link_works_and_then_does_not_after_time_has_passed()
    {
        page.Open("/buckets/harbour-notices?object=readme.txt");
        page.Click(page.Button("Timed link…"));
        page.See("Whoever has the link can read");
        page.Type(page.Field("It lasts for"), "1");
        page.Find("[aria-label='Unit of how long it lasts'] option[value='1']").Click();
        page.Click(page.Button("Make the link"));
        var address = new Uri(page.Find("[role=dialog] input[readonly]").GetAttribute("value")!);
        Assert.Contains("One folder a port", await http.GetStringAsync(address), StringComparison.Ordinal);

        page.Open("/clock");
        page.Click(page.Button("A day"));
        page.See("day closed");
        page.Until(() => !http.GetAsync(address).GetAwaiter().GetResult().IsSuccessStatusCode, "a link that has ended");
        Assert.Contains("link-ended", await (await http.GetAsync(address)).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        page.Open("/buckets/harbour-notices#access");
        page.See("used once");
        page.See("ended");
    }

    [Fact]
    public async Task A_bucket_is_opened_by_typing_its_name_and_closed_again()
    {
        await buckets.Make("open-house");
        (
            await http.PutAsync(new Uri("/api/buckets/open-house/objects/a.txt", UriKind.Relative), new StringContent("hello"))
        ).EnsureSuccessStatusCode();
        var plain = new Uri("/objects/open-house/a.txt", UriKind.Relative);
        page.Open("/buckets/open-house#access");
        page.Click(page.Button("Open it to everybody…"));
        page.Type(page.Field("Type open-house to confirm"), "open-hous");
        Assert.Equal("true", page.Button("Open it").GetAttribute("aria-disabled"));
        page.Type(page.Field("Type open-house to confirm"), "open-house");
        page.Click(page.Button("Open it"));
        page.See("Everybody can read this bucket.");
        Assert.Equal("hello", await http.GetStringAsync(plain));
        page.Click(page.Button("Close it"));
        page.See("It is closed to the public.");
        Assert.False((await http.GetAsync(plain)).IsSuccessStatusCode);
        page.Open("/log");
        page.See("open-house: opened the bucket to public reading");
    }

    [Fact]
    public async Task An_access_is_given_shown_once_tested_and_removed()
    {
        await buckets.Make("with-keys");
        page.Open("/buckets/with-keys#access");
        page.Click(page.Button("Grant access…"));
        page.Click(page.Button("Grant it"));
        page.See("Say who or what the access is for.");
        page.Type(page.Field("For whom or what"), "the harbour office");
        page.Click(page.Button("Grant it"));
        page.See("Copy the secret now");
        var key = page.Find("[data-testid='key']").Text;
        page.Click(page.Button("Test it"));
        page.Click(page.Find("[role=dialog] button[type=submit]"));
        page.See("list worked");
        page.See("write a probe did not work: This access has no right to write.");
        page.Press(Keys.Escape);
        page.Click(page.Button("I have copied it"));
        page.See("may read, list everywhere");
        Assert.DoesNotContain(key.Split(':')[1], page.Browser.PageSource, StringComparison.Ordinal);

        using var request = new HttpRequestMessage(HttpMethod.Get, "/objects/with-keys");
        request.Headers.TryAddWithoutValidation(
            "Authorization",
            "Basic " + Convert.ToBase64String(System.Text.Encoding.UTF8.GetBytes(key))
        );
        Assert.True((await http.SendAsync(request)).IsSuccessStatusCode);
        // One more key; the first one goes on until a day.
        page.Click(page.Find("[aria-label='New key… for the harbour office']"));
        page.Type(page.Field("The keys that are there end on the morning of"), "01/01/2031");
        page.Click(page.Button("Make the key"));
        page.See("New key of the harbour office");
        page.Click(page.Button("I have copied it"));
        page.See("ends 1 Jan 2031");
        page.Click(page.Find($"[aria-label='Let it go on: {key.Split(':')[0]}']"));
        page.Gone("ends 1 Jan 2031");
        page.Click(page.Find("[aria-label='Remove the access of the harbour office']"));
        page.Click(page.Find("[aria-label='Yes: remove the access of the harbour office']"));
        page.See("Nobody has keys to it.");
    }

    [Fact]
    public async Task Moving_to_another_tier_shows_its_consequences_first()
    {
        await buckets.Make("by-hand");
        (
            await http.PutAsync(
                new Uri("/api/buckets/by-hand/objects/logs/a.txt", UriKind.Relative),
                new ByteArrayContent(new byte[9_000_000])
            )
        ).EnsureSuccessStatusCode();
        page.Open("/buckets/by-hand?in=logs/#objects");
        page.Click(page.Button("Move everything under logs/ to another tier…"));
        page.See("1 object, 9 MB, leave");
        page.See("the first byte takes 18 hours");
        page.Click(() => page.Find("[role=dialog] summary"));
        page.See("moved in");
        Assert.Empty(Accessibility.Violations(page.Browser));
        Assert.Equal("counter", (await Tier())!);
        page.Click(page.Button("Move now"));
        page.Gone("Move now");
        Assert.Equal("cave", (await Tier())!);

        async Task<string?> Tier() =>
            System.Text.Json.Nodes.JsonNode.Parse(
                await http.GetStringAsync(new Uri("/api/buckets/by-hand/details/logs/a.txt", UriKind.Relative))
            )!["chosen"]!["tier"]!.GetValue<string>();
    }

    [Fact]
    public async Task An_inventory_is_read_its_broken_row_is_told_and_it_is_imported()
    {
        await buckets.Make("from-elsewhere");
        var file = Sample(
            "list.csv",
            System.Text.Encoding.UTF8.GetBytes("name,size,last modified\ncharts/1,5000000,2024-01-01\ncharts/2,lots,2024-01-01\n")
        );
        page.Open("/buckets/from-elsewhere#untouched");
        page.Click(page.Button("Import an inventory…"));
        page.Present("input[aria-label='Inventory file']").SendKeys(file);
        page.Click(page.Button("Read it through"));
        page.See("Row 2, size “lots”: Write whole bytes, in digits only.");
        page.Click(page.Button("Import without the 1 broken rows"));
        page.Gone("Row 2");
        page.Until(
            () => page.Find("[aria-label='Untouched'] table").Text.Contains("charts/", StringComparison.Ordinal),
            "the untouched prefix"
        );
        page.Click(() => page.Find("[aria-label='Untouched'] button[aria-label$='charts/, 365 days: what makes it']"));
        page.See("GB-month × ");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
