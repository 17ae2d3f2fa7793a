using System.Globalization;
using System.Text;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Very many buckets are as easy to work with as ten.</summary>
public sealed class BoardTests : IAsyncLifetime
{
    private const int Buckets = 1500;
    private RunningRipen ripen = null!;
    private Page page = null!;

    public async ValueTask InitializeAsync()
    {
        ripen = await RunningRipen.Start(demo: false);
        page = new Page(ripen);
        using var http = new HttpClient { BaseAddress = ripen.Address };
        var file = Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json");
        var document = JsonNode.Parse(await File.ReadAllTextAsync(file))!;
        var many = document["buckets"]!.AsArray();
        for (var i = many.Count; i < Buckets; i++)
            many.Add(
                JsonNode.Parse(
                    $$"""
                    { "name": "quay-{{i:0000}}", "region": "{{(
                        i % 2 == 0 ? "aldmouth" : "kestrel-sound"
                    )}}", "scheme": "one-site", "tier": "counter",
                      "streams": [{ "objectsPerDay": {{i}}, "bytesPerObject": 1000000 }] }
                    """
                )
            );
        using var put = new HttpRequestMessage(HttpMethod.Put, "/api/estate/document")
        {
            Content = new StringContent(document.ToJsonString(), Encoding.UTF8, "application/json"),
        };
        (await http.SendAsync(put)).EnsureSuccessStatusCode();
    }

    public ValueTask DisposeAsync() => ripen.DisposeAsync();

    [Fact]
    public async Task One_finds_sorts_comes_back_and_changes_many_at_once()
    {
        page.Open("/");
        page.See("1,500 buckets");
        Assert.InRange(page.Browser.FindElements(By.CssSelector("section[aria-label=Buckets] li")).Count, 5, 60);

        page.Open("/?find=quay&sort=name&order=down");
        page.See("quay-1499");
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("window.scrollTo(0, 40000)");
        page.Until(() => Shown().Any(n => string.CompareOrdinal(n, "quay-0950") < 0), "rows far down");
        var link = page.Link(Shown()[^1]);
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("arguments[0].scrollIntoView({ block: 'center' })", link);
        var place = Scrolled();
        link.Click();
        page.Until(() => page.Path.StartsWith("/buckets/quay-", StringComparison.Ordinal), "the bucket's page");
        page.See("Lifecycle rules");
        page.Browser.Navigate().Back();
        page.Until(() => page.Path.StartsWith("/?find=quay", StringComparison.Ordinal), "the board");
        page.Until(() => Math.Abs(Scrolled() - place) < 200, "the same place");

        page.Open("/?find=quay-01&region=aldmouth");
        page.See("50 of 1,500 buckets");
        page.Click(page.Find("button[aria-label='Select all 50 that match']"));
        page.See("50 buckets selected");
        page.Click(page.Link("Change them together…"));
        page.See("Change 50 buckets together");
        page.Click(page.Button("Add a rule"));
        page.See("50 change");
        Assert.Empty(Accessibility.Violations(page.Browser));
        WhatTheyCostTogetherOpens();
        page.Click(page.Button("Apply to 50"));
        page.See("50 buckets changed.");
        AListOfThemIsMadeWhenSomebodyComesToChoose();
        using var http = new BucketsOverHttp(ripen.Address);
        Assert.Single((await http.Stored("quay-0150"))["rules"]!.AsArray());
        Assert.Empty((await http.Stored("quay-0151"))["rules"]!.AsArray());

        page.Open("/?state=no-copy-elsewhere&tier=pantry");
        page.See("of 1,500 buckets");

        string[] Shown() =>
            [
                .. page
                    .Browser.FindElements(By.CssSelector("section[aria-label=Buckets] li a[href^='/buckets/']"))
                    .Select(e => e.Text)
                    .Where(t => t.Length > 0),
            ];
        long Scrolled() => (long)((IJavaScriptExecutor)page.Browser).ExecuteScript("return Math.round(window.scrollY)")!;
    }

    /// <summary>By keyboard, before and afterwards; the draft is there on the way back.</summary>
    private void WhatTheyCostTogetherOpens()
    {
        foreach (var column in new[] { 1, 2 })
        {
            var sum = page.Find($"[data-testid=cost-year-10] td:nth-of-type({column}) a");
            var amount = Euros(sum.Text);
            sum.SendKeys(Keys.Enter);
            page.See("Why this amount");
            page.See("50 buckets");
            page.Until(() => Math.Abs(Euros(page.Find("p.font-serif.text-3xl").Text) - amount) <= 0.5, "what stood in the table");
            Assert.Equal(column == 2, page.Browser.PageSource.Contains("which is stored nowhere", StringComparison.Ordinal));
            Assert.Empty(Accessibility.Violations(page.Browser));
            page.Browser.Navigate().Back();
            page.See("50 change");
        }

        static double Euros(string text) => double.Parse(text.TrimStart('€'), CultureInfo.InvariantCulture);
    }

    /// <summary>By pointer and by keyboard: lists of thousands on every page would make all of them slow.</summary>
    private void AListOfThemIsMadeWhenSomebodyComesToChoose()
    {
        page.Open("/landscape");
        var list = page.Field("Of");
        Assert.Equal("all buckets", Assert.Single(list.FindElements(By.TagName("option"))).Text);
        page.Click(list);
        page.Until(() => list.FindElements(By.TagName("option")).Count == Buckets + 1, "all of them");
        page.Open("/landscape");
        page.Field("Of").SendKeys("quay-0777");
        page.Until(() => page.Path.Contains("bucket=quay-0777", StringComparison.Ordinal), "the one that was typed");
    }
}
