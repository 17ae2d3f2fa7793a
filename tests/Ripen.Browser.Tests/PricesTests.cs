using System.Net.Http.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Prices are typed in, now and for a day to come; what they change is seen before they hold, and what is wrong is said at its
/// place.</summary>
public sealed class PricesTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose() => http.Dispose();

    private async Task<JsonNode> Book() => (await http.GetFromJsonAsync<JsonNode>(new Uri("/api/prices", UriKind.Relative)))!["prices"]!;

    private IWebElement Amount(string label) => page.Find($"input[aria-label='{label}']");

    [Fact]
    public async Task What_is_agreed_is_typed_seen_applied_and_opens_in_the_forecast()
    {
        page.Open("/prices");
        page.See("Promised every month");
        page.Present(By.XPath("//label[.='One more fixed amount']/following-sibling::input")).SendKeys("Night desk" + Keys.Enter);
        page.Type(Amount("Night desk: a month"), "4321");
        page.Pick(Amount("Night desk: first month"), "2031-05");
        page.Pick(Amount("Night desk: last month"), "2031-04");
        page.See("The last month lies before the first.");
        Assert.True(page.IsOff("Apply"));
        page.Pick(Amount("Night desk: last month"), "2031-08");
        page.Gone("The last month lies before the first.");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Apply").SendKeys(Keys.Enter);
        page.See("Stored: these prices hold from today on");
        var agreed = (await Book())["agreements"]!["fixed"]!.AsArray().Single(f => (string)f!["id"]! == "night-desk")!;
        Assert.Equal((4321, "2031-05", "2031-08"), ((double)agreed["amount"]!, (string)agreed["from"]!, (string)agreed["through"]!));
        page.Open("/why?month=2031-06");
        page.Present(By.LinkText("Agreements")).SendKeys(Keys.Enter);
        page.See("Night desk");
        page.See("fixed: €4,321 a month");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/why?month=2031-09&bucket=*");
        page.See("is the sum of");
        page.Gone("Night desk");
    }

    [Fact]
    public void What_a_draft_would_cost_opens_and_is_kept_for_a_what_if()
    {
        page.Open("/prices");
        page.Type(Amount("Counter in Aldmouth: write, per 1,000"), "3.25");
        page.Until(() => page.Browser.FindElements(By.CssSelector("a[aria-label$='in year 1, afterwards']")).Count == 1, "what opens");
        var first = page.Present("a[aria-label$='in year 1, afterwards']");
        var money = first.Text.Trim();
        Assert.Empty(Accessibility.Violations(page.Browser));
        first.SendKeys(Keys.Enter);
        page.See("price book: as in a draft of it");
        page.See(money);
        page.Present(By.LinkText("June 2027")).SendKeys(Keys.Enter);
        page.Present(By.LinkText("engine-telemetry")).SendKeys(Keys.Enter);
        page.Present(By.LinkText("writes, Counter")).SendKeys(Keys.Enter);
        page.See("€3.25");
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Open("/prices");
        Kept();
        page.See("A draft of the price book.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        var kept = page.Path;
        page.Click(page.Button("Save"));
        page.Until(() => page.IsOff("Save"), "it stored");
        page.Open("/prices");
        page.Click(page.Button("Discard"));
        page.Until(() => Amount("Counter in Aldmouth: write, per 1,000").GetAttribute("value") != "3.25", "the prices in force");
        page.Open(kept);
        page.Click(() => page.Link("Open it"));
        page.Until(() => Amount("Counter in Aldmouth: write, per 1,000").GetAttribute("value") == "3.25", "the draft");
        page.Type(Amount("Counter in Aldmouth: write, per 1,000"), "3.5");
        Kept();
        page.Until(
            () => page.Browser.FindElements(By.XPath("//*[contains(., 'A draft of the price book.')]/ancestor::li")).Count == 1,
            "one"
        );
        page.Click(page.Button("Discard"));
        page.Open("/prices");
        page.Click(page.Button("Discard"));

        void Kept()
        {
            page.Until(() => !page.IsOff("Keep for a what-if"), "a draft in order");
            page.Click(() => page.Button("Keep for a what-if"));
            page.Until(() => page.Path.StartsWith("/what-if/", StringComparison.Ordinal), "a scenario");
        }
    }

    [Fact]
    public async Task Speeds_of_recall_come_and_go_and_a_scheme_has_its_factor()
    {
        page.Open("/prices");
        page.Present("button[aria-label='Cellar in Aldmouth: add a speed of recall']").SendKeys(Keys.Enter);
        page.Type(page.Present("input[aria-label='Cellar in Aldmouth: name of a speed of recall, speed-2']"), "Night train");
        page.Type(Amount("Cellar in Aldmouth: Night train, hours until the first byte"), "soon");
        page.Until(() => page.Browser.FindElements(By.CssSelector("[role=alert]")).Count > 0, "what is wrong");
        Assert.True(page.IsOff("Apply"));
        page.Type(Amount("Cellar in Aldmouth: Night train, hours until the first byte"), "9");
        page.Type(Amount("Cellar in Aldmouth: Night train, recall"), "0.005");
        page.Click(page.Find("button[aria-label='Cellar in Aldmouth: remove the speed Brisk']"));
        page.Type(Amount("One site, three copies: factor of storage prices"), "1.5");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Apply").SendKeys(Keys.Enter);
        page.See("Stored: these prices hold from today on");
        var book = await Book();
        var cellar = book["regions"]![0]!["prices"]!.AsArray().Single(p => (string)p!["tier"]! == "cellar")!;
        var speed = Assert.Single(cellar["recallSpeeds"]!.AsArray())!;
        Assert.Equal(
            ("speed-2", "Night train", 9, 0.005),
            ((string)speed["id"]!, (string)speed["name"]!, (double)speed["waitHours"]!, (double)speed["recall"]!)
        );
        Assert.Equal(
            1.5,
            (double)book["schemes"]!.AsArray().Single(s => (string)s!["name"]! == "One site, three copies")!["storageFactor"]!
        );
    }

    [Fact]
    public async Task Amounts_are_typed_seen_and_applied_and_a_day_to_come_has_its_own()
    {
        page.Open("/prices");
        page.See("1 TB a year");
        Assert.True(page.IsOff("Apply"));
        Assert.Empty(Accessibility.Violations(page.Browser));

        const string writes = "Counter in Aldmouth: write, per 1,000";
        page.Type(Amount(writes), "dear");
        page.Until(() => page.IsOff("Apply"), "nothing to apply");
        page.Type(Amount(writes), "2.5");
        page.See("The estate's cost a year");
        page.Type(Amount("Pantry in Aldmouth: price"), "0.5");
        page.See("Pantry in Aldmouth is colder than Counter and costs more to store");
        page.Type(Amount("Pantry in Aldmouth: price"), "0.0194");
        page.Gone("is colder than Counter");
        // The draft is not lost by going elsewhere.
        page.Open("/forecast");
        page.Open("/prices");
        page.Until(() => Amount(writes).GetAttribute("value") == "2.5", "the draft");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Apply").SendKeys(Keys.Enter);
        page.See("Stored: these prices hold from today on");
        page.See("Held before");
        Assert.Equal(2.5, (double)(await Book())["regions"]![0]!["prices"]![0]!["writes"]!);

        page.Pick(page.Find("input[type=date]"), "2031-05-17");
        page.Click(page.Button("Add the day"));
        page.See("What is typed here holds from");
        page.Click(page.Find("button[aria-label='Cave in Aldmouth: add a band']"));
        page.Type(Amount("Cave in Aldmouth, band 2: price"), "0.001");
        page.See("from this day");
        page.Type(Amount("Cave in Aldmouth, band 1: up to, GB"), "");
        page.Until(() => page.Browser.FindElements(By.CssSelector("[role=alert]")).Count > 0, "what is wrong");
        Assert.True(page.IsOff("Apply"));
        page.Type(Amount("Cave in Aldmouth, band 1: up to, GB"), "700");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        page.Click(page.Button("Apply"));
        page.Until(() => Book().Result["changes"]!.AsArray().Count > 0, "stored");
        var change = (await Book())["changes"]![0]!;
        Assert.Equal("2031-05-17", (string)change["from"]!);
        Assert.Equal(
            (700, 0.001),
            (
                (double)change["regions"]![0]!["prices"]![0]!["storage"]![0]!["upTo"]!,
                (double)change["regions"]![0]!["prices"]![0]!["storage"]![1]!["price"]!
            )
        );

        page.See("What is typed here holds from");
        page.Click(page.Button("Take that day back"));
        page.See("Prices announced for 17 May 2031 are not in this draft");
        page.Click(() => page.Button("Discard"));
        page.Gone("are not in this draft");

        page.Open("/log");
        page.See("Prices changed");
    }

    [Fact]
    public void What_is_typed_is_kept_as_an_offer_compared_renamed_and_assumed()
    {
        page.Open("/prices");
        page.See("Keep what is typed as");
        page.Type(Amount("Counter in Kestrel Sound: write, per 1,000"), "0.5");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        page.Type(page.Field("Keep what is typed as"), "Winter talk");
        page.Click(() => page.Button("Keep"));
        page.See("Kept as the offer “Winter talk”.");
        page.Click(() => page.Button("Discard"));
        page.Click(() => page.Link("offers side by side"));
        page.See("By charge");
        page.See("In force");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Type(page.Find("input[aria-label='Name of Winter talk']"), "Spring talk" + Keys.Enter);
        page.Present("input[aria-label='Name of Spring talk']");
        page.Click(() => page.Find("button[aria-label='What if: Spring talk']"));
        page.See("prices of the offer Spring talk");
        page.See("The difference");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(() => page.Button("Discard"));
        page.Open("/offers?year=10");
        page.Click(() => page.Find("button[aria-label='Remove: Spring talk']"));
        page.Until(() => page.Browser.FindElements(By.CssSelector("input[aria-label='Name of Spring talk']")).Count == 0, "it gone");
    }

    [Fact]
    public async Task Amounts_come_from_a_file_into_a_draft_or_an_offer_and_an_applied_change_is_undone_from_the_log()
    {
        var folder = Directory.CreateTempSubdirectory();
        try
        {
            var table = Path.Combine(folder.FullName, "spring.csv");
            var rows = await http.GetStringAsync(new Uri("/api/prices/rows.csv", UriKind.Relative));
            var before = (double)(await Book())["regions"]![0]!["prices"]![0]!["reads"]!;
            await File.WriteAllLinesAsync(
                table,
                rows.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                    .Select(r =>
                        r.StartsWith(",aldmouth,,counter,reads,", StringComparison.Ordinal) ? ",aldmouth,,counter,reads,,,1.25" : r
                    )
            );
            var nonsense = Path.Combine(folder.FullName, "nonsense.json");
            await File.WriteAllTextAsync(nonsense, """{ "regions": 7 }""");
            page.Open("/prices");
            page.Present("input[type=file]").SendKeys(nonsense);
            page.See("'currency' is missing");
            Assert.True(page.IsOff("Discard"));
            page.Open("/offers");
            page.Present("input[type=file]").SendKeys(table);
            page.Present("input[aria-label='Name of spring']");
            page.Click(() => page.Find("button[aria-label='Open in Prices: spring']"));
            page.Until(() => Amount("Counter in Aldmouth: read, per 1,000").GetAttribute("value") == "1.25", "the offer as a draft");
            page.Type(Amount("Counter in Aldmouth: read, per 1,000"), "1.5");
            page.Open("/offers");
            page.Click(() => page.Find("button[aria-label='Open in Prices: spring']"));
            page.See("there is a draft here already");
            Assert.Equal("1.5", Amount("Counter in Aldmouth: read, per 1,000").GetAttribute("value"));
            Assert.Empty(Accessibility.Violations(page.Browser));
            page.Click(() => page.Button("Take the others"));
            page.Until(() => Amount("Counter in Aldmouth: read, per 1,000").GetAttribute("value") == "1.25", "the offer in its place");
            page.Click(() => page.Button("Discard"));
            page.Until(() => !page.IsOff("Read amounts from a file…"), "room for a file");
            page.Present("input[type=file]").SendKeys(table);
            page.Until(() => Amount("Counter in Aldmouth: read, per 1,000").GetAttribute("value") == "1.25", "the file as a draft");
            page.Until(() => !page.IsOff("Apply"), "consequences");
            page.Click(() => page.Button("Apply"));
            page.Until(() => page.IsOff("Discard"), "no draft left");
            page.Open("/log");
            page.Click(() => page.Find("button[aria-label^='Undo: Prices changed']"));
            page.Until(() => page.Path.StartsWith("/prices", StringComparison.Ordinal), "the prices");
            page.Until(() => !page.IsOff("Apply"), "consequences");
            page.Click(() => page.Button("Apply"));
            page.Until(() => page.IsOff("Discard"), "no draft left");
            Assert.Equal(before, (double)(await Book())["regions"]![0]!["prices"]![0]!["reads"]!);
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    [Fact]
    public void What_the_estate_needs_is_not_taken_from_it_and_more_can_be_offered()
    {
        page.Open("/prices");
        page.Click(page.Find("button[aria-label='Offer Counter in Aldmouth no more']"));
        page.Until(() => page.Browser.FindElements(By.CssSelector("[role=alert]")).Count > 0, "who needs it");
        Assert.True(page.IsOff("Apply"));
        page.Click(page.Button("Discard"));
        page.Type(page.Field("One more tier"), "Deep freeze");
        page.Click(page.Button("Add tier"));
        page.Click(page.Find("button[aria-label='Offer it: Deep freeze in Aldmouth']"));
        page.Until(() => !page.IsOff("Apply"), "consequences");
        page.See("Nothing should ever lie in");
        page.Click(page.Button("Discard"));
        page.Gone("Deep freeze");
    }

    /// <summary>What it is for is to be looked at; the keys and the table say the same.</summary>
    [Fact]
    public void The_landscape_is_read_by_the_arrow_keys()
    {
        page.Open("/forecast");
        page.Click(page.Link("How it ripens"));
        page.See("The same in numbers");
        Assert.Empty(Accessibility.Violations(page.Browser));
        var chart = page.Find("[role=slider]");
        chart.SendKeys(Keys.End);
        chart.SendKeys(Keys.PageUp + Keys.PageUp + Keys.PageUp + Keys.PageUp);
        page.Until(() => page.Find("output").Text.Contains("days old:", StringComparison.Ordinal), "what lies there");
        Assert.Equal(page.Find("output").Text, page.Find("[role=slider]").GetAttribute("aria-valuetext"));
        page.Open("/landscape?bucket=deck-cameras&years=1");
        page.See("The same in numbers");
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
