using System.Globalization;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>The main job, done in the real interface by mouse, by typing, and by keyboard alone.</summary>
public sealed class OutcomeTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);

    public void Dispose() => buckets.Dispose();

    [Fact]
    public async Task A_bucket_is_made_and_given_a_lifecycle_with_the_mouse()
    {
        page.Open("/");
        page.Click(page.Link("New bucket"));
        var name = page.Field("Name");
        page.Type(name, "Harbour logs");
        page.See("begin and end with a letter or digit");
        page.Type(name, "deck-cameras");
        page.See("is taken");
        page.Type(name, "harbour-logs");
        page.See("This name is free.");
        page.Click(page.Find("input[aria-label^='Aldmouth, Counter']"));
        page.Click(page.Button("Make the bucket"));
        page.Until(() => page.Path == "/buckets/harbour-logs", "the new bucket's sheet");

        page.Click(page.Button("Add a stream"));
        page.Type(page.Field("Objects a day"), "500");
        page.Type(page.Field("Bytes per object"), "20");
        page.Click(page.Button("Add a rule"));
        page.Click(page.Button("Add a step"));

        var handle = page.Handle("Step to Cellar");
        var (before, cost) = (Age(handle), Cost(10));
        page.Drag(handle, 90);
        page.Until(() => Age(page.Handle("Step to Cellar")) > before, "an older step");
        page.Until(() => Cost(10) != cost, "another cost");
        Assert.Null((await buckets.Stored("harbour-logs"))["rules"]!.AsArray().FirstOrDefault());

        var dragged = Age(page.Handle("Step to Cellar"));
        page.Click(page.Button("Apply"));
        page.See("no changes");
        var steps = (await buckets.Stored("harbour-logs"))["rules"]![0]!["steps"]!.AsArray();
        Assert.Equal([30, dragged], steps.Select(s => s!["age"]!.GetValue<int>()));

        page.Open("/forecast?by=bucket");
        var shown = page.Find("[aria-label='Forecast of money by month'] thead").Text;
        Assert.Contains("harbour-logs", shown, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_liftable_rule_is_lifted_with_a_reason_and_a_sealed_one_is_refused_while_it_is_typed()
    {
        await buckets.Make("kept-a-while");
        var (bucket, tag) = await buckets.StoredWithTag("kept-a-while");
        bucket["keep"] = System.Text.Json.Nodes.JsonNode.Parse("""{ "days": 40, "strength": "liftable" }""");
        await buckets.Change(bucket, tag);
        page.Open("/buckets/kept-a-while");
        page.Type(page.Field("Days"), "39");
        page.See("Lift it by a request of its own, with a reason");
        page.Click(page.Button("Discard"));
        page.Click(page.Button("Lift retention…"));
        page.Type(page.Field("Why"), "the berth was closed");
        page.Type(page.Field("Type kept-a-while to confirm"), "kept-a-while");
        page.Click(page.Button("Lift it"));
        page.Gone("Lift retention…");
        Assert.Null((await buckets.Stored("kept-a-while"))["keep"]);
        page.Open("/log");
        page.See("because: the berth was closed");
        page.See("you, on this machine");

        page.Open("/buckets/deck-cameras");
        page.Type(page.Field("Days"), "30");
        page.See("It can be made longer, and never shorter, liftable or gone, by anybody.");
        Assert.Equal("true", page.Button("Apply").GetAttribute("aria-disabled"));
        page.Click(page.Button("Discard"));
    }

    [Fact]
    public async Task Steps_are_typed_and_what_is_wrong_is_said_at_the_field()
    {
        await buckets.Make("typed-steps", """[{ "id": "r", "steps": [{ "age": 30, "tier": "pantry" }, { "age": 90, "tier": "cave" }] }]""");
        page.Open("/buckets/typed-steps");
        page.Type(page.Field("At day", 1), "12");
        page.See("The step at age 30 must go to a tier colder than 'cave'");
        page.See("Cannot be applied");
        Assert.Equal("true", page.Button("Apply").GetAttribute("aria-disabled"));
        page.Type(page.Field("At day", 1), "");
        page.See("'age' is missing; add it.");
        page.Type(page.Field("At day", 1), "45");
        page.See("stay 15 days in Pantry, which charges for 21");
        page.Click(page.Button("Discard"));
        page.See("no changes");
        Assert.Equal("90", page.Field("At day", 1).GetAttribute("value"));
    }

    [Fact]
    public async Task Everything_is_done_with_the_keyboard_alone()
    {
        page.Open("/");
        page.See("Brackwater Ferries");
        page.PressUntil("n", () => page.Path == "/new", "the page of a new bucket");
        page.Until(
            () => page.Browser.SwitchTo().ActiveElement().GetAttribute("id") == page.Field("Name").GetAttribute("id"),
            "the focus in the name"
        );
        page.Press("by-keys");
        page.See("This name is free.");
        page.Press(Keys.Enter);
        page.Until(() => page.Path == "/buckets/by-keys", "the new bucket's sheet");
        page.See("no changes");

        page.Until(() => !page.IsOff("Add a rule"), "a step to suggest");
        TabTo(e => e.Text == "Add a rule");
        page.Press(Keys.Enter);
        page.Handle("Step to Pantry");
        TabTo(e => e.GetAttribute("aria-label") == "Step to Pantry", backwards: true);
        page.Press(Keys.ArrowRight + Keys.ArrowRight + Keys.ArrowLeft + Keys.PageUp);
        page.Until(() => Age(page.Handle("Step to Pantry")) == 61, "the step at day 61");
        TabTo(e => e.Text == "Apply");
        page.Press(Keys.Enter);
        page.See("no changes");
        Assert.Equal(61, (await buckets.Stored("by-keys"))["rules"]![0]!["steps"]![0]!["age"]!.GetValue<int>());

        page.PressWith(Keys.Control, "k");
        page.Find("[role=combobox]");
        page.Press("forecast" + Keys.Enter);
        page.Until(() => page.Path == "/forecast", "the forecast");
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("[role=slider][aria-label^='Forecast of money']")).Count > 0,
            "the chart"
        );
        TabTo(e => e.GetAttribute("aria-label")?.StartsWith("Forecast of money", StringComparison.Ordinal) == true);
        page.Press(Keys.ArrowRight + Keys.ArrowRight);
        page.Until(
            () => page.Find("output[aria-label=Reading]").Text.StartsWith("January 2027", StringComparison.Ordinal),
            "the reading of January 2027"
        );
    }

    [Fact]
    public async Task Two_keystrokes_make_a_bucket_with_sensible_defaults()
    {
        page.Open("/");
        page.See("port-sonar");
        page.PressUntil("n", () => page.Path == "/new", "the page of a new bucket");
        page.See("This name is free.");
        page.Press(Keys.Enter);
        page.Until(() => page.Path.StartsWith("/buckets/bucket-", StringComparison.Ordinal), "the new bucket's sheet");
        var made = await buckets.Stored(page.Path["/buckets/".Length..]);
        Assert.Equal(
            ("aldmouth", "one-site", "counter"),
            (made["region"]!.GetValue<string>(), made["scheme"]!.GetValue<string>(), made["tier"]!.GetValue<string>())
        );
        page.Until(
            () => page.Find("section[aria-label^='Sheet of']").Location.Y > 0 && page.Button("Apply").Location.Y < Scrolled() + 800,
            "the sheet in the window"
        );

        long Scrolled() => (long)((IJavaScriptExecutor)page.Browser).ExecuteScript("return Math.round(window.scrollY)")!;
    }

    [Fact]
    public async Task A_draft_survives_a_change_from_elsewhere_and_says_so()
    {
        await buckets.Make("two-tabs", """[{ "id": "r", "steps": [{ "age": 30, "tier": "pantry" }] }]""");
        page.Open("/buckets/two-tabs");
        page.Type(page.Field("At day"), "50");
        page.See("a draft; nothing is done yet");

        var (bucket, etag) = await buckets.StoredWithTag("two-tabs");
        bucket["rules"]![0]!["steps"]![0]!["age"] = 70;
        await buckets.Change(bucket, etag);

        page.Click(page.Button("Apply"));
        page.See("Somebody changed this bucket after your draft began. Your draft is kept.");
        Assert.Equal("50", page.Field("At day").GetAttribute("value"));
        Assert.Equal(70, (await buckets.Stored("two-tabs"))["rules"]![0]!["steps"]![0]!["age"]!.GetValue<int>());

        page.Browser.Navigate().Refresh();
        page.See("Your draft is kept.");
        page.See("Both changed rules r");
        page.See("age 70, tier pantry");
        Assert.Equal("true", page.Button("Go on with both changes").GetAttribute("aria-disabled"));
        page.Click(page.Find("aside input[type=radio]"));
        page.Click(page.Button("Go on with both changes"));
        page.Click(page.Button("Apply"));
        page.See("no changes");
        Assert.Equal(50, (await buckets.Stored("two-tabs"))["rules"]![0]!["steps"]![0]!["age"]!.GetValue<int>());
    }

    [Fact]
    public void The_as_of_day_moves_the_whole_page()
    {
        page.Open("/?sort=bytes");
        page.See("today, as counted");
        var bytes = Totals();
        page.Press("..>");
        page.Until(() => page.Path.Contains("on=2028-01-01", StringComparison.Ordinal), "the day in the address");
        page.See("1 January 2028");
        page.See("in January 2028");
        page.Until(() => Totals() != bytes, "other totals");
        page.Press("t");
        page.Until(() => Totals() == bytes, "the first totals again");

        string Totals() => page.Find("[aria-label=Totals]").Text;
    }

    [Fact]
    public void The_board_is_sorted_and_searched()
    {
        page.Open("/");
        page.See("port-sonar");
        page.Press("/");
        page.Press("kestrel telemetry");
        page.Until(() => Names() == "telemetry-far", "the one bucket found");
        page.Type(page.Find("input[type=search]"), "");
        page.Open("/?sort=cost&order=down");
        page.Until(() => Names().StartsWith("port-sonar", StringComparison.Ordinal), "the dearest first");

        string Names() =>
            string.Join(
                ",",
                page.Browser.FindElements(By.CssSelector("section[aria-label=Buckets] li a[href^='/buckets/']")).Select(e => e.Text)
            );
    }

    [Fact]
    public void The_forecast_is_read_by_charge_and_bucket_and_downloaded()
    {
        page.Open("/forecast");
        page.Click(page.Button("by charge"));
        page.See("early-leave");
        page.Type(page.Find("input[aria-label='Horizon in years']"), "2");
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("[aria-label='Forecast of money by month'] tbody")).Count == 2,
            "two years in the table"
        );
        page.Click(page.Link("CSV"));
        var file = Path.Combine(demo.Ripen.Folder, "forecast-24-months.csv");
        page.Until(() => File.Exists(file), "the download");
        var lines = File.ReadAllLines(file);
        Assert.Equal("month,bucket,region,tier,charge,quantity,unit,amount", lines[0]);
        var first = lines
            .Skip(1)
            .Where(l => l.StartsWith("2026-11,", StringComparison.Ordinal))
            .Sum(l => double.Parse(l.Split(',')[7], CultureInfo.InvariantCulture));
        var total = page.Find("[aria-label='Forecast of money by month'] tbody tr td:last-child").Text;
        Assert.Equal(first.ToString("€#,0", CultureInfo.InvariantCulture), total);
    }

    [Fact]
    public async Task A_bucket_is_deleted_only_when_its_name_was_typed()
    {
        await buckets.Make("to-be-gone", "[]");
        page.Open("/buckets/to-be-gone");
        page.Click(page.Button("Delete this bucket…"));
        page.Type(page.Field("Type to-be-gone to confirm"), "to-be-gon");
        Assert.Equal("true", page.Button("Delete the bucket").GetAttribute("aria-disabled"));
        page.Type(page.Field("Type to-be-gone to confirm"), "to-be-gone");
        page.Click(page.Button("Delete the bucket"));
        page.Until(() => page.Path == "/", "the board");
        page.Gone("to-be-gone");
        page.Open("/log");
        page.See("Bucket deleted");
    }

    private int Age(IWebElement handle) =>
        page.Until(() => handle.GetAttribute("aria-valuenow"), "an age") is { } now ? int.Parse(now, CultureInfo.InvariantCulture) : 0;

    private string Cost(int year) => page.Find($"[data-testid=cost-year-{year}]").Text;

    private void TabTo(Func<IWebElement, bool> wanted, bool backwards = false)
    {
        for (var i = 0; i < 150; i++)
        {
            if (wanted(page.Browser.SwitchTo().ActiveElement()))
                return;
            if (backwards)
                page.PressWith(Keys.Shift, Keys.Tab);
            else
                page.Press(Keys.Tab);
        }
        Assert.Fail("Tab never came to it.");
    }
}
