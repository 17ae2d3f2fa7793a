using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Everything that a bucket's sheet can edit, typed and clicked, and stored as it was meant.</summary>
public sealed class SheetTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);

    public void Dispose() => buckets.Dispose();

    [Fact]
    public async Task Streams_reading_habits_and_the_keep_rule_are_stored_as_typed()
    {
        await buckets.Make("all-editors");
        page.Open("/buckets/all-editors");
        page.Type(page.Field("Objects a day"), "12.5");
        page.Type(page.Field("Growth a year, %"), "-7.5");
        page.Click(page.Button("Add a stream"));
        page.Type(page.Field("Prefix", 1), "quay/");
        page.Type(page.Field("Bytes per object", 1), "4");
        page.Click(page.Button("Add a reading habit"));
        page.Type(page.Field("% of the objects a day"), "2.5");
        page.Choose(() => page.Field("Nothing can be deleted"), "option[value='days']");
        page.Click(page.Button("seven years"));
        page.Choose(() => page.Field("Strength"), "option[value='sealed']");
        page.See("Nobody can shorten it, ever.");
        page.See("kept 2557 days");
        page.Click(page.Button("Apply"));
        page.See("no changes");

        var stored = await buckets.Stored("all-editors");
        Assert.Equal(12.5, stored["streams"]![0]!["objectsPerDay"]!.GetValue<double>());
        Assert.Equal(-0.075, stored["streams"]![0]!["yearlyGrowth"]!.GetValue<double>());
        Assert.Equal(
            ("quay/", 4_000_000),
            (stored["streams"]![1]!["prefix"]!.GetValue<string>(), stored["streams"]![1]!["bytesPerObject"]!.GetValue<int>())
        );
        Assert.Equal(0.025, stored["reads"]![0]!["shareOfObjectsPerDay"]!.GetValue<double>());
        Assert.Equal((2557, "sealed"), (stored["keep"]!["days"]!.GetValue<int>(), stored["keep"]!["strength"]!.GetValue<string>()));
    }

    [Fact]
    public async Task A_region_that_does_not_offer_a_tier_refuses_the_draft_with_the_reason()
    {
        await buckets.Make("moving-house", """[{ "id": "r", "steps": [{ "age": 120, "tier": "cave" }] }]""");
        page.Open("/buckets/moving-house");
        page.See("Does each step pay?");
        page.Choose(() => page.Field("Region"), "option[value='quarrydown']");
        page.See("Tier 'cave' has no price in region 'quarrydown'");
        page.Click(page.Button("Discard"));
        page.See("Does each step pay?");
        Assert.Equal("aldmouth", page.Field("Region").GetAttribute("value"));
    }

    [Fact]
    public async Task Expiry_is_added_cleared_refused_and_taken_away()
    {
        await buckets.Make("expiring", """[{ "id": "r", "steps": [{ "age": 30, "tier": "pantry" }] }]""");
        page.Open("/buckets/expiring");
        page.Click(page.Button("Add an expiry"));
        page.Handle("Expiry");
        page.Type(page.Field("Expire at day"), "");
        page.See("'expireAt' must be a number");
        page.Type(page.Field("Expire at day"), "20");
        page.See("The step at day 30 never happens: objects expire at day 20.");
        page.Type(page.Field("Expire at day"), "400");
        page.Gone("never happens");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        Assert.Equal(400, (await buckets.Stored("expiring"))["rules"]![0]!["expireAt"]!.GetValue<int>());
        page.Click(page.Button("Never expire"));
        page.Click(page.Button("Apply"));
        page.See("no changes");
        Assert.Null((await buckets.Stored("expiring"))["rules"]![0]!["expireAt"]);
    }

    [Fact]
    public async Task Consequences_name_what_moves_now_and_which_objects_are_too_small()
    {
        page.Open("/buckets/port-sonar");
        page.See("Nothing that is here moves or goes.");
        page.Click(page.Button("Add a rule"));
        page.See("move from Counter to Pantry");
        page.See("One-off charges:");
        page.Click(page.Button("Discard"));
        page.See("Nothing that is here moves or goes.");

        page.Open("/buckets/engine-telemetry");
        page.See("more than they save");
        page.See("Bundled into 128 MB objects first");
        Assert.Empty((await buckets.Stored("port-sonar"))["rules"]!.AsArray());
    }

    [Fact]
    public async Task A_draft_is_still_there_after_leaving_and_coming_back()
    {
        await buckets.Make("left-alone");
        page.Open("/buckets/left-alone");
        page.Type(page.Field("Objects a day"), "77");
        page.See("a draft; nothing is done yet");
        page.Open("/forecast");
        page.See("Forecast");
        page.Open("/buckets/left-alone");
        page.See("a draft; nothing is done yet");
        Assert.Equal("77", page.Field("Objects a day").GetAttribute("value"));
        page.Click(page.Button("Discard"));
        page.See("no changes");
        page.Open("/buckets/left-alone");
        page.See("no changes");
    }

    [Fact]
    public void The_as_of_marker_is_dragged_and_the_back_button_closes_a_sheet()
    {
        page.Open("/");
        page.See("today, as counted");
        page.Drag(page.Find("[role=slider][aria-label='As-of day']"), 200);
        page.Until(() => page.Path.Contains("on=20", StringComparison.Ordinal), "a day in the address");
        page.See("projected");
        page.Click(page.Link("voyage-recorders"));
        page.Until(() => page.Path.StartsWith("/buckets/voyage-recorders?on=20", StringComparison.Ordinal), "the sheet on that day");
        page.See("Retention");
        page.Browser.Navigate().Back();
        page.Until(() => page.Path.StartsWith("/?on=20", StringComparison.Ordinal), "the board on that day");
        page.Gone("Retention");
    }

    [Fact]
    public void The_chosen_theme_stays()
    {
        page.Open("/");
        var before = Theme();
        page.Click(page.Button("Theme: system"));
        page.Click(page.Button("Theme: light"));
        page.Button("Theme: dark");
        Assert.NotEqual(before, Theme());
        page.Browser.Navigate().Refresh();
        page.See("port-sonar");
        Assert.NotEqual(before, Theme());
        page.Click(page.Button("Theme: dark"));
        page.Button("Theme: system");
        Assert.Equal(before, Theme());

        string Theme() => page.Browser.FindElement(By.TagName("html")).GetAttribute("data-theme")!;
    }
}
