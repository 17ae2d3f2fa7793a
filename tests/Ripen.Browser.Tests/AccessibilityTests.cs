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
    [InlineData("/landscape?years=10", "The same in numbers")]
    [InlineData("/prices", "What tiers ask for")]
    [InlineData("/on-paper", "What could be saved")]
    [InlineData("/full-restore?line=1000", "last byte")]
    [InlineData("/full-restore?bucket=deck-cameras&to=quarrydown", "Kept warm in")]
    [InlineData("/full-restore?why=:all", "is the sum of")]
    [InlineData("/arrays", "There is none in this estate")]
    [InlineData("/log", "Estate imported")]
    [InlineData("/buckets/harbour-notices?in=aldmouth/", "berth-3-closed.txt")]
    [InlineData("/buckets/harbour-notices?object=readme.txt", "SHA-256")]
    [InlineData("/clock", "Daily runs")]
    [InlineData("/tonight", "One by one")]
    [InlineData("/about", "An example, worked out now")]
    [InlineData("/schemes", "Mean time to loss")]
    [InlineData("/advice", "How is it worked with?")]
    [InlineData("/replication", "Lines between regions")]
    [InlineData("/replication/rules/2", "Send a probe")]
    [InlineData("/replication/new?from=deck-cameras", "What versions cost")]
    [InlineData("/replication/regions/aldmouth", "Nowhere else, by name and size")]
    [InlineData("/replication/moves/harbour-notices/notices-far", "Drop the old one")]
    [InlineData("/http", "/api/estate/board")]
    public void Axe_finds_nothing_in_light_and_dark(string path, string words)
    {
        page.Open(path);
        page.See(words);
        Clean();
    }

    [Theory]
    [InlineData("/buckets/deck-cameras", "Import an inventory…", "Import")]
    [InlineData("/buckets/deck-cameras", "Delete this bucket…", "Type")]
    [InlineData("/buckets/harbour-notices#access", "Grant access…", "Grant access to harbour-notices")]
    [InlineData("/buckets/harbour-notices#access", "Open it to everybody…", "Open it")]
    [InlineData("/buckets/harbour-notices#objects", "Move everything here to another tier…", "To")]
    [InlineData("/buckets/harbour-notices?object=readme.txt", "Timed link…", "Whoever has the link can read")]
    [InlineData("/replication/rules/2", "Compare both sides…", "Compare")]
    [InlineData("/replication/regions/aldmouth", "Promote telemetry-far…", "telemetry-far")]
    [InlineData("/replication/regions/aldmouth", "Mark it as lost (simulated)…", "Type")]
    public void Axe_finds_nothing_in_a_dialog(string path, string button, string words)
    {
        page.Open(path);
        // Under the page's head a click would land on it.
        page.Until(() => page.Button(button).Enabled, button);
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("arguments[0].click()", page.Button(button));
        page.See(words);
        Clean();
    }

    [Fact]
    public void Axe_finds_nothing_where_something_is_refused()
    {
        page.Open("/buckets/engine-telemetry");
        page.See("Does each step pay?");
        page.Type(page.Field("At day"), "");
        page.See("Cannot be applied");
        Clean();
        page.Click(page.Button("Discard"));
        page.Open("/new");
        page.Type(page.Field("Name"), "NO");
        page.Find("[aria-invalid=true]");
        Clean();
        page.Open("/replication/new?from=port-sonar&to=port-sonar");
        page.See("Cannot be applied");
        Clean();
        page.Open("/buckets/never-made");
        page.See("There is no bucket");
        Clean();
        page.Open("/");
        page.See("port-sonar");
        page.PressUntil("?", () => page.Browser.FindElements(By.CssSelector("[role=dialog]")).Count > 0, "the list of keys");
        page.See("Keys");
        Clean();
    }

    private void Clean()
    {
        Assert.Empty(Accessibility.Violations(page.Browser));
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
