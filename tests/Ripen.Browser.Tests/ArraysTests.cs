using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A local array is bound to a bucket by keyboard, the night takes what nobody used, and a volume comes home. Time passes
/// here.</summary>
public sealed class ArraysTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose()
    {
        buckets.Dispose();
        http.Dispose();
    }

    private async Task Make()
    {
        await buckets.Make("array-shelf");
        using var look = await http.GetAsync(new Uri("/api/arrays", UriKind.Relative));
        using var put = new HttpRequestMessage(HttpMethod.Put, "/api/arrays")
        {
            Content = new StringContent(
                """
                { "arrays": [ { "id": "hall", "name": "The hall", "region": "quarrydown", "capacityBytes": 1e13, "pricePerUnitMonth": 0.05,
                    "leaving": [ { "id": "old-plans", "afterDays": 300 } ], "volumes": [
                    { "id": "plans", "name": "Plans", "data": [
                        { "files": 1000, "bytesPerFile": 2000000, "lastUsed": "2026-03-01" },
                        { "files": 1000, "bytesPerFile": 1000000, "lastUsed": "2026-10-01" } ] },
                    { "id": "boot", "name": "Boot", "staysBecause": "machines start from it", "data": [
                        { "files": 1, "bytesPerFile": 5000000000, "lastUsed": "2026-06-01" } ] } ] } ] }
                """,
                Encoding.UTF8,
                "application/json"
            ),
        };
        put.Headers.TryAddWithoutValidation("If-Match", look.Headers.ETag!.Tag);
        (await http.SendAsync(put)).EnsureSuccessStatusCode();
    }

    [Fact]
    public async Task An_array_is_bound_its_night_seen_and_a_volume_brought_home()
    {
        await Make();
        page.Open("/arrays");
        page.Link("The hall");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Link("The hall"));
        page.See("This is no backup.");
        page.See("0 B would leave, if there were a bucket.");
        page.See("Cannot take part: machines start from it.");
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Field("It leaves to").SendKeys("array-shelf");
        var handle = page.Handle("old-plans: days since use");
        for (var i = 0; i < 4; i++)
            handle.SendKeys(Keys.PageDown);
        page.See("180 unread");
        page.See("Tonight 2 GB leave. The array then holds 6 GB.");
        page.See("2 GB tonight, of 3 GB on the array that it is for.");
        // What is held less, and what lies in the bucket instead, by keyboard.
        page.Find("button[aria-label*='year 3, together']").SendKeys(Keys.Enter);
        page.See("on it before");
        page.Find("button[aria-label*='Plans saves a month']").SendKeys(Keys.Enter);
        page.See("in the bucket");
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Type(page.Field("Rule"), "");
        page.Until(() => !page.Button("Apply…").Enabled || page.Button("Apply…").GetAttribute("aria-disabled") == "true", "no applying");
        page.Type(page.Field("Rule"), "old");
        page.Click(page.Button("Apply…"));
        page.See("To undo it, every volume is brought home");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Bind it"));
        page.See("Stored: the next night takes what is old enough.");

        var clock = await http.GetFromJsonAsync<JsonNode>(new Uri("/api/clock", UriKind.Relative));
        var until = DateTimeOffset.Parse((string)clock!["now"]!, System.Globalization.CultureInfo.InvariantCulture).AddDays(1);
        (await http.PostAsJsonAsync("/api/clock/passages", new { until })).EnsureSuccessStatusCode();
        page.Until(() => Away().Result == 2e9, "the night");
        page.Open("/arrays/hall");
        page.See("2 GB away in array-shelf");
        page.Click(page.Find("button[aria-label='Read from Plans']"));
        page.See("1,000 files, 2 GB, are away: they are read in the bucket, and stay there.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Type(page.Field("Paths that begin"), "attic");
        page.See("'Plans' has nothing whose path begins with 'attic'.");
        page.Click(page.Button("Cancel"));
        page.See("For reading all 2 GB that are away.");
        page.Find("input[name=home-on-read]:not(:checked)").SendKeys(Keys.Space);
        page.Click(page.Button("Apply…"));
        page.Click(page.Button("Apply"));
        page.Until(() => page.Browser.FindElements(By.CssSelector("[role=dialog]")).Count == 0, "stored");
        page.Click(page.Find("button[aria-label='Read from Plans']"));
        page.See("are away: they are read in the bucket, come home, and leave it.");
        page.Click(page.Button("Cancel"));
        page.Click(page.Find("button[aria-label='Bring Plans home']"));
        page.See("1,000 files, 2 GB, are read and leave the bucket.");
        page.See("Once, together");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Bring it home"));
        page.See("Plans: 2 GB are at home again.");
        page.Gone("away in array-shelf");
    }

    private async Task<double> Away()
    {
        var arrays = await http.GetFromJsonAsync<JsonNode>(new Uri("/api/arrays", UriKind.Relative));
        return (double)arrays!["arrays"]![0]!["volumes"]![0]!["awayBytes"]!;
    }
}
