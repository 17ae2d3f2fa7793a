using System.Net.Http.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A workload is named, a plan made for it, time passes, its points are seen and what a restore takes.</summary>
public sealed class PlansTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose() => http.Dispose();

    [Fact]
    public async Task A_plan_is_foreseen_made_run_and_seen_in_the_calendar()
    {
        http.DefaultRequestHeaders.Add("Ripen-Request", "1");
        page.Open("/plans");
        page.See("There is no plan yet.");
        page.Click(page.Button("Add a workload"));
        page.Type(page.Field("It is called"), "Log books");
        page.Click(page.Find("[aria-label='Unit of content today'] option[value=GB]"));
        page.Type(page.Field("Content today"), "250");
        page.Type(page.Field("Recovery point (RPO)"), "26");
        page.Type(page.Field("Recovery time (RTO)"), "8");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.See("Log books");

        page.Open("/plans/new");
        page.Type(page.Field("It is called"), "Books every night");
        foreach (var box in page.Browser.FindElements(By.CssSelector("form fieldset:first-of-type input[type=checkbox]")))
        {
            if (box.Selected != (box.FindElement(By.XPath("..")).Text == "Log books"))
                page.Click(box);
        }
        page.Until(
            () => page.Browser.FindElement(By.CssSelector("aside")).Text.Contains("366", StringComparison.Ordinal),
            "a run a day in the consequences"
        );
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Begin"));
        page.See("None was done yet");

        var now = DateTimeOffset.Parse((string)(await http.GetFromJsonAsync<JsonNode>("/api/clock"))!["now"]!, null);
        (await http.PostAsJsonAsync("/api/clock/passages", new { until = now.AddDays(4) })).EnsureSuccessStatusCode();
        page.Until(() => http.GetFromJsonAsync<JsonArray>("/api/plans/points").GetAwaiter().GetResult()!.Count == 4, "four points");
        page.Open("/plans");
        page.See("4 November 2026");
        page.Open("/plans/books-every-night");
        page.See("at this speed");
        page.See("250 GB");
        // What it costs opens into quantities and prices.
        page.Click(() => page.Find("#restore button[aria-label^='Why'][aria-label$='Ordinary']"));
        page.See("Ordinary, is the sum of");
        page.See("÷ 1,000 ×");
        page.Click(page.Button("Rehearse this restore now"));
        page.See("charged. Rehearse it?");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.See("Rehearsed: every byte compared");
        page.Open("/plans");
        page.See("rehearsed on 5 November 2026");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Link("Evidence, to print"));
        page.See("the largest gap between points is 24 h");
        page.See("compared in");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/calendar");
        page.See("What can be restored today: 4 points");
        Assert.NotEmpty(page.Browser.FindElements(By.CssSelector("svg[role=img] line")));
        Assert.Empty(Accessibility.Violations(page.Browser));
        // The as-of day goes on by the keyboard, and the page with it.
        page.Press(".");
        page.See("What can be restored on");
        page.Open("/plans");
        page.See("at most 24 h apart of 26 h");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
