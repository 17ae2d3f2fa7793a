using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A small window, and the way back.</summary>
public sealed class NarrowTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);

    public void Dispose()
    {
        ((OpenQA.Selenium.Chromium.ChromiumDriver)page.Browser).ExecuteCdpCommand("Emulation.clearDeviceMetricsOverride", []);
        page.Browser.Manage().Window.Size = new System.Drawing.Size(1280, 800);
    }

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

    /// <summary>WCAG 2.2, 1.4.10: at 400 % a window of 1280 pixels has 320; tables and pictures may be scrolled by themselves.</summary>
    [Theory]
    [InlineData("/", "port-sonar")]
    [InlineData("/buckets/deck-cameras", "Does each step pay?")]
    [InlineData("/new", "Redundancy scheme")]
    [InlineData("/forecast", "Year 10")]
    [InlineData("/log", "Estate imported")]
    [InlineData("/replication", "Lines between regions")]
    [InlineData("/replication/new?from=deck-cameras", "What versions cost")]
    [InlineData("/replication/regions/aldmouth", "Buckets here")]
    [InlineData("/clock", "Daily runs")]
    [InlineData("/advice", "An object bucket")]
    [InlineData("/about", "An example, worked out now")]
    [InlineData("/schemes", "Mean time to loss")]
    public void A_page_reads_downwards_at_four_hundred_percent(string path, string words)
    {
        ((OpenQA.Selenium.Chromium.ChromiumDriver)page.Browser).ExecuteCdpCommand(
            "Emulation.setDeviceMetricsOverride",
            new Dictionary<string, object?>
            {
                ["width"] = 320,
                ["height"] = 256,
                ["deviceScaleFactor"] = 1,
                ["mobile"] = false,
            }
        );
        page.Open(path);
        page.See(words);
        var wide = (string)
            ((IJavaScriptExecutor)page.Browser).ExecuteScript(
                """
                if (document.documentElement.scrollWidth <= 320) return '';
                const cut = e => { for (let p = e.parentElement; p; p = p.parentElement)
                  if (['auto', 'scroll', 'hidden'].includes(getComputedStyle(p).overflowX)) return true; return false; };
                return [...document.querySelectorAll('body *')]
                  .filter(e => e.getBoundingClientRect().right > 321 && !cut(e) && e.childElementCount < 3)
                  .slice(0, 12).map(e => `${e.tagName} ${e.className.baseVal ?? e.className} ${Math.round(e.getBoundingClientRect().right)} ${(e.textContent ?? '').slice(0, 30)}`).join('\n');
                """
            )!;
        Assert.Equal("", wide);
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
