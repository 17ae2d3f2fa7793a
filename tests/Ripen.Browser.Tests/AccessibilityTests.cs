using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

public sealed class AccessibilityTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Theory]
    [InlineData("/", "port-sonar")]
    [InlineData("/?on=2029-05-01", "1 May 2029")]
    [InlineData("/buckets/deck-cameras", "Does each step pay?")]
    [InlineData("/new", "Redundancy scheme")]
    [InlineData("/forecast", "Year 10")]
    [InlineData("/forecast?by=charge", "early-leave")]
    [InlineData("/log", "Estate imported")]
    [InlineData("/buckets/harbour-notices?in=aldmouth/", "berth-3-closed.txt")]
    [InlineData("/buckets/harbour-notices?object=readme.txt", "SHA-256")]
    [InlineData("/clock", "Daily runs")]
    [InlineData("/about", "An example, worked out now")]
    [InlineData("/schemes", "Mean time to loss")]
    [InlineData("/advice", "How is it worked with?")]
    [InlineData("/replication", "Lines between regions")]
    [InlineData("/replication/rules/2", "Send a probe")]
    [InlineData("/replication/new?from=deck-cameras", "What versions cost")]
    [InlineData("/replication/regions/aldmouth", "Nowhere else, by name and size")]
    [InlineData("/replication/moves/harbour-notices/notices-far", "Drop the old one")]
    [InlineData("/http", "/api/estate/board")]
    public void Axe_finds_nothing_serious_in_light_and_dark(string path, string words)
    {
        page.Open(path);
        page.See(words);
        Assert.Empty(Accessibility.Violations(page.Browser));
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
