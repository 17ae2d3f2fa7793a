using System.Net.Http.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Somebody asks what if: assumptions are typed, their difference is seen at once, and its parts open as drafts.</summary>
public sealed class ScenariosTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose() => http.Dispose();

    private async Task<JsonArray> Stored() =>
        (await http.GetFromJsonAsync<JsonNode>(new Uri("/api/scenarios", UriKind.Relative)))!["scenarios"]!.AsArray();

    private string Waterfall() => page.Find("section[aria-label=Difference] svg[role=img]").GetAttribute("aria-label") ?? "";

    private IWebElement InAll(int column) => page.Find($"section[aria-label=Difference] tbody tr:last-child td:nth-of-type({column})");

    [Fact]
    public async Task A_scenario_is_made_seen_and_stored_and_its_parts_open_as_drafts()
    {
        page.Open("/forecast");
        page.Click(page.Link("What if"));
        page.See("Two more ferries");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("New scenario"));
        page.Until(() => page.Path.StartsWith("/what-if/what-if-4", StringComparison.Ordinal), "a scenario of its own");
        page.Type(page.Find("input[aria-label='Name of the scenario']"), "A long summer");
        page.Click(page.Button("growth"));
        page.Until(() => Waterfall().Contains("1  all buckets: 1.2 times as much arrives", StringComparison.Ordinal), "what growth adds");
        page.Type(page.Field("arrivals, times"), "many");
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("section[aria-label=Assumptions] [role=alert]")).Count > 0,
            "what is wrong"
        );
        page.Type(page.Field("arrivals, times"), "3");
        page.Until(() => Waterfall().Contains("3 times as much arrives: +€", StringComparison.Ordinal), "what that adds");
        page.Click(page.Button("place"));
        page.Until(() => Waterfall().Contains("2  all buckets: where it is", StringComparison.Ordinal), "a second assumption");
        // Quarrydown offers too few tiers for everything.
        Choose("region", "quarrydown");
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("section[aria-label=Assumptions] [role=alert]")).Count > 0,
            "what does not fit"
        );
        Choose("bucket", "deck-cameras", nth: 1);
        Choose("region", "");
        Choose("scheme", "three-zones");
        page.Until(() => Waterfall().Contains("2  deck-cameras: kept as", StringComparison.Ordinal), "what the scheme adds");
        page.Until(() => InAll(2).Text.StartsWith("+€", StringComparison.Ordinal), "the sum of the first");
        ((IJavaScriptExecutor)page.Browser).ExecuteScript("document.documentElement.dataset.theme = 'dark'");
        Assert.Empty(Accessibility.Violations(page.Browser));
        // Left and come back to, nothing is lost.
        page.Open("/prices");
        page.Open("/what-if/what-if-4?by=charge&span=1");
        page.See("storage");
        page.Until(() => Waterfall().Contains("A long summer: €", StringComparison.Ordinal), "the draft");
        page.Button("Save").SendKeys(Keys.Enter);
        page.Until(() => Stored().Result.Count == 4, "stored");
        Assert.Equal(3, (double)(await Stored())[3]!["assumptions"]![0]!["growth"]!["arrivals"]!);

        page.Handle("Cost a year, read with the arrow keys").SendKeys(Keys.ArrowLeft);
        page.See("year 9: As it stands");
        page.Click(page.Find("button[aria-label^='Only 2']"));
        page.Click(() => page.Link("Open deck-cameras as a draft"));
        page.See("a draft; nothing is done yet");
        page.Click(page.Button("Discard"));
    }

    [Fact]
    public void A_draft_of_a_bucket_is_kept_for_a_what_if_and_goes_back_to_it()
    {
        page.Open("/what-if/sonar-ages");
        page.Click(page.Link("Open it"));
        page.See("a draft; nothing is done yet");
        page.Until(() => page.Button("Keep for a what-if").GetAttribute("aria-disabled") != "true", "a draft in order");
        page.Click(page.Button("Keep for a what-if"));
        page.Until(() => page.Path.StartsWith("/what-if/sonar-ages", StringComparison.Ordinal), "back");
        page.Until(() => Waterfall().Contains("1  port-sonar: as in a draft of it", StringComparison.Ordinal), "in its place");
        Assert.DoesNotContain("3  ", Waterfall(), StringComparison.Ordinal);
        page.Click(page.Button("Discard"));
        page.Open("/buckets/port-sonar");
        page.See("a draft; nothing is done yet");
        page.Until(() => page.Button("Keep for a what-if").GetAttribute("aria-disabled") != "true", "a draft in order");
        page.Click(page.Button("Keep for a what-if"));
        page.Until(() => page.Path.StartsWith("/what-if/what-if-", StringComparison.Ordinal), "a scenario of its own");
        page.Until(() => Waterfall().Contains("1  port-sonar: as in a draft of it", StringComparison.Ordinal), "the draft in it");
        page.Click(page.Button("Discard"));
        page.Open("/buckets/port-sonar");
        page.Click(page.Button("Discard"));
    }

    [Fact]
    public void A_plan_that_is_not_begun_is_kept_for_a_what_if_changed_and_opened_as_a_new_one()
    {
        page.Open("/plans/new");
        page.Type(page.Field("It is called"), "Tickets on trial");
        KeepInOrder();
        page.Until(() => Waterfall().Contains("1  plan Tickets on trial: as in a draft of it: +€", StringComparison.Ordinal), "its cost");
        page.See("A new plan.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(() => page.Link("Open it"));
        page.Until(() => page.Field("It is called").GetAttribute("value") == "Tickets on trial", "the draft");
        page.Click(() => page.Button("Second copy"));
        KeepInOrder();
        page.Until(() => Waterfall().Contains("1  plan Tickets on trial", StringComparison.Ordinal), "it in its place");
        Assert.DoesNotContain("2  ", Waterfall(), StringComparison.Ordinal);
        page.Click(() => page.Button("All of it"));
        page.Click(() => page.Link("Open Tickets on trial as a new plan"));
        page.Until(() => page.Path == "/plans/new", "the plan's page");
        page.See("Second copy");
        page.Click(() => page.Button("Discard"));
        page.Open("/what-if");
        page.Click(() => page.Button("Discard"));

        void KeepInOrder()
        {
            page.Until(() => page.Button("Keep for a what-if").GetAttribute("aria-disabled") != "true", "a draft in order");
            page.Click(() => page.Button("Keep for a what-if"));
            page.Until(() => page.Path.StartsWith("/what-if/what-if-", StringComparison.Ordinal), "a scenario");
        }
    }

    [Fact]
    public async Task What_somebody_else_stored_meanwhile_is_not_undone_unasked()
    {
        page.Open("/what-if/two-more-ferries");
        page.Type(page.Find("input[aria-label='Name of the scenario']"), "Three more ferries");
        page.Until(() => page.Button("Save").GetAttribute("aria-disabled") != "true", "something to save");
        var (uri, mine) = (new Uri("/api/scenarios", UriKind.Relative), await Stored());
        using var looked = await http.GetAsync(uri);
        using var request = new HttpRequestMessage(HttpMethod.Put, uri)
        {
            Content = JsonContent.Create(new { scenarios = mine.Select((s, i) => i == 1 ? Named(s!, "Of another tab") : s) }),
        };
        request.Headers.IfMatch.Add(looked.Headers.ETag!);
        request.Headers.Add("Ripen-Request", "1");
        (await http.SendAsync(request)).EnsureSuccessStatusCode();
        page.Click(page.Button("Save"));
        page.See("Scenarios were changed since this draft began");
        Assert.Equal("Of another tab", (string)(await Stored())[1]!["name"]!);
        page.Until(() => page.Button("Save").GetAttribute("aria-disabled") == "true", "no way to undo it by mistake");
        page.Click(page.Button("Discard"));
        page.See("Of another tab");

        static JsonNode Named(JsonNode scenario, string name)
        {
            var other = scenario.DeepClone();
            other["name"] = name;
            return other;
        }
    }

    [Fact]
    public void How_sure_is_three_numbers_each_and_says_what_is_wrong_with_them()
    {
        page.Open("/forecast");
        page.Click(page.Link("How sure"));
        page.See("What moves it");
        page.See("1,000 futures, seed 1");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Handle("Cost a month, read with the arrow keys").SendKeys(Keys.Home);
        page.Until(() => page.Find("output[aria-label=Reading]").Text.Contains('€', StringComparison.Ordinal), "a month's band");
        page.Type(page.Find("input[aria-label='Growth: likely']"), "40");
        page.See("Write three numbers that do not fall");
        page.Type(page.Find("input[aria-label='Growth: at most']"), "80");
        page.Gone("Write three numbers that do not fall");
        page.Until(() => page.Path.Contains("growth=-0.05%2C0.4%2C0.8", StringComparison.Ordinal), "an address of its own");
        page.Until(
            () => page.Find("section[aria-label='What moves it'] li").Text.StartsWith("growth", StringComparison.Ordinal),
            "growth moves it most"
        );
        // A quantile opens as a future, down to the prices in it.
        page.Present("td:last-child a[aria-label*=': P90 of ']").SendKeys(Keys.Enter);
        page.See("points of growth a year; all buckets: read");
        page.See("a year from today on");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(() => page.Find("main tbody tr:nth-child(6) a"));
        page.Click(page.Link("deck-cameras"));
        page.Click(page.Link("storage, Counter"));
        page.See("for prices");
        page.See("GB-month stored");
        // Sheets are of the estate as it stands, and so is what opens on them, whatever the address says.
        page.Open("/on-paper?scenario=two-more-ferries");
        Assert.DoesNotContain(
            "scenario",
            page.Present("a[aria-label*='nine tenths of growth']").GetAttribute("href")!,
            StringComparison.Ordinal
        );
        // A future of a scenario is kept on top of that scenario.
        page.Open("/how-sure?scenario=two-more-ferries&prices=0,0,0");
        page.Present("a[aria-label*='nine tenths of growth']").SendKeys(Keys.Enter);
        page.See("If all of Two more ferries came true.");
        page.Click(page.Button("Keep for a what-if"));
        page.Until(() => page.Path.StartsWith("/what-if/two-more-ferries", StringComparison.Ordinal), "that scenario");
        page.See("points of growth a year");
        page.Click(page.Button("Discard"));
        // An address of which a part was lost says so.
        page.Open("/forecast");
        page.Open("/why?month=2027-08#assume=%5B%7B");
        page.See("This address is damaged");
        page.Open("/forecast");
        page.Open("/why?month=2027-08#assume=%5Bnull%5D");
        page.See("Write an object in braces here");
    }

    [Fact]
    public void Any_month_opens_down_to_a_price_and_a_rule()
    {
        page.Open("/forecast");
        page.Click(page.Find("td:last-child a[aria-label^='Why ']"));
        page.See("Why this amount");
        page.Click(page.Link("voyage-recorders"));
        page.Click(page.Link("storage, Cave"));
        page.See("rule 'recorders' moves it here at 118 days");
        page.See("GB-month stored");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Browser.Navigate().Back();
        page.See("is the sum of");
    }

    [Fact]
    public void What_an_assumption_changes_opens_down_to_two_charges_that_open()
    {
        page.Open("/what-if/two-more-ferries?span=3");
        page.Present("a[aria-label*='voyage-recorders, voyage-recorders: 1.5 times']").SendKeys(Keys.Enter);
        page.See("What the last of these would change, given those before it");
        page.See("without it");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Present(By.LinkText("May 2029")).SendKeys(Keys.Enter);
        page.See("All of May 2029");
        page.Present(By.LinkText("storage, Cave")).SendKeys(Keys.Enter);
        page.Until(() => page.Path.Contains("charge=storage", StringComparison.Ordinal), "a charge");
        page.Present("a[aria-label$=' with it']").SendKeys(Keys.Enter);
        page.See("If this came true, which is stored nowhere");
        page.See("GB-month stored");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }

    [Fact]
    public void A_scenarios_year_opens_into_months_and_a_draft_of_it_as_well()
    {
        page.Open("/what-if/two-more-ferries?by=tier&span=3");
        page.Present("a[aria-label$='Cave, what if']").SendKeys(Keys.Enter);
        page.See("If all of Two more ferries came true.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Link("May 2029"));
        page.See("All of May 2029");
        page.Click(page.Link("deck-cameras"));
        page.Click(page.Link("storage, Cave"));
        page.See("moves it here at");
        page.Open("/what-if/two-more-ferries?by=tier");
        page.Type(page.Field("arrivals, times"), "3");
        page.Until(() => !page.IsOff("Discard"), "a draft");
        page.See("3 times as much arrives");
        page.Until(() => Opens("Cave, what if").Contains("%22arrivals%22%3A3", StringComparison.Ordinal), "what opens the draft");
        page.Present("a[aria-label$='Cave, what if']").SendKeys(Keys.Enter);
        page.See("stored nowhere: deck-cameras: 3 times as much arrives");
        page.See("is the sum of");
        page.Browser.Navigate().Back();
        page.Click(page.Button("Discard"));
        page.Until(() => Opens("Cave, what if").Contains("scenario=two-more-ferries", StringComparison.Ordinal), "the stored one");

        string Opens(string label) => page.Present($"a[aria-label$='{label}']").GetAttribute("href") ?? "";
    }

    [Fact]
    public void What_a_draft_would_cost_opens_and_can_be_kept_from_there()
    {
        page.Open("/buckets/engine-telemetry");
        page.Type(page.Field("At day"), "45");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        page.Present("a[aria-label$='in year 1, afterwards']").SendKeys(Keys.Enter);
        page.See("stored nowhere: engine-telemetry: as in a draft of it");
        page.See("is the sum of");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Keep for a what-if"));
        page.See("engine-telemetry: as in a draft of it");
        page.Click(page.Button("Discard"));
    }

    [Fact]
    public void A_bucket_goes_to_a_tenant_whose_money_opens_by_bucket()
    {
        page.Open("/buckets/crew-records");
        page.Type(page.Field("Tenant"), "Night freight");
        page.Until(() => !page.IsOff("Apply"), "consequences");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        page.Open("/forecast");
        page.Click(() => page.Find("[role=radiogroup][aria-label='Stacked'] [role=radio]:last-child"));
        page.Present("td a[aria-label*='Night freight,']").SendKeys(Keys.Enter);
        page.See("is the sum of");
        Assert.Contains("tenant=Night", page.Path, StringComparison.Ordinal);
        page.Click(page.Link("crew-records"));
        page.See("storage, Counter");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Link("Night freight"));
        page.See("is the sum of");
        page.Open("/?columns=tenant&find=night");
        page.See("Night freight");
        page.Gone("port-sonar");
    }

    private void Choose(string label, string value, int nth = 0) => page.Choose(() => page.Field(label, nth), $"option[value='{value}']");
}
