using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A small window, and the way back.</summary>
public sealed class NarrowTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);

    public void Dispose() => page.Browser.Manage().Window.Size = new System.Drawing.Size(1280, 800);

    [Theory]
    [InlineData("/", "port-sonar")]
    [InlineData("/buckets/deck-cameras", "Does each step pay?")]
    [InlineData("/new", "Redundancy scheme")]
    [InlineData("/forecast", "Year 10")]
    [InlineData("/log", "Estate imported")]
    [InlineData("/replication", "Lines between regions")]
    [InlineData("/schemes", "Mean time to loss")]
    public void Nothing_is_cut_off_at_1024_by_700(string path, string words)
    {
        page.Browser.Manage().Window.Size = new System.Drawing.Size(1024, 700);
        page.Open(path);
        page.See(words);
        var script = (IJavaScriptExecutor)page.Browser;
        page.Until(
            () => (bool)script.ExecuteScript("return document.documentElement.scrollWidth <= window.innerWidth")!,
            "no sideways scrolling"
        );
    }

    [Fact]
    public void Back_goes_back_through_prefixes_and_titles_follow()
    {
        page.Open("/buckets/harbour-notices");
        page.Until(() => page.Browser.Title == "harbour-notices – Ripen", "the title");
        page.Click(page.Button("aldmouth/"));
        page.Button("berth-3-closed.txt");
        page.Browser.Navigate().Back();
        page.Button("aldmouth/");
        Assert.Equal("/buckets/harbour-notices", page.Path);
        page.Click(page.Link("Log"));
        page.Until(() => page.Browser.Title == "Log – Ripen", "the title");
        page.Until(() => page.Browser.SwitchTo().ActiveElement().GetAttribute("id") == "main", "the focus in the page");
    }
}
