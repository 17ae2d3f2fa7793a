using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Time that passes and is stopped, schemes side by side, and the advice, in the real interface.</summary>
public sealed class TimeTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public void Time_passes_is_stopped_and_the_whole_page_follows()
    {
        page.Open("/clock");
        page.See("No day has closed yet.");
        var date = page.Field("until the morning of");
        page.Pick(date, "2046-11-01");
        page.Click(page.Button("Go there"));
        // Twenty years take recordings past the end of their keeping: that is said, and has to be wanted.
        page.See("On the way to 2046-11-01 retention of");
        page.Type(page.Field("Type 2046-11-01 to confirm"), "2046-11-01");
        page.Click(page.Button("Let it lapse and go there"));
        page.Find("[role=progressbar]");
        page.Find("[aria-label='Daily runs'] tbody tr");
        page.Click(page.Button("Stop here"));
        page.See("Stopped on");
        var rows = page.Browser.FindElements(By.CssSelector("[aria-label='Daily runs'] tbody tr")).Count;
        Assert.InRange(rows, 1, 60);
        page.Click(page.Button("A week"));
        page.Gone("Stopped on");
        page.Open("/buckets/port-sonar#money");
        page.See("The ledger as CSV");
        page.Find("[aria-label='Money'] svg");
        page.Gone("\n1 November 2026\ntoday, as counted");
    }

    [Fact]
    public void Schemes_stand_side_by_side_and_a_misnamed_one_is_told()
    {
        page.Open("/schemes?compare=three-zones,ten-and-four");
        page.See("the loss of one zone takes 7 of 14 fragments where 4 may go");
        page.Click(page.Button("Try another scheme"));
        page.See("A scheme of your own");
        page.Type(page.Field("Copies"), "0");
        page.See("'copies' must be at least 1");
        page.Type(page.Field("Copies"), "5");
        page.See("5 whole copies");
        Assert.Equal(3, page.Browser.FindElements(By.CssSelector("thead th[scope=col]")).Count);
    }

    [Fact]
    public void A_few_answers_end_in_a_filled_in_bucket()
    {
        page.Open("/advice");
        page.Type(page.Field("Objects or files a day"), "-5");
        page.See("'objectsPerDay' must be from 0");
        page.Type(page.Field("Objects or files a day"), "");
        page.See("A number is wanted here.");
        page.Type(page.Field("Objects or files a day"), "250");
        page.See("An object bucket");
        page.See("is the cheapest scheme that survives the loss of a zone");
        page.Click(() => page.Present("button[aria-label^='Why €']"));
        page.Present("section[aria-label^='Why, '] table");
        page.See("written");
        page.Click(page.Button("Take the first as a draft"));
        page.Type(page.Field("Name"), "advised-bucket");
        page.See("This name is free.");
        page.Click(page.Button("Make the bucket"));
        page.Until(() => page.Path == "/buckets/advised-bucket", "the new bucket's sheet");
        Assert.Equal("250", page.Field("Objects a day").GetAttribute("value"));
    }
}
