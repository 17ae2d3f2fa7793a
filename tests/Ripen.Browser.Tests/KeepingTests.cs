using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A legal hold is placed and released, and what does not fit together is mended, all by keyboard.</summary>
public sealed class KeepingTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public void A_hold_is_placed_refuses_a_deletion_and_is_released_by_name()
    {
        page.Open("/buckets/harbour-notices");
        page.Click(page.Button("Place a hold…"));
        page.Type(page.Field("Case"), "collision-9");
        page.Type(page.Field("What begins with"), "aldmouth/tide-table.csv");
        page.See("It matches 1 object now");
        page.Type(page.Field("Because"), "asked for by the underwriters");
        page.Type(page.Field("Who answers for it"), "counsel");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.See("placed by counsel");
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Open("/buckets/harbour-notices?prefix=aldmouth/&object=aldmouth/tide-table.csv");
        page.See("released, by a legal hold");
        page.Open("/keeping?bucket=harbour-notices");
        page.See("The hold 'collision-9' has no end");
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Open("/buckets/harbour-notices");
        page.Click(page.Find("[aria-label='Release… collision-9']"));
        page.Type(page.Field("Because"), "the case is closed");
        page.Type(page.Field("Who answers for it"), "counsel");
        page.Type(page.Field("Type collision-9"), "collision-9");
        page.Press(Keys.Enter);
        page.See("released by counsel: the case is closed");
    }

    [Fact]
    public void An_object_has_retention_of_its_own_which_is_made_shorter_by_name()
    {
        page.Open("/buckets/harbour-notices?object=readme.txt");
        page.Button("Retention…").SendKeys(Keys.Enter);
        page.See("Nothing keeps it now.");
        page.Field("Keep it").SendKeys("days");
        page.Type(page.Field("Days"), "4000");
        page.See("Storing it until then, where it lies now, costs");
        page.Click(() => page.Find("[role=dialog]:last-of-type details summary"));
        page.See("stored until");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Keep it").SendKeys(Keys.Enter);
        page.See("readme.txt is kept until");

        page.Button("Retention…").SendKeys(Keys.Enter);
        page.See("Kept now until");
        page.Field("Keep it").SendKeys("no longer");
        page.See("That is less than before");
        page.Type(page.Field("Who answers for it"), "the harbour master");
        page.Type(page.Field("Why"), "read by everybody");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Lift it").SendKeys(Keys.Enter);
        page.See("Nothing keeps readme.txt any more.");
        page.Open("/log");
        page.See("'readme.txt': its own retention was lifted, by the harbour master: read by everybody");
    }

    /// <summary>A step that is too young is known before the key is up, and taken to the nearest age that works with one key.</summary>
    [Fact]
    public void A_rule_by_reading_is_made_with_its_way_back_and_seen_a_year_ahead()
    {
        page.Open("/buckets/telemetry-far");
        page.Click(page.Button("Add a step"));
        page.Field("counted from").SendKeys("its last reading");
        page.Field("move to").SendKeys("Pantry");
        page.Type(page.Field("At day"), "7");
        page.See("takes nothing before day 14 from the last reading; the nearest age that works is 14");
        page.Button("Take day 14").SendKeys(Keys.Enter);
        page.See("comes back to");
        page.Find("input[type=checkbox]").SendKeys(Keys.Space);
        page.Button("Bundle small ones").SendKeys(Keys.Enter);
        page.See("14 unread");
        page.Find("[role=slider][aria-label='Step to Pantry when unread']");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Apply"));
        page.See("Applied");

        page.Open("/tonight?night=year&bucket=telemetry-far");
        page.See("far-copies");
        page.See("All together");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }

    [Fact]
    public void The_cheapest_schedules_are_ranked_and_one_is_looked_at_as_a_draft()
    {
        page.Open("/cheapest");
        page.See("To be saved:");
        page.See("Its rules tell objects apart by tags or sizes.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Present("a[aria-label^='Why '][aria-label*='voyage-recorders']").SendKeys(Keys.Enter);
        page.See("What arrives in a year, over its life of ten years at most.");
        page.See("At best");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Find("[aria-label='Draft for voyage-recorders']").SendKeys(Keys.Enter);
        page.See("a draft; nothing is done yet");
        page.Until(() => page.Path.StartsWith("/buckets/voyage-recorders", StringComparison.Ordinal), "its sheet");
        page.Click(page.Button("Discard"));
        page.Open("/break-even");
        page.See("Smallest object for which the move pays");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }

    [Fact]
    public void What_does_not_fit_is_looked_at_as_a_draft_with_one_key_beside_what_was_typed_there_before()
    {
        page.Open("/buckets/port-sonar");
        page.Type(page.Field("Objects a day"), "1.5");
        page.See("a draft; nothing is done yet");
        page.Open("/keeping?months=12");
        page.See("no rule lets those go");
        page.Present(By.XPath("//summary[.='As a table']")).SendKeys(Keys.Enter);
        page.See("storing it costs a month");
        page.Find("button[aria-label$='to store what may go from January 2027 on: what makes it']").SendKeys(Keys.Enter);
        page.See("GB-month × ");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Find("[aria-label='Draft: let earlier versions expire 90 days after they were superseded, for port-sonar']")
            .SendKeys(Keys.Enter);
        page.See("port-sonar");
        page.Until(
            () => page.Browser.FindElements(By.CssSelector("input")).Any(i => i.GetAttribute("value") == "earlier-versions"),
            "the drafted rule"
        );
        Assert.Equal("1.5", page.Field("Objects a day").GetAttribute("value"));
        page.See("Discard");
    }
}
