using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A bill from elsewhere is brought, said what it is, and becomes a draft of the prices, by keyboard where keys do.</summary>
public sealed class BillsTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public async Task A_bill_is_brought_mapped_and_its_prices_are_opened_as_a_draft()
    {
        var file = Path.Combine(demo.Ripen.Folder, "autumn.csv");
        await File.WriteAllTextAsync(
            file,
            """
            month,what for,item,unit,quantity,amount
            2026-09,cams,warm shelf,TB-months,2,62
            2026-10,cams,warm shelf,TB-months,3,93
            2026-10,fees,support,,,49.5
            """
        );
        page.Open("/prices");
        page.Click(page.Link("Fit them to a bill"));
        page.Present("input[aria-label='A bill']").SendKeys(file);
        page.See("Which column says the resource?");
        page.Type(page.Field("The resource"), "what for");
        page.Present("input[aria-label='A bill']").SendKeys(file);
        page.See("Nothing of the bill is recognised yet");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Choose(() => page.Find("select[aria-label='Bucket of cams']"), "option[value=deck-cameras]");
        page.Choose(() => page.Find("select[aria-label='Tier of warm shelf, TB-months']"), "option[value=counter]");
        page.Choose(() => page.Find("select[aria-label='Charge of warm shelf, TB-months']"), "option[value=storage]");
        page.See("€155.00 are recognised, €49.50 are left aside.");
        page.See("deck-cameras: 3,000 GB-month, storage,");
        page.See("left aside: its resource is no bucket");
        page.See("storage, Counter, Aldmouth");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Button("Open them as a draft of the prices").SendKeys(Keys.Enter);
        page.See("What was metered stays as it was charged.");
        page.Until(() => page.Path.StartsWith("/prices", StringComparison.Ordinal), "the prices");
        page.See("The estate's cost a year");
        page.Click(page.Button("Discard"));

        page.Open("/bills");
        page.Click(page.Find("[aria-label='Forget it autumn.csv']"));
        page.Click(page.Find("[aria-label='Yes: forget it autumn.csv']"));
        page.See("None is here yet.");
    }
}
