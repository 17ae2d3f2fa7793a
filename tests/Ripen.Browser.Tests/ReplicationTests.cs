using System.Net.Http.Json;
using System.Text;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Copies elsewhere in the real interface. A server of its own: time passes here, lines are cut and a region is lost.</summary>
public sealed class ReplicationTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose() => http.Dispose();

    [Fact]
    public void Two_buckets_in_two_regions_a_rule_an_upload_its_copy_and_the_proof()
    {
        page.Open("/new");
        page.Type(page.Field("Name"), "quay-plans");
        page.See("This name is free.");
        page.Click(page.Button("Make the bucket"));
        page.Until(() => page.Path == "/buckets/quay-plans", "the new bucket's sheet");
        page.See("What lies here is nowhere else");

        // The other bucket, the rule and both sides' versioning are one draft.
        page.Open("/replication/new?from=quay-plans");
        page.See("switch versioning on for 'quay-plans' in the same change");
        Assert.Equal("quay-plans-far", page.Field("Its name").GetAttribute("value"));
        page.Click(Labelled("Switch versioning on for quay-plans"));
        page.Gone("Cannot be applied");
        page.See("The line carries");
        page.Click(Labelled("Only what comes from now on"));
        page.Click(page.Button("Apply"));
        page.Until(() => page.Path.StartsWith("/replication/rules/", StringComparison.Ordinal), "the rule's sheet");

        var file = Path.Combine(demo.Ripen.Folder, "berths.txt");
        File.WriteAllText(file, "Berth 1 is the long one.");
        page.Open("/buckets/quay-plans#objects");
        page.See("Nothing lies here yet");
        page.Present("input[aria-label='Upload files…']").SendKeys(file);
        page.See("1 of 1 files stored");
        page.Click(page.Button("berths.txt"));
        page.See("quay-plans-far, Kestrel Sound: waits to be copied since");
        page.Open("/replication");
        Assert.StartsWith("1", Cell("quay-plans", "waiting"), StringComparison.Ordinal);
        Pass("hour");
        page.Until(() => Cell("quay-plans", "waiting") == "0" && Cell("quay-plans", "copied") == "1", "the copy");
        page.Open("/buckets/quay-plans-far?object=berths.txt");
        page.See("quay-plans, Aldmouth: the original, written");

        page.Open("/replication");
        page.Click(page.Link("quay-plans – quay-plans-far"));
        page.Click(page.Button("Send a probe"));
        page.See("When it has arrived it is compared byte for byte");
        Pass("hour");
        page.See("4096 bytes compared, all the same.");
        page.Click(page.Button("Compare both sides…"));
        page.Click(page.Button("Compare now"));
        page.See("1 the same on both sides, 0 waiting. No difference.");
        page.Click(page.Link("The record"));
        page.See("1 object compared by key, version and checksum");
        page.Link("As CSV");
        page.Open("/replication");
        page.Click(page.Find("[aria-label='Records'] li:nth-of-type(2) a"));
        foreach (var step in new[] { "written", "arrived", "compared byte for byte", "removed there", "removed here" })
            page.See(step);
    }

    /// <summary>Again, where something in the background, a target's self-test say, moved the estate on meanwhile: the page asks to look
    /// again then.</summary>
    private void Apply()
    {
        page.Click(page.Button("Apply"));
        page.Until(
            () =>
            {
                if (page.Browser.FindElement(By.TagName("body")).Text.Contains("look again", StringComparison.Ordinal))
                    page.Click(page.Button("Apply"));
                return page.Browser.FindElements(By.XPath("//button[.='Compare both sides…']")).Count > 0;
            },
            "the rule"
        );
    }

    [Fact]
    public async Task What_is_there_already_stays_behind_without_catch_up_and_arrives_with_it()
    {
        await Make("old-charts", "aldmouth");
        await Make("old-charts-far", "kestrel-sound");
        await Put("old-charts", "chart-of-1950.txt");
        page.Open("/replication/new?from=old-charts&to=old-charts-far");
        page.See("1 objects, 15 B, stay behind: they are lost with their region");
        page.Click(Labelled("Only what comes from now on"));
        Apply();
        Pass("hour");
        Assert.Equal("0", Cell("old-charts", "copied"));
        page.Click(page.Button("Compare both sides…"));
        page.Click(page.Button("Compare now"));
        page.See("left behind: older than the rule");
        page.Press(Keys.Escape);
        page.Click(page.Button("Remove the rule"));
        page.Click(page.Button("Yes"));
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("[data-testid='rule-old-charts-old-charts-far']")).Count == 0,
            "no such rule"
        );

        page.Open("/replication/new?from=old-charts&to=old-charts-far");
        page.See("1 objects, 15 B, are safe as well");
        page.Click(Labelled("Copy what is there already, too"));
        Apply();
        Assert.StartsWith("1", Cell("old-charts", "waiting"), StringComparison.Ordinal);
        Pass("hour");
        page.Until(() => Cell("old-charts", "copied") == "1", "the copy");
    }

    [Fact]
    public async Task A_cut_line_makes_lag_grow_and_drains_when_it_is_restored()
    {
        await MakePair("rope-stock");
        page.Open("/replication");
        page.Click(page.Link("rope-stock – rope-stock-far"));
        page.Click(page.Button("Cut the line"));
        page.See("the line is cut.");
        await Put("rope-stock", "coil.txt");
        Pass("hour");
        page.Until(() => Cell("rope-stock", "lag") == "1 h", "an hour of lag");
        page.See("times in vain; the next try is on");
        Pass("hour");
        page.Until(() => Cell("rope-stock", "lag") == "2 h", "two hours of lag");
        page.See("of an open line");
        page.Click(page.Button("Restore the line"));
        page.See("the line is open.");
        Pass("hour");
        page.Until(() => Cell("rope-stock", "lag") == "0" && Cell("rope-stock", "copied") == "1", "the drained backlog");
        Assert.Equal("clear", Cell("rope-stock", "empty"));
    }

    [Fact]
    public async Task A_lost_region_lists_what_is_gone_a_copy_is_promoted_and_the_rest_comes_back()
    {
        await MakePair("pilot-notes");
        await Put("pilot-notes", "safe.txt");
        page.Open("/replication");
        Pass("hour");
        page.Until(() => Cell("pilot-notes", "copied") == "1", "the copy");
        await Put("pilot-notes", "not-yet.txt");

        page.Open("/replication/regions/aldmouth");
        page.See("If it were lost now:");
        page.Click(page.Button("Mark it as lost (simulated)…"));
        page.Type(page.Field("Type aldmouth to confirm"), "aldmouth");
        page.Click(page.Button("Mark it as lost"));
        page.See("Aldmouth is lost");
        Assert.Contains("not-yet.txt", page.Find("[aria-label='Nowhere else']").Text, StringComparison.Ordinal);
        Assert.DoesNotContain("safe.txt", page.Find("[aria-label='Nowhere else']").Text, StringComparison.Ordinal);
        page.Click(page.Button("Promote pilot-notes-far…"));
        page.See("1 objects, 15 B, still wait to be copied");
        page.Click(page.Button("Promote it"));
        page.Gone("Promote pilot-notes-far…");
        page.Open("/buckets/pilot-notes-far?object=safe.txt");
        page.See("its region is lost; there since");
        page.Open("/buckets/pilot-notes#objects");
        page.See("lies in region 'aldmouth', which is lost at present");

        page.Open("/replication/regions/aldmouth");
        page.Click(page.Button("It is back, empty…"));
        page.Type(page.Field("Type aldmouth to confirm"), "aldmouth");
        page.Click(page.Button("Bring it back empty"));
        page.See("; they are listed.");
        page.Click(page.Find("[aria-label='Bring back from copies to pilot-notes']"));
        page.See("entries are on their way");
        page.Open("/replication");
        Pass("hour");
        page.Open("/buckets/pilot-notes?object=safe.txt");
        page.See("pilot-notes-far, Kestrel Sound: a copy, there since");
        var records = await http.GetStringAsync(new Uri("/api/replication", UriKind.Relative));
        Assert.Contains("region-back", records, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_bucket_moves_into_another_and_every_step_can_be_taken_back_until_the_last()
    {
        await Make("old-berths", "aldmouth");
        await Make("new-berths", "kestrel-sound");
        await Put("old-berths", "berth.txt");
        page.Open("/replication/move");
        page.Choose(() => page.Field("From"), "option[value=old-berths]");
        page.Choose(() => page.Field("Into"), "option[value=new-berths]");
        page.Click(page.Button("Look at the steps"));
        Step("Keep them equal", done: "keep-equal");
        Step("Take this step back", undone: "keep-equal");
        Step("Keep them equal", done: "keep-equal");
        page.See("1 object is not there yet.");
        page.Click(page.Button("An hour passes"));
        page.See("✓\nWait until they are");
        Step("Switch over", done: "switch-over");
        Step("Take this step back", undone: "switch-over");
        Step("Switch over", done: "switch-over");
        page.Click(page.Button("Drop it for good…"));
        page.Type(page.Field("Type old-berths to confirm"), "old-berths");
        page.Click(page.Button("Drop it for good"));
        page.See("old-berths is gone; everything is in new-berths");
        page.Open("/buckets/new-berths?object=berth.txt");
        page.See("Nowhere: it is lost with its region.");
        Assert.Equal(
            System.Net.HttpStatusCode.NotFound,
            (await http.GetAsync(new Uri("/api/buckets/old-berths", UriKind.Relative))).StatusCode
        );
    }

    /// <summary>Presses the one button of a move that does or takes back a step, and waits until it is so.</summary>
    private void Step(string button, string? done = null, string? undone = null)
    {
        page.Click(page.Button(button));
        page.Until(
            () => page.Find($"[data-testid='step-{done ?? undone}']").Text.StartsWith('✓') == done is not null,
            $"the step {done ?? undone}"
        );
    }

    private IWebElement Labelled(string words) =>
        page.Until(
            () => page.Browser.FindElements(By.XPath($"//label[.//text()[normalize-space()='{words}']]//input")).FirstOrDefault(),
            $"the choice '{words}'"
        );

    private string Cell(string bucket, string what) => page.Find($"[data-testid='rule-{bucket}-{bucket}-far'] [data-testid='{what}']").Text;

    private void Pass(string span) => page.Click(page.Button(span == "hour" ? "An hour passes" : "A day passes"));

    private async Task Make(string name, string region)
    {
        var bucket = $$"""{ "name": "{{name}}", "region": "{{region}}", "scheme": "one-site", "tier": "counter", "versioning": true }""";
        (
            await http.PostAsync(new Uri("/api/buckets", UriKind.Relative), new StringContent(bucket, Encoding.UTF8, "application/json"))
        ).EnsureSuccessStatusCode();
    }

    private async Task MakePair(string name)
    {
        await Make(name, "aldmouth");
        await Make($"{name}-far", "kestrel-sound");
        var read = await http.GetAsync(new Uri("/api/replication", UriKind.Relative));
        using var order = new HttpRequestMessage(HttpMethod.Post, "/api/replication/rules")
        {
            Content = JsonContent.Create(
                new
                {
                    source = name,
                    rule = new
                    {
                        bucket = $"{name}-far",
                        catchUp = false,
                        allowedLagHours = 1.5,
                    },
                }
            ),
        };
        order.Headers.IfMatch.Add(read.Headers.ETag!);
        (await http.SendAsync(order)).EnsureSuccessStatusCode();
    }

    /// <summary>15 bytes.</summary>
    private async Task Put(string bucket, string key) =>
        (
            await http.PutAsync(new Uri($"/api/buckets/{bucket}/objects/{key}", UriKind.Relative), new StringContent("fifteen bytes.\n"))
        ).EnsureSuccessStatusCode();
}
